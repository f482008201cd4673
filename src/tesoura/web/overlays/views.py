"""Overlays: the list, making one, renaming, duplicating, putting away, and handing one on as a file."""

from __future__ import annotations

from dataclasses import replace

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.bundles.overlay_files import packed, unpacked
from tesoura.core.forms.checks import line
from tesoura.core.overlays.document import SIZES, Overlay, Piece, new_piece, size_problem
from tesoura.core.overlays.shipped_looks import FIRST
from tesoura.core.values import INSTANT, Signal
from tesoura.errors import FileRefused, InvalidField, NewerDocument
from tesoura.runtime.facade import Runtime
from tesoura.store import looks as stored_looks
from tesoura.store import media as stored_media
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.tables import OverlayRow
from tesoura.web.desk.views import cards
from tesoura.web.looks import media
from tesoura.web.mat.views import new_id
from tesoura.web.shared.doors import now, runtime, store, studio

blueprint = Blueprint("overlays", __name__, url_prefix="/overlays")
FIRST_PLACE = (96, 896)


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All overlays."""
    return render_template("overlays/index.html", cards=cards(), archived=store().read(stored.archived))


@blueprint.route("/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """Make an overlay, with a text for a signal when one is named."""
    wanted = request.values.get("signal", "")
    signal = runtime().call(Runtime.signal, wanted) if wanted else None
    if request.method == "GET":
        return render_template(
            "overlays/new.html", signal=signal, name=_suggested_name(signal), wrong=None, sizes=SIZES
        )
    size = request.form.get("size", "1920 × 1080").replace("×", " ").split()
    problem = size_problem(*size) if len(size) == 2 else "Choose a size."
    try:
        name = line(60)(request.form.get("name", ""))
        if problem:
            raise InvalidField(problem)
    except InvalidField as error:
        return render_template("overlays/new.html", signal=signal, name="", wrong=str(error), sizes=SIZES), 422
    at, draft = now(), Overlay(int(size[0]), int(size[1]))
    draft = replace(draft, pieces=(_first_piece(signal, draft),))

    def job(session: Session) -> OnAir:
        return stored.on_air(session, stored.new_overlay(session, name, draft, at))

    on_air = store().write(job)
    put(on_air)
    return redirect(url_for("mat.show", overlay_id=on_air.overlay_id))


def _suggested_name(signal: Signal | None) -> str:
    words = signal.unit or signal.name.partition(".")[2].replace("_", " ") if signal else ""
    return f"{words[:1].upper()}{words[1:]}" or "My overlay"


def _first_piece(signal: Signal | None, draft: Overlay) -> Piece:
    x, y = FIRST_PLACE
    place = {"x": x, "y": y, "size_px": 72}
    if (draft.width_px, draft.height_px) != (1920, 1080):
        size = max(min(72, round(draft.height_px * 0.35)), 21)
        padding = min(24, round(draft.height_px * 0.25))
        place = {"x": round(draft.width_px * 0.05), "y": max(round(draft.height_px * 0.1), 4), "size_px": size,
                 "padding_px": padding}  # fmt: skip
    piece = new_piece("text", new_id(), look=FIRST, **place)
    if signal is None:
        return piece
    number = isinstance(signal.value, int | float)
    form, unit = (":time", "") if signal.unit == INSTANT else (":," if number else "", signal.unit)
    wording = f"{{{signal.name}{form}}} {unit}".strip()
    nothing_yet = f"— {unit}".strip()
    return piece.changed({"wording": wording, "nothing_yet": nothing_yet, "name": _suggested_name(signal)})


def put(on_air: OnAir) -> None:
    """Put a version on air, and tell the desks."""

    async def on_loop(self: Runtime) -> None:
        await self.stage.put(on_air)
        self.touched("overlays")

    runtime().call(on_loop)


def row_of(overlay_id: int) -> OverlayRow:
    """An overlay's row, or the page that says that there is none."""
    row = store().read(lambda session: stored.get(session, overlay_id))
    if row is None:
        abort(404)
    return row


@blueprint.post("/<int:overlay_id>/rename")
def rename(overlay_id: int) -> ResponseReturnValue:
    """Give an overlay another name."""
    row = row_of(overlay_id)
    try:
        name = line(60)(request.form.get("name", ""))
    except InvalidField as error:
        flash(str(error), "wrong")
        return redirect(url_for("links.show", overlay_id=overlay_id))

    def job(session: Session) -> OnAir:
        present = session.get(OverlayRow, row.id)
        assert present is not None
        present.name = name
        session.add(present)
        return stored.on_air(session, present)

    put(store().write(job))
    return redirect(url_for("links.show", overlay_id=overlay_id))


@blueprint.post("/<int:overlay_id>/duplicate")
def duplicate(overlay_id: int) -> ResponseReturnValue:
    """Make another overlay with the same draft and a link of its own; nothing of it is on air."""
    at = now()

    def job(session: Session) -> OnAir | None:
        row = stored.get(session, overlay_id)
        if row is None:
            return None
        twin = stored.new_overlay(session, _free(session, row.name), stored.draft_of(session, row), at)
        return stored.on_air(session, twin)

    on_air = store().write(job)
    if on_air is None:
        abort(404)
    put(on_air)
    flash(f"{on_air.name} was made. Viewers see nothing of it yet.", "said")
    return redirect(url_for("mat.show", overlay_id=on_air.overlay_id))


def _free(session: Session, name: str) -> str:
    taken = {row.name for row in stored.all_overlays(session)}
    number, free = 2, name
    while free in taken:
        free, number = f"{name[:55]} {number}", number + 1
    return free


@blueprint.post("/<int:overlay_id>/remove")
def remove(overlay_id: int) -> ResponseReturnValue:
    """Put an overlay away; its link stops."""
    row, at = row_of(overlay_id), now()

    def job(session: Session) -> None:
        present = session.get(OverlayRow, row.id)
        if present is not None:
            present.removed_at = at
            session.add(present)

    store().write(job)
    why = f"“{row.name}” was put away in Tesoura. Bring it back there, and this link shows it again."
    runtime().call(lambda self: self.stage.take_off(overlay_id, why))
    back = url_for("overlays.restore", overlay_id=row.id)
    flash(f"{row.name} was put away; its link shows nothing now.", f"undo:{back}")
    return redirect(url_for("overlays.index"))


@blueprint.post("/<int:overlay_id>/restore")
def restore(overlay_id: int) -> ResponseReturnValue:
    """Bring an overlay back that was put away, with the same link."""

    def job(session: Session) -> OnAir | None:
        row = session.get(OverlayRow, overlay_id)
        if row is None:
            return None
        row.removed_at = None
        session.add(row)
        return stored.on_air(session, row)

    on_air = store().write(job)
    if on_air is None:
        abort(404)
    put(on_air)
    flash(f"{on_air.name} is back, with the link it had.", "said")
    return redirect(url_for("mat.show", overlay_id=overlay_id))


# As a file


@blueprint.get("/<int:overlay_id>/export")
def export(overlay_id: int) -> ResponseReturnValue:
    """An overlay as one file, with its pictures, looks and typefaces; without its link and without keys."""
    row = row_of(overlay_id)
    draft, rows = store().read(lambda session: (stored.draft_of(session, row), list(stored_media.all_media(session))))
    data = packed(row.name, draft, rows, store().folder)
    name = "".join(char if char.isalnum() else "-" for char in row.name).strip("-").lower() or "overlay"
    return Response(
        data, mimetype="application/zip", headers={"Content-Disposition": f'attachment; filename="{_plain(name)}.zip"'}
    )


def _plain(name: str) -> str:
    return name.encode("ascii", "ignore").decode() or "overlay"


@blueprint.post("/import")
def bring_in() -> ResponseReturnValue:
    """Make an overlay of such a file."""
    try:
        sent = request.files.get("file")
        if sent is None or not sent.filename:
            raise FileRefused("Choose a file first.")
        came = unpacked(sent.read())
        for kind, title, data in came.files:
            media.keep(kind, title, data)
    except (FileRefused, NewerDocument) as error:
        flash(str(error), "wrong")
        return redirect(url_for("overlays.index"))
    at = now()

    def job(session: Session) -> OnAir:
        there = stored_looks.all_looks(session)
        for name, look in came.overlay.looks.items():
            if name not in there:
                stored_looks.keep(session, look, at)
        return stored.on_air(session, stored.new_overlay(session, _free(session, came.name), came.overlay, at))

    on_air = store().write(job)
    studio().faces.forget()
    put(on_air)
    flash(f"{on_air.name} was brought in. Viewers see nothing of it yet.", "said")
    return redirect(url_for("mat.show", overlay_id=on_air.overlay_id))
