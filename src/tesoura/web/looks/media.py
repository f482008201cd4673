"""Files that were added: adding them, and handing them to the pages that show them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from flask import Blueprint, Response, abort, request, send_file
from flask.typing import ResponseReturnValue

from tesoura.errors import FileRefused
from tesoura.store import media as stored
from tesoura.store.tables import MediaRow
from tesoura.uploads.files import checked
from tesoura.web.shared.doors import now, store, studio

blueprint = Blueprint("media", __name__)


@blueprint.get("/media/<name>")
def show(name: str) -> ResponseReturnValue:
    """A file, for the pages that show it. Its name is its fingerprint, so browsers may keep it for good."""
    row = store().read(partial(stored.get, name=name))
    path = stored.path_of(store().folder, name) if row else None
    if row is None or path is None or not path.exists():
        abort(404)
    response: Response = send_file(path, mimetype=row.type, conditional=True, max_age=31_536_000)
    response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
    # Nothing in a file may run, whatever it is.
    response.headers["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    return response


def take(kind: str) -> MediaRow:
    """Check and keep the file that was sent. Raises FileRefused."""
    sent = request.files.get("file")
    if sent is None or not sent.filename:
        raise FileRefused("Choose a file first.")
    title = " ".join(sent.filename.replace("\\", "/").rpartition("/")[2].split())[:80] or "a file"
    return keep(kind, title, sent.read())


def keep(kind: str, title: str, data: bytes) -> MediaRow:
    """Check and keep a file. Raises FileRefused."""
    added = checked(kind, data)
    name = stored.fingerprint(added.data, added.ending)
    stored.put_file(store().folder, name, added.data)
    row = MediaRow(
        name=name, kind=kind, title=title, type=added.type, width_px=added.width_px, height_px=added.height_px,
        size=len(added.data), facts=dict(added.facts), added_at=now(),
    )  # fmt: skip
    kept = store().write(lambda session: _plain(stored.keep(session, row)))
    if kind == "typeface":
        studio().faces.forget()
    return kept


def _plain(row: MediaRow) -> MediaRow:
    return MediaRow(**row.model_dump())


def all_of(*kinds: str) -> Sequence[MediaRow]:
    """The files of these kinds."""
    return store().read(lambda session: stored.all_media(session, *kinds))


@blueprint.post("/media/<kind>")
def add(kind: str) -> ResponseReturnValue:
    """Add a picture, a video, a scene picture or a sound; what it is called and shows, or why it cannot be used."""
    if kind not in ("picture", "video", "scenery", "sound"):
        abort(404)
    try:
        row = take(kind)
    except FileRefused as error:
        return {"wrong": str(error)}, 422
    return {"name": row.name, "title": row.title, "width_px": row.width_px, "height_px": row.height_px}
