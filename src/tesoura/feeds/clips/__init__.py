"""A folder into which another program writes clips."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.fields import Field
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import late, seconds
from tesoura.feeds.paths import checked_path, short


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What comes into the folder."""
    from tesoura.feeds.clips.watch import follow as watch

    return watch(context)


def _place(choices: Mapping[str, Any]) -> str:
    return short(str(choices.get("path", "")))


KIND = FeedKind(
    name="clips",
    title="A folder of clips",
    about="Another program saves replay clips to a folder. Each clip is imported when it's complete.",
    fields={
        "path": Field("Folder", checked_path, private=True, placeholder="/home/mara/clips", help="The full path."),
        "wait_s": Field(
            "Maximum delay",
            seconds(1, 120),
            kind="number",
            default="30",
            unit="seconds",
            help="From the moment to its clip. After that, the replay is dropped.",
        ),
        "late_ms": late(),
    },
    follow=follow,
    lasting=True,
    place=_place,
    brings=lambda choices: ("clip.saved",),
    on_machine=lambda choices: True,
    called="Clips",
    gives_clips=True,
)
