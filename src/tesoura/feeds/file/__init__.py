"""A file that another program writes: JSON, TOML, CSV or text, read whenever it has changed."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from tesoura.core.forms.checks import choice
from tesoura.core.forms.fields import Field
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import PERIOD
from tesoura.feeds.file.watch import look
from tesoura.feeds.paths import checked_path, short

BY_ENDING = {".json": "json", ".toml": "toml", ".csv": "csv", ".tsv": "csv"}


def _place(choices: Mapping[str, Any]) -> str:
    return short(str(choices.get("path", "")))


async def fetch(context: FetchContext) -> Fetched:
    """Look at the file, and read it when it has changed."""
    path, form = str(context.choices["path"]), str(context.choices.get("form", "auto"))
    return await look(context, path, BY_ENDING.get(Path(path).suffix.lower(), "text") if form == "auto" else form)


KIND = FeedKind(
    name="file",
    title="A file",
    on_machine=lambda choices: True,
    about="A file written by another program: JSON, TOML, CSV or text. Read when it changes.",
    fields={
        "path": Field(
            "File", checked_path, private=True, placeholder="/home/mara/stats/match.json", help="The full path."
        ),
        "form": Field(
            "Format",
            choice(("auto", "json", "toml", "csv", "text")),
            kind="choice",
            default="auto",
            options=(
                ("auto", "from the file extension"),
                ("json", "JSON"),
                ("toml", "TOML"),
                ("csv", "a table (CSV)"),
                ("text", "plain text"),
            ),
        ),
        "period_s": Field("Check every", PERIOD.check, kind="number", default="1", unit="seconds"),
    },
    fetch=fetch,
    place=_place,
    called="File",
)
