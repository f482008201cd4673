"""Files that pieces show or wear: pictures, videos, scene pictures, sounds and typefaces."""

from __future__ import annotations

import asyncio
import base64
import binascii
from functools import partial

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import choice, line
from tesoura.core.forms.fields import Field
from tesoura.errors import FileRefused, Gone, InvalidField
from tesoura.store import media as stored
from tesoura.store.tables import MediaRow
from tesoura.uploads.files import checked

KINDS = ("picture", "video", "scenery", "sound", "typeface")


def file_bytes(raw: object) -> bytes:
    """The bytes of a file: as such, or in base64. Raises InvalidField."""
    if isinstance(raw, bytes):
        return raw
    try:
        data = base64.b64decode(str(raw or ""), validate=True)
    except (binascii.Error, ValueError):
        raise InvalidField("Give the file's bytes in base64.") from None
    if not data:
        raise InvalidField("Choose a file first.")
    return data


async def keep_file(doing: Doing, kind: str, title: str, data: bytes) -> MediaRow:
    """Check and keep a file. Raises FileRefused."""
    at, folder = doing.now(), doing.runtime.store.folder

    def put() -> MediaRow:
        added = checked(kind, data)
        name = stored.fingerprint(added.data, added.ending)
        stored.put_file(folder, name, added.data)
        return MediaRow(
            name=name,
            kind=kind,
            title=title,
            type=added.type,
            width_px=added.width_px,
            height_px=added.height_px,
            size=len(added.data),
            facts=dict(added.facts),
            added_at=at,
        )

    row = await asyncio.to_thread(put)
    await doing.write(lambda session: stored.keep(session, MediaRow(**row.model_dump())) and None)
    if kind == "typeface":
        doing.runtime.studio.faces.forget()
    return row


async def _add(doing: Doing, given: Given) -> Done:
    try:
        row = await keep_file(doing, given["kind"], given["title"], given["file"])
    except FileRefused as error:
        raise InvalidField(str(error)) from error
    told = {"name": row.name, "title": row.title, "width_px": row.width_px, "height_px": row.height_px}
    if given["kind"] == "typeface":
        words = f"{row.facts['family']} was added: {row.facts['letters']:,} letters. {row.facts['embedding']}"
    else:
        words = f"{row.title} was added."
    return Done(words, told, Call("media.remove", {"name": row.name}))


async def _put_away(doing: Doing, given: Given, away: bool) -> Done:
    at, name = doing.now() if away else None, given["name"]

    def job(session: Session) -> str:
        row = stored.get(session, name)
        if row is None:
            raise Gone("There is no such file.")
        stored.remove(session, name, at)
        return str(row.facts.get("family", row.title))

    called = await doing.write(job)
    doing.runtime.studio.faces.forget()
    if away:
        words = f"{called} was deleted. Pieces that used it fall back to another typeface."
        return Done(words, {}, Call("media.restore", {"name": name}))
    return Done(f"{called} was restored.", {}, Call("media.remove", {"name": name}))


_NAME = {"name": Field("File", line(80))}
ADD = Action(
    "media.add",
    "Add a file",
    "A picture, video, scene picture, sound or typeface; base64 in JSON.",
    {
        "kind": Field("Kind", choice(KINDS)),
        "title": Field("Name", lambda raw: line(80)(raw or "a file")),
        "file": Field("File", file_bytes, kind="data"),
    },
    _add,
    noted=True,
    may=SET_UP,
)
REMOVE = Action(
    "media.remove",
    "Delete a file",
    "It may still be shown on air.",
    _NAME,
    partial(_put_away, away=True),
    noted=True,
    may=SET_UP,
)
RESTORE = Action(
    "media.restore",
    "Restore a file",
    "One that was deleted.",
    _NAME,
    partial(_put_away, away=False),
    noted=True,
    may=SET_UP,
)

ALL = (ADD, REMOVE, RESTORE)
