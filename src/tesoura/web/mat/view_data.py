"""What the mat's templates and scripts are given: the draft as it lies, and what the panel offers."""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import cache
from typing import Any

from markupsafe import Markup

from tesoura.core.language.functions import FUNCTIONS
from tesoura.core.language.numbers import NAMED
from tesoura.core.names import closest
from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.overlays.fit.findings import Finding
from tesoura.core.overlays.typefaces import WEIGHT_WORDS
from tesoura.core.values import Signal
from tesoura.runtime.facade import Runtime
from tesoura.studio.previews import PiecePreview
from tesoura.studio.workshop import shipped_scenes
from tesoura.uploads.sheets import checked
from tesoura.web.looks import media
from tesoura.web.mat.draft import DraftView
from tesoura.web.mat.panel import panel, weights_of
from tesoura.web.shared.doors import runtime, studio

WITH_WORDS = (
    ("live", "live values"),
    ("made_up", "made-up values"),
    ("longest", "longest values"),
    ("empty", "nothing yet"),
    ("down", "feed down"),
)


def scenery() -> list[tuple[str, str, str]]:
    """The scene pictures to lay overlays over: name, title, address."""
    shipped = [(name, str(one["title"]), f"/static/scenes/{name}.svg") for name, one in shipped_scenes().items()]
    return [*shipped, *((row.name, row.title, f"/media/{row.name}") for row in media.all_of("scenery"))]


def scenes_of(draft: Overlay) -> list[str]:
    """The scenes to step through: those there are, and those in which something differs."""
    return list(dict.fromkeys([*runtime().call(lambda self: self.scenes()), *draft.scenes()]))


def view(there: DraftView, chosen: Sequence[str], scene: str, shown_with: str) -> dict[str, Any]:
    """What the templates of the mat are given."""
    pieces = [piece.in_scene(scene) for piece in there.draft.pieces]
    picked = [piece for piece in pieces if piece.id in chosen]
    return {
        "row": there.row,
        "draft": there.draft,
        "pieces": pieces,
        "chosen": picked,
        "scene": scene,
        "sights": there.sights,
        "shown_with": shown_with,
        "steps": there.steps,
        "on_air": there.on_air,
        "findings": there.findings,
        "differences": there.differences,
        "panel": panel(picked[0], there.draft, scene) if len(picked) == 1 else None,
        "notes": notes(picked[0], there.sights[picked[0].id]) if len(picked) == 1 else [],
        "audience": runtime().call(lambda self: self.hub.audience(there.on_air.overlay_id)),
        "own_wrong": checked(there.draft.css).wrong,
        "looks": there.draft.looks,
        **(_faces(picked[0], there.draft) if len(picked) == 1 else {}),
        **_offered(),
    }


def _faces(piece: Piece, draft: Overlay) -> dict[str, Any]:
    typefaces = studio().typefaces()
    family = piece.styled(draft.looks, draft.form)["typeface"]
    return {"typefaces": typefaces, "weights": weights_of(typefaces, family)}


def _offered() -> dict[str, Any]:
    """What the panel offers, each looked up when it is shown."""
    return {
        "functions": FUNCTIONS,
        "formats": NAMED,
        "weight_words": WEIGHT_WORDS,
        "signals": cache(lambda: runtime().call(Runtime.signals)),
        "face_rules": lambda: Markup(studio().face_rules()),  # noqa: S704 - names and numbers that were checked
        "files_of": media.all_of,
        "rankings": lambda signals: _rankings(signals()),
        "ready_wordings": cache(_ready_wordings),
    }


def _rankings(signals: Sequence[Signal]) -> list[str]:
    """The windows that rank, by name."""
    ending = ".top_1_name"
    return [one.name.removesuffix(ending) for one in signals if one.name.endswith(ending)]


def _ready_wordings(of: str) -> list[tuple[str, list[tuple[str, str, str]]]]:
    """What instruments offer under this word: of each that offers any, the words, what the piece is given, and the
    wording in that."""
    found = []
    for one in runtime().call(lambda self: self.instruments.setups("instruments")):
        if ready := one.kind_of.ready_wordings(of, one.name):
            told = [(words, json.dumps(dict(given)), given.get("value", "")) for words, given in ready]
            found.append((one.title, told))
    return found


def notes(piece: Piece, sight: PiecePreview) -> list[str]:
    """What the user should know about what a piece says."""
    names = [one.name for one in runtime().call(Runtime.signals)]
    found = []
    unknown = [name for name in sorted(sight.reads) if name not in names]
    for name in unknown:
        near = closest(name, names)
        hint = f"Did you mean {near}?" if near else "See the list under “Signals, functions, formats”."
        where = f"Column {sight.reads[name]}: there" if piece.kind == "text" else "There"
        found.append(f"{where} is no signal {name}. {hint}")
    shown = sight.shown
    if shown.missing and shown.missing not in unknown:
        found.append(f"{shown.missing} has no value yet, so the “nothing yet” text is shown.")
    if shown.problem:
        instead = "The “nothing yet” text is shown instead." if shown.text else "The piece is hidden."
        found.append(f"{shown.problem} {instead}")
    if piece.is_moment:
        kind = piece.moment_type
        when = f"when “{kind}” happens" if kind else "once you choose an event"
        found.append(f"Visible for {piece['moment_s']} s {when}, otherwise hidden.")
    return found


def boxes_of(there: DraftView, scene: str) -> dict[str, Any]:
    """Where each piece lies now and with its reserve of digits used up, px."""
    found = {}
    for whole in there.draft.pieces:
        piece, says = whole.in_scene(scene), there.sights[whole.id].says
        now_, grown = (studio().box(piece, there.draft, says[state].get("", "")) for state in ("live", "grown"))
        found[piece.id] = {
            "x": now_.x,
            "y": now_.y,
            "width": now_.width,
            "height": now_.height,
            "pinned": piece["pinned"] == "yes",
            "held": [piece["x"], piece["y"]],
            "sized": piece.kind_of.sized,
            "group": piece["group"],
            "name": piece.name,
            "size": [piece["width_px"], piece["height_px"], piece.choices.get("size_px", 0)],
            "reserve": [max(now_.x - grown.x, 0), max(grown.right - now_.right, 0)],
        }
    return found


def marked(findings: Sequence[Finding], scene: str) -> list[dict[str, Any]]:
    """What does not fit in a scene, to be marked on the mat."""
    return [
        {"piece": one.piece, "box": [one.box.x, one.box.y, one.box.width, one.box.height]}
        for one in findings
        if (scene in one.scenes or one.scenes == ("",)) and not one.asks
    ]
