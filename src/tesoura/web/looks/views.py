"""Looks: the gallery, making and changing one, and handing one on as design tokens."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from tesoura.actions.looks import MAX_TOKENS
from tesoura.core.forms.meanwhile import marks_of
from tesoura.core.overlays.design_tokens import to_tokens
from tesoura.core.overlays.document import Overlay, Piece, new_piece
from tesoura.core.overlays.looks import COLOURS, FORMS, STYLE_FIELDS, Look
from tesoura.core.overlays.shipped_looks import SHIPPED
from tesoura.core.overlays.typefaces import WEIGHT_WORDS
from tesoura.errors import NotTokens
from tesoura.store import looks as stored
from tesoura.store import overlays as stored_overlays
from tesoura.web.mat.panel import weights_of
from tesoura.web.overlays.css import VARIABLES, sheet
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import store, studio

blueprint = Blueprint("looks", __name__, url_prefix="/looks")
SAMPLE_SAYS: Mapping[str, Mapping[str, str]] = {
    "count": {"": "1,284 kite friends"},
    "slots": {"": "1", "value_1": "17", "value_2": "4"},
    "bar": {"": "1", "level": "0.64", "label": "Road to 2,000", "figure": "64 %"},
    "rows": {
        "": "1",
        "title": "Tonight's spools",
        "name_1": "teacup_ana",
        "amount_1": "96",
        "name_2": "bolt_uncle",
        "amount_2": "48",
        "name_3": "seven_socks",
        "amount_3": "32",
    },
}


def samples(look: Look, form: str, prefix: str) -> Overlay:
    """A small overlay that wears a look."""
    pieces = (
        new_piece("text", f"{prefix}count", look=look.id, x=40, y=36, size_px=46, name="Count"),
        new_piece(
            "slots",
            f"{prefix}slots",
            look=look.id,
            x=40,
            y=144,
            width_px=340,
            height_px=120,
            size_px=44,
            count=2,
            label_1="Cuts",
            label_2="Lost",
        ),
        new_piece(
            "bar",
            f"{prefix}bar",
            look=look.id,
            x=40,
            y=288,
            width_px=340,
            height_px=94,
            size_px=26,
            label="Road",
            figure="64",
        ),
        new_piece(
            "ranking",
            f"{prefix}rows",
            look=look.id,
            x=420,
            y=144,
            width_px=300,
            height_px=238,
            size_px=25,
            ranking="a",
            title="Tonight",
        ),
    )
    return Overlay(760, 420, pieces, form, looks={look.id: look})


def _sample_says(piece: Piece, prefix: str) -> Mapping[str, str]:
    return SAMPLE_SAYS[piece.id.removeprefix(prefix)]


def _shown(look: Look, form: str) -> dict[str, Any]:
    prefix = f"{look.id[:24]}{form[0]}".replace("_", "")
    overlay = samples(look, form, prefix)
    return {
        "look": look,
        "form": form,
        "overlay": overlay,
        "css": sheet(overlay),
        "says": {piece.id: _sample_says(piece, prefix) for piece in overlay.pieces},
    }


def _both(look: Look, first: str) -> list[dict[str, Any]]:
    """A look in both forms, this one first."""
    return [_shown(look, form) for form in (first, *(one for one in FORMS if one != first))]


def _all() -> dict[str, Look]:
    return store().read(stored.all_looks)


def _look(look_id: str) -> Look:
    look = _all().get(look_id)
    if look is None:
        abort(404)
    return look


def _wearers(look_id: str) -> list[str]:
    rows = store().read(
        lambda session: [
            (row.name, stored_overlays.draft_of(session, row).worn()) for row in stored_overlays.all_overlays(session)
        ]
    )
    return [name for name, worn in rows if look_id in worn]


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All looks, each in its dark and its light form."""
    changed = store().read(stored.changed)
    shown = [(look, [_shown(look, form) for form in ("dark", "light")]) for look in _all().values()]
    return render_template("looks/index.html", shown=shown, changed=changed, shipped=SHIPPED, face_rules=_face_rules())


def _face_rules() -> Markup:
    return Markup(studio().face_rules())  # noqa: S704 - names and numbers that were checked


@blueprint.get("/<look_id>")
def edit(look_id: str) -> ResponseReturnValue:
    """One look: its choices beside how it looks."""
    look, form = _look(look_id), request.args.get("form", "dark")
    form = form if form in FORMS else "dark"
    return render_template("looks/edit.html", **_editing(look, form))


def _editing(look: Look, form: str) -> dict[str, Any]:
    style = look.style(form)
    headings: dict[str, list[tuple[str, Any, Any]]] = {}
    for name, field in STYLE_FIELDS.items():
        if field.plays(style):
            headings.setdefault(field.group, []).append((name, field, style[name]))
    return {
        "look": look,
        "form": form,
        "saved": marks_of(look.choices(form)),
        "headings": headings,
        "shown": _both(look, form),
        "typefaces": studio().typefaces(),
        "weights": weights_of(studio().typefaces(), style["typeface"]),
        "weight_words": WEIGHT_WORDS,
        "colours": COLOURS,
        "wearers": _wearers(look.id),
        "shipped": look.id in SHIPPED,
        "changed": look.id in store().read(stored.changed),
        "face_rules": _face_rules(),
    }


@blueprint.post("/<look_id>")
def change(look_id: str) -> ResponseReturnValue:
    """Change a look; every draft that wears it follows."""
    sent = request.get_json(silent=True)
    if not isinstance(sent, dict) or not isinstance(sent.get("set"), dict):
        return {"wrong": {"": "Not sent by the page. Reload it."}}, 400
    form = sent.get("form", "dark")
    was = sent.get("opened_with", {})
    wrong = act("look.change", look=look_id, set=sent["set"], form=form, opened_with=was).result["wrong"]
    changed = _look(look_id)
    shown = render_template("looks/_samples.html", shown=_both(changed, form))
    panel = render_template("looks/_panel.html", **_editing(changed, form))
    return {
        "wrong": wrong,
        "samples": shown,
        "panel": panel,
        "saved": marks_of(changed.choices(form)),
    }, 422 if wrong else 200


@blueprint.get("/<look_id>/tokens.json")
def export(look_id: str) -> ResponseReturnValue:
    """A look as design tokens."""
    look = _look(look_id)
    body = json.dumps(to_tokens(look), indent=1, ensure_ascii=False)
    name = "".join(char if char.isascii() and char.isalnum() else "-" for char in look.name).lower() or "look"
    return Response(
        body, mimetype="application/json", headers={"Content-Disposition": f'attachment; filename="{name}.tokens.json"'}
    )


@blueprint.post("/import")
def bring_in() -> ResponseReturnValue:
    """Make a look of a file of design tokens."""
    sent = request.files.get("file")
    try:
        if sent is None or not sent.filename:
            raise NotTokens("Choose a file first.")
        done = act("look.bring_in", file=sent.read(MAX_TOKENS + 1))
    except NotTokens as error:
        flash(str(error), "wrong")
        return redirect(url_for("looks.index"))
    flash(done.words, "said")
    return redirect(url_for("looks.edit", look_id=done.result["look"]))


@blueprint.get("/style-sheets")
def sheet_help() -> ResponseReturnValue:
    """The classes and variables that a style sheet of one's own may rely on."""
    return render_template("looks/sheet_help.html", variables=VARIABLES)
