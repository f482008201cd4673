"""What was played: searched, by stream session, and taken along as XSPF, CSV or plain lines."""

from __future__ import annotations

from datetime import datetime

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.pieces.registry import KINDS as PIECES
from tesoura.core.tracks.lists import ListedTrack, lines, stream_time, xspf
from tesoura.runtime.facade import Runtime
from tesoura.store import computed as stored
from tesoura.store import state
from tesoura.store.state import StreamSession
from tesoura.store.tables import ComputedRow
from tesoura.web.instruments.views import row_of
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("tracks", __name__, url_prefix="/instruments")
SHOWN = 500
PLAYED, CARD = "played", "song_card"
TYPES = {"xspf": "application/xspf+xml", "txt": "text/plain"}


def _music(name: str) -> ComputedRow:
    row = row_of(name)
    if row.kind != "now_playing":
        abort(404)
    return row


def _sessions() -> list[StreamSession]:
    return store().read(state.all_sessions)


def _session() -> StreamSession | None:
    """The session that is asked for, or the present one; None for all of them."""
    asked, found = request.args.get("session", ""), _sessions()
    if asked == "all" or not found:
        return None
    return next((one for one in found if str(one.id) == asked), found[0])


def _played(name: str, session: StreamSession | None, find: str = "") -> list[ListedTrack]:
    """The tracks that counted in a session, or in all, with these words in them; the first played first."""
    wanted, found = find.casefold().split(), []
    for kept in reversed(runtime().call(Runtime.records, name, PLAYED)):
        at, data = kept.record.at, kept.record.data
        length, told = data.get("length_s"), [str(data.get(key) or "") for key in ("title", "artists", "album", "link")]
        length_s = float(length) if isinstance(length, int | float) else None
        one = ListedTrack(at, told[0], told[1], told[2], length_s, told[3])
        if session is not None and not _within(at, session):
            continue
        if all(word in f"{one.words} {one.album}".casefold() for word in wanted):
            found.append(one)
    return found


def _within(at: datetime, session: StreamSession) -> bool:
    return session.started_at <= at and (session.ended_at is None or at < session.ended_at)


@blueprint.post("/first-card")
def first_card() -> ResponseReturnValue:
    """Make the instrument that hears music unless there is one, and an overlay with its card, on air."""
    there = store().read(
        lambda session: [one.name for one in stored.all_computed(session) if one.kind == "now_playing"]
    )
    title = KINDS["now_playing"].fields["title"].default
    name = (
        there[0] if there else act("instrument.new", kind="now_playing", choices={"title": title}).result["instrument"]
    )
    piece = PIECES[CARD]
    width, height = piece.overlay_size
    made = act("overlay.new", name="Song", width_px=width, height_px=height, empty="yes")
    overlay_id = int(made.result["overlay"])
    card = {"now_playing": name, "name": piece.title, "x": 24, "y": 24}
    laid = act("draft.edit", overlay=overlay_id, edits=[{"do": "add", "kind": CARD, "set": card}], window="instruments")
    act("overlay.put_on_air", overlay=overlay_id)
    flash("On air. Copy its link into your streaming software.", "said")
    return redirect(url_for("mat.show", overlay_id=overlay_id, piece=",".join(laid.result["chosen"] or ())))


@blueprint.get("/<name>/played")
def listed(name: str) -> ResponseReturnValue:
    """What was played, the last first."""
    row, session, find = _music(name), _session(), request.args.get("find", "")[:200]
    found = _played(row.name, session, find)
    began = session.started_at if session else None
    rows = [(one, stream_time(one.at, began) if began else "") for one in reversed(found)][:SHOWN]
    return render_template(
        "instruments/now_playing/listed.html",
        row=row,
        rows=rows,
        count=len(found),
        sessions=_sessions(),
        session=session,
        find=find,
        chosen=request.args.get("session", ""),
    )


@blueprint.get("/<name>/played.<form>")
def taken(name: str, form: str) -> ResponseReturnValue:
    """What was played in a session, as a file."""
    row = _music(name)
    if form not in TYPES:
        abort(404)
    session = _session()
    found = _played(row.name, session)
    title = str(row.choices["title"])
    told = xspf(title, found) if form == "xspf" else lines(found, session.started_at if session else None)
    headers = {"Content-Disposition": f'attachment; filename="{row.name}.{form}"'}
    return Response(told, mimetype=TYPES[form], headers=headers)
