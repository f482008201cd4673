"""A recording that goes on: the wished seconds are cut out of it while it grows."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.fields import Field
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import late
from tesoura.feeds.paths import checked_path, short


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """How the recording grows."""
    from tesoura.feeds.recording.watch import follow as watch

    return watch(context)


def _place(choices: Mapping[str, Any]) -> str:
    return short(str(choices.get("path", "")))


KIND = FeedKind(
    name="recording",
    title="A growing recording",
    about="A recording in progress. Its last seconds are cut out while it is being written.",
    fields={
        "path": Field(
            "File or folder",
            checked_path,
            private=True,
            placeholder="/home/mara/recordings",
            help="The full path. For a folder, the newest file is used.",
        ),
        "late_ms": late(),
    },
    follow=follow,
    lasting=True,
    place=_place,
    on_machine=lambda choices: True,
    called="Recording",
    gives_clips=True,
)
