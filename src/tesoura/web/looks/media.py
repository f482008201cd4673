"""Files that were added: adding them, and handing them to the pages that show them."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial

from flask import Blueprint, Response, abort, flash, request, send_file
from flask.typing import ResponseReturnValue

from tesoura.actions.action import Done
from tesoura.errors import Gone, InvalidField
from tesoura.store import covers
from tesoura.store import media as stored
from tesoura.store.tables import MediaRow
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import store
from tesoura.web.shared.pressing import address_of

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


@blueprint.get("/covers/<name>")
def cover(name: str) -> ResponseReturnValue:
    """A cover that was fetched, for the pages that show it."""
    path = covers.path_of(store().folder, name)
    if path is None:
        abort(404)
    response: Response = send_file(path, mimetype="image/jpeg", conditional=True, max_age=31_536_000)
    response.headers["Content-Security-Policy"] = "default-src 'none'; sandbox"
    return response


def take(kind: str) -> Done:
    """Check and keep the file that was sent. Raises InvalidField."""
    sent = request.files.get("file")
    if sent is None or not sent.filename:
        raise InvalidField("Choose a file first.")
    title = " ".join(sent.filename.replace("\\", "/").rpartition("/")[2].split())[:80]
    return act("media.add", kind=kind, title=title, file=sent.read())


def all_of(*kinds: str) -> Sequence[MediaRow]:
    """The files of these kinds."""
    return store().read(lambda session: stored.all_media(session, *kinds))


@blueprint.post("/media/<kind>")
def add(kind: str) -> ResponseReturnValue:
    """Add a picture, a video, a scene picture or a sound; what it is called and shows, or why it cannot be used."""
    if kind not in ("picture", "video", "scenery", "sound"):
        abort(404)
    try:
        return dict(take(kind).result)
    except InvalidField as error:
        return {"wrong": str(error)}, 422


@blueprint.post("/media/<kind>/in-place-of/<name>")
def put_in_place(kind: str, name: str) -> ResponseReturnValue:
    """Add a file and let it be in the place of another one, everywhere; how often that was, or why it cannot be."""
    if kind not in ("picture", "video"):
        abort(404)
    try:
        added = take(kind)
        done = act("media.replace", name=name, by=added.result["name"])
    except (InvalidField, Gone) as error:
        return {"wrong": str(error)}, 422
    flash(done.words, "undo:" + address_of("desk.undo"))
    return {**added.result, "words": done.words}
