"""Shelves of saved games as files: taken along, looked at, brought in."""

from __future__ import annotations

import re
import tempfile

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, send_file, url_for
from flask.typing import ResponseReturnValue

from tesoura.bundles import shelf_files
from tesoura.errors import CommandRefused, FileRefused
from tesoura.saves import carrying
from tesoura.store import saves as stored
from tesoura.web.shared.acting import act, must_be_here
from tesoura.web.shared.doors import store
from tesoura.web.shared.incoming import GONE, take_in, waiting

blueprint = Blueprint("shelf_files", __name__, url_prefix="/saves/files")


@blueprint.get("/<int:game_id>.zip")
def out(game_id: int) -> ResponseReturnValue:
    """A game's shelf as one file."""
    game = store().read(lambda session: stored.game(session, game_id))
    if game is None or game.removed_at is not None:
        abort(404)
    shelf = store().read(lambda session: shelf_files.carried(session, game))
    # The response closes it.
    file = tempfile.TemporaryFile(dir=store().folder)  # noqa: SIM115 - it lives until it is sent
    try:
        shelf_files.write_out(file, shelf, store().folder)
    except FileRefused as error:
        file.close()
        flash(str(error), "wrong")
        return redirect(url_for("saves.show", game_id=game_id))
    file.seek(0)
    name = re.sub(r"[^\w\-]+", "-", game.title).strip("-").lower() or "shelf"
    response: Response = send_file(
        file, mimetype="application/zip", as_attachment=True, download_name=f"{name}-saves.zip"
    )
    return response


@blueprint.post("/look")
def look() -> ResponseReturnValue:
    """What is in a shelf's file; nothing is imported."""
    must_be_here("Importing saves")
    sent = request.files.get("file")
    if sent is None or not sent.filename:
        flash("Choose a file first.", "wrong")
        return redirect(url_for("saves.index", all="yes"))
    at = None
    try:
        token, at = take_in(sent, shelf_files.objects_of(store().folder))
        shelf = carrying.read(at)
    except (FileRefused, OSError) as error:
        if at is not None:
            at.unlink(missing_ok=True)
        flash(str(error), "wrong")
        return redirect(url_for("saves.index", all="yes"))
    games = store().read(lambda session: list(stored.games(session)))
    fits = [one for one in games if one.folder == shelf.folder]
    return render_template("saves/incoming.html", shelf=shelf, token=token, games=fits)


@blueprint.post("/bring")
def bring() -> ResponseReturnValue:
    """Bring in the file that was looked at."""
    at = waiting(request.form.get("token", ""), shelf_files.objects_of(store().folder))
    if at is None:
        flash(GONE, "wrong")
        return redirect(url_for("saves.index", all="yes"))
    try:
        done = act("saves.bring_in", file=at.name, game=request.form.get("game") or 0)
    except (FileRefused, CommandRefused) as error:
        flash(str(error), "wrong")
        return redirect(url_for("saves.index", all="yes"))
    at.unlink(missing_ok=True)
    flash(done.words, "said")
    return redirect(url_for("saves.show", game_id=done.result["game"]))
