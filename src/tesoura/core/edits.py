"""Edits of a draft: small steps that are told in words, can be taken back, and name what they touched."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from tesoura.core.checks import InvalidField, choice, text, whole
from tesoura.core.fields import InvalidPiece
from tesoura.core.fit.boxes import Box, hull
from tesoura.core.looks import STYLE_FIELDS
from tesoura.core.overlays import (
    LOOK,
    MAX_PIECES,
    PLACE_FIELDS,
    SHOWN,
    Overlay,
    Piece,
    new_piece,
    piece_document,
    piece_from_document,
    size_problem,
)
from tesoura.core.pieces import KINDS
from tesoura.core.pieces.kind import MAX_SIDE_PX
from tesoura.core.shipped_looks import FIRST

Boxes = Callable[[Piece], Box]
MAX_CSS = 20_000


class NotAnEdit(ValueError):
    """What was sent is no edit that there is."""


class Gone(LookupError):
    """The piece that was to be edited is no longer there."""


@dataclass(frozen=True, slots=True)
class Edited:
    """A draft after an edit: what was done, in words; which pieces and fields it touched; what could not be done.

    `chosen` are the pieces to choose afterwards, `wrong` maps fields to what is wrong with what was typed.
    """

    overlay: Overlay
    words: str
    touched: frozenset[tuple[str, str]] = frozenset()
    chosen: tuple[str, ...] | None = None
    wrong: Mapping[str, str] = field(default_factory=dict)


def apply(overlay: Overlay, edit: Mapping[str, Any], boxes: Boxes, new_id: Callable[[], str]) -> Edited:
    """Make one edit. Raises NotAnEdit, Gone, or InvalidPiece when nothing of it can be done."""
    make = _EDITS.get(str(edit.get("do")))
    if make is None:
        raise NotAnEdit("This was not sent by the mat. Load the page again.")
    return make(overlay, edit, _Tools(boxes, new_id))


@dataclass(frozen=True, slots=True)
class _Tools:
    boxes: Boxes
    new_id: Callable[[], str]


def _chosen(overlay: Overlay, edit: Mapping[str, Any]) -> list[Piece]:
    ids = edit.get("pieces")
    if not isinstance(ids, list) or not ids:
        raise NotAnEdit("Choose a piece first.")
    found = [overlay.piece(str(one)) for one in ids]
    if None in found:
        raise Gone("A piece was taken away meanwhile, in another window perhaps. Undo brings it back.")
    return [piece for piece in found if piece is not None]


def _scene(edit: Mapping[str, Any]) -> str:
    return " ".join(str(edit.get("scene") or "").split())[:60]


def _names(pieces: Sequence[Piece]) -> str:
    return f"“{pieces[0].name}”" if len(pieces) == 1 else f"{len(pieces)} pieces"


def _where(scene: str) -> str:
    return f" in {scene}" if scene else ""


def _loose(pieces: Sequence[Piece], touched: Sequence[str]) -> None:
    pinned = [piece.name for piece in pieces if piece["pinned"] == "yes"]
    if pinned and any(name in PLACE_FIELDS for name in touched):
        raise InvalidPiece(dict.fromkeys(touched, f"“{pinned[0]}” is pinned. Unpin it to move it."))


# One piece or several: their choices


def _change(overlay: Overlay, edit: Mapping[str, Any], _: _Tools) -> Edited:
    """`set` holds the choices, the same for each of the pieces; the wrong ones are told, the others made."""
    pieces, scene, given = _chosen(overlay, edit), _scene(edit), edit.get("set")
    if not isinstance(given, dict) or not given:
        raise NotAnEdit("This was not sent by the mat. Load the page again.")
    _loose(pieces, list(given))
    wrong: dict[str, str] = {}
    for piece in pieces:
        try:
            changed = piece.changed(given, scene)
        except InvalidPiece as error:
            wrong |= error.wrong
            changed = piece.changed({name: raw for name, raw in given.items() if name not in error.wrong}, scene)
        overlay = overlay.with_piece(changed)
    made = [name for name in given if name not in wrong]
    labels = ", ".join(dict.fromkeys(_label(pieces[0], name) for name in made))
    touched = frozenset((piece.id, name) for piece in pieces for name in made)
    return Edited(overlay, f"{_names(pieces)}: {labels}{_where(scene)}" if made else "", touched, None, wrong)


def _label(piece: Piece, name: str) -> str:
    found = {"look": LOOK, "shown": SHOWN}.get(name) or piece.kind_of.all_fields.get(name) or STYLE_FIELDS.get(name)
    return found.label.lower() if found else name


def _place(overlay: Overlay, edit: Mapping[str, Any], _: _Tools) -> Edited:
    """`places` holds where each piece goes, and how large it becomes there."""
    places, scene = edit.get("places"), _scene(edit)
    if not isinstance(places, dict) or not all(isinstance(place, dict) for place in places.values()):
        raise NotAnEdit("This was not sent by the mat. Load the page again.")
    pieces = _chosen(overlay, {"pieces": list(places)})
    _loose(pieces, ["x"])
    touched = set()
    for piece in pieces:
        place = {name: raw for name, raw in places[piece.id].items() if name in PLACE_FIELDS}
        overlay = overlay.with_piece(piece.changed(place, scene))
        touched |= {(piece.id, name) for name in place}
    sized = any(name not in ("x", "y") for _, name in touched)
    words = f"{_names(pieces)}: {'resized' if sized else 'moved'}{_where(scene)}"
    return Edited(overlay, words, frozenset(touched))


# Together: aligning, distributing, order


_LINES: Mapping[str, tuple[str, Callable[[Box, Box], float]]] = {
    "left": ("x", lambda box, all_: all_.x - box.x),
    "centre": ("x", lambda box, all_: all_.x + all_.width / 2 - box.x - box.width / 2),
    "right": ("x", lambda box, all_: all_.right - box.right),
    "top": ("y", lambda box, all_: all_.y - box.y),
    "middle": ("y", lambda box, all_: all_.y + all_.height / 2 - box.y - box.height / 2),
    "bottom": ("y", lambda box, all_: all_.bottom - box.bottom),
}


def _align(overlay: Overlay, edit: Mapping[str, Any], tools: _Tools) -> Edited:
    """Lay edges or middles on one line: with each other, or a single piece with the overlay."""
    pieces, scene, to = _chosen(overlay, edit), _scene(edit), str(edit.get("to"))
    if to not in _LINES:
        raise NotAnEdit(f"There is no side “{to[:20]}” to lay them on.")
    _loose(pieces, ["x"])
    laid = [piece.in_scene(scene) for piece in pieces]
    whole_overlay = Box(0, 0, overlay.width_px, overlay.height_px)
    room = hull(map(tools.boxes, laid)) if len(pieces) > 1 else whole_overlay
    axis, way = _LINES[to]
    for piece, here in zip(pieces, laid, strict=True):
        overlay = overlay.with_piece(piece.changed({axis: here[axis] + way(tools.boxes(here), room)}, scene))
    touched = frozenset((piece.id, axis) for piece in pieces)
    return Edited(overlay, f"{_names(pieces)}: laid on one line, {to}{_where(scene)}", touched)


def _distribute(overlay: Overlay, edit: Mapping[str, Any], tools: _Tools) -> Edited:
    """Make the spaces between pieces equal, the outermost staying where they are."""
    pieces, scene, axis = _chosen(overlay, edit), _scene(edit), str(edit.get("along"))
    if axis not in ("x", "y"):
        raise NotAnEdit("Pieces are spaced across or down.")
    if len(pieces) < 3:
        raise InvalidPiece({"": "Choose three pieces or more: the spaces between them become equal."})
    _loose(pieces, ["x"])
    side = "width" if axis == "x" else "height"
    laid = sorted(
        ((tools.boxes(piece.in_scene(scene)), piece) for piece in pieces), key=lambda one: getattr(one[0], axis)
    )
    room = hull(box for box, _ in laid)
    space = (getattr(room, side) - sum(getattr(box, side) for box, _ in laid)) / (len(laid) - 1)
    at = getattr(room, axis)
    for box, piece in laid:
        here = piece.in_scene(scene)[axis]
        overlay = overlay.with_piece(piece.changed({axis: here + at - getattr(box, axis)}, scene))
        at += getattr(box, side) + space
    touched = frozenset((piece.id, axis) for piece in pieces)
    return Edited(overlay, f"{_names(pieces)}: equal spaces{_where(scene)}", touched)


def _order(overlay: Overlay, edit: Mapping[str, Any], _: _Tools) -> Edited:
    """Bring pieces to the front, the back, a step forward or backward, or just in front of another."""
    pieces, to = _chosen(overlay, edit), edit.get("to")
    ids = [piece.id for piece in overlay.pieces]
    moved = [one for one in ids if one in {piece.id for piece in pieces}]
    others = [one for one in ids if one not in moved]
    if (before := edit.get("before")) is not None:
        if before not in others:
            raise Gone("The piece that it was to lie in front of is gone.")
        at = others.index(before) + 1
    else:
        first = ids.index(moved[0])
        behind = sum(one in others for one in ids[:first])
        steps = {
            "front": len(others),
            "back": 0,
            "forward": min(behind + 1, len(others)),
            "backward": max(behind - 1, 0),
        }
        if to not in steps:
            raise NotAnEdit("Pieces go to the front, to the back, forward or backward.")
        at = steps[to]
    by_id = {piece.id: piece for piece in overlay.pieces}
    ordered = [*others[:at], *moved, *others[at:]]
    words = f"{_names(pieces)}: another place in the order"
    return Edited(replace(overlay, pieces=tuple(by_id[one] for one in ordered)), words)


# Coming and going


def _add(overlay: Overlay, edit: Mapping[str, Any], tools: _Tools) -> Edited:
    """Add a piece of a kind, with choices already made for it."""
    kind = KINDS.get(str(edit.get("kind")))
    if kind is None:
        raise NotAnEdit("There is no such kind of piece.")
    given = edit.get("set") if isinstance(edit.get("set"), dict) else {}
    place = _first_place(overlay, kind.size)
    first: dict[str, Any] = {"look": FIRST, **place, "name": _free_name(overlay, kind.title)}
    piece = new_piece(kind.name, tools.new_id(), **{**first, **(given or {})})
    return Edited(overlay.with_piece(piece), f"“{piece.name}”: added", frozenset(), (piece.id,))


def _first_place(overlay: Overlay, size: tuple[int, int]) -> dict[str, Any]:
    steps = len(overlay.pieces) % 6
    place: dict[str, Any] = {"x": round(overlay.width_px * 0.05), "y": round(overlay.height_px * (0.09 + 0.12 * steps))}
    if size[0]:
        scale = min(1.0, overlay.width_px * 0.9 / size[0], overlay.height_px * 0.9 / size[1])
        width, height = round(size[0] * scale), round(size[1] * scale)
        place |= {"width_px": width, "height_px": height, "y": max(min(place["y"], overlay.height_px - height), 0)}
    return place


def _free_name(overlay: Overlay, name: str) -> str:
    taken = {piece.name for piece in overlay.pieces}
    number, free = 2, name
    while free in taken:
        free, number = f"{name} {number}", number + 1
    return free[:60]


def _remove(overlay: Overlay, edit: Mapping[str, Any], _: _Tools) -> Edited:
    pieces = _chosen(overlay, edit)
    return Edited(overlay.without([piece.id for piece in pieces]), f"{_names(pieces)}: taken away",
                  frozenset((piece.id, "") for piece in pieces), ())  # fmt: skip


COPIED_BY_PX = 24


def _duplicate(overlay: Overlay, edit: Mapping[str, Any], tools: _Tools) -> Edited:
    pieces = _chosen(overlay, edit)
    return _copies(overlay, pieces, tools, f"{_names(pieces)}: duplicated")


def _paste(overlay: Overlay, edit: Mapping[str, Any], tools: _Tools) -> Edited:
    """Lay copies of pieces on the mat, as they were copied, from this overlay or another."""
    given = edit.get("copies")
    found = (
        [piece_from_document(one) for one in given if isinstance(one, dict) and "id" in one]
        if isinstance(given, list)
        else []
    )
    pieces = [piece for piece in found if piece is not None]
    if not pieces:
        raise InvalidPiece({"": "Nothing was copied yet. Choose a piece and copy it first."})
    return _copies(overlay, pieces, tools, f"{_names(pieces)}: laid on the mat")


def _copies(overlay: Overlay, pieces: Sequence[Piece], tools: _Tools, words: str) -> Edited:
    if len(overlay.pieces) + len(pieces) > MAX_PIECES:
        raise InvalidPiece({"": f"An overlay holds {MAX_PIECES} pieces at most. Make a second overlay."})
    made: list[str] = []
    groups: dict[str, str] = {}
    for piece in pieces:
        copied = replace(piece, id=tools.new_id())
        group = piece["group"]
        if group:
            groups.setdefault(group, _free_group(overlay, group))
        at = {name: max(min(piece[name] + COPIED_BY_PX, MAX_SIDE_PX), -MAX_SIDE_PX) for name in ("x", "y")}
        copied = copied.changed(
            {**at, "name": _free_name(overlay, piece.name), "pinned": "no", "group": groups.get(group, "")}
        )
        overlay = overlay.with_piece(copied)
        made.append(copied.id)
    return Edited(overlay, words, frozenset(), tuple(made))


def _free_group(overlay: Overlay, name: str) -> str:
    taken = {piece["group"] for piece in overlay.pieces}
    number, free = 2, name
    while free in taken:
        free, number = f"{name} {number}", number + 1
    return free[:40]


def copied(overlay: Overlay, piece_ids: Sequence[str]) -> list[dict[str, Any]]:
    """Pieces as they can be laid on a mat again."""
    return [piece_document(piece) for piece in overlay.pieces if piece.id in piece_ids]


def _group(overlay: Overlay, edit: Mapping[str, Any], _: _Tools) -> Edited:
    """Make one group of pieces, or with `off` free them."""
    pieces = _chosen(overlay, edit)
    if edit.get("off"):
        name = ""
    else:
        if len(pieces) < 2:
            raise InvalidPiece({"": "Choose two pieces or more to make a group of them."})
        name = _free_group(overlay, "Group")
    for piece in pieces:
        overlay = overlay.with_piece(piece.changed({"group": name}))
    words = f"{_names(pieces)}: {'grouped' if name else 'no group any more'}"
    return Edited(overlay, words, frozenset((piece.id, "group") for piece in pieces))


# The overlay itself


def _size(overlay: Overlay, edit: Mapping[str, Any], _: _Tools) -> Edited:
    """Give the overlay another size; with `scale` its pieces go along, texts by their font size."""
    width, height = edit.get("width_px"), edit.get("height_px")
    if problem := size_problem(width, height):
        raise InvalidPiece({"size": problem})
    new = replace(overlay, width_px=round(float(str(width))), height_px=round(float(str(height))))
    if edit.get("scale"):
        by = min(new.width_px / overlay.width_px, new.height_px / overlay.height_px)
        across = (new.width_px - overlay.width_px * by) / 2
        down = (new.height_px - overlay.height_px * by) / 2
        new = replace(new, pieces=tuple(_scaled(piece, by, across, down) for piece in overlay.pieces))
        new = replace(new, guides=tuple((axis, round(at * by + (across if axis == "x" else down)))
                                        for axis, at in overlay.guides))  # fmt: skip
    return Edited(new, f"Size: {new.width_px} × {new.height_px} px", frozenset({("", "size")}))


_SCALED_STYLE = ("corner_px", "padding_px", "gap_px", "edge_px", "shadow_px", "shadow_blur_px", "glow_px", "outline_px")
_SCALED = ("width_px", "height_px", "size_px", "frame_px")


def _scaled(piece: Piece, by: float, across: float, down: float) -> Piece:
    def place(values: Mapping[str, Any]) -> dict[str, Any]:
        new = {name: round(values[name] * by) for name in _SCALED if values.get(name)}
        if "size_px" in new:
            new["size_px"] = max(new["size_px"], 8)
        if "x" in values:
            new["x"] = round(values["x"] * by + across)
        if "y" in values:
            new["y"] = round(values["y"] * by + down)
        return new

    style = {name: round(piece.style[name] * by) for name in _SCALED_STYLE if name in piece.style}
    piece = piece.changed({**place(piece.choices), **style})
    for scene, differs in piece.scenes.items():
        if moved := place(differs):
            piece = piece.changed(moved, scene)
    return piece


_SETTINGS: Mapping[str, Callable[[object], Any]] = {
    "form": choice(("light", "dark")),
    "motion": choice(("yes", "no")),
    "safe": choice(("yes", "no")),
    "scenery": lambda raw: str(raw).strip()[:80],
    "css": text(MAX_CSS, empty=True),
}
_SETTING_WORDS = {"form": "light or dark form", "motion": "motion", "safe": "safe area", "scenery": "scene picture",
                  "css": "style sheet of its own"}  # fmt: skip


def _settings(overlay: Overlay, edit: Mapping[str, Any], _: _Tools) -> Edited:
    given = edit.get("set")
    if not isinstance(given, dict) or not given or not set(given) <= set(_SETTINGS):
        raise NotAnEdit("This was not sent by the mat. Load the page again.")
    try:
        good = {name: _SETTINGS[name](raw) for name, raw in given.items()}
    except InvalidField as error:
        raise InvalidPiece(dict.fromkeys(given, str(error))) from None
    words = ", ".join(_SETTING_WORDS[name] for name in good)
    return Edited(replace(overlay, **good), f"Overlay: {words}", frozenset(("", name) for name in good))


def _guides(overlay: Overlay, edit: Mapping[str, Any], _: _Tools) -> Edited:
    """All guides anew, each an axis and a place."""
    given = edit.get("guides")
    if not isinstance(given, list) or len(given) > 40:
        raise NotAnEdit("At most 40 guides fit.")
    try:
        guides = tuple(sorted({(choice(("x", "y"))(axis), whole(0, MAX_SIDE_PX)(at)) for axis, at in given}))
    except (InvalidField, TypeError, ValueError) as error:
        raise InvalidPiece({"guides": str(error)}) from None
    return Edited(replace(overlay, guides=guides), "Guides", frozenset({("", "guides")}))


_EDITS: Mapping[str, Callable[[Overlay, Mapping[str, Any], _Tools], Edited]] = {
    "change": _change, "place": _place, "align": _align, "distribute": _distribute, "order": _order, "add": _add,
    "remove": _remove, "duplicate": _duplicate, "paste": _paste, "group": _group, "size": _size,
    "settings": _settings, "guides": _guides,
}  # fmt: skip


def apply_all(overlay: Overlay, edits: Sequence[Mapping[str, Any]], boxes: Boxes, new_id: Callable[[], str]) -> Edited:
    """Make edits one after another, as one."""
    said: list[str] = []
    touched: frozenset[tuple[str, str]] = frozenset()
    chosen: tuple[str, ...] | None = None
    wrong: dict[str, str] = {}
    for edit in edits:
        done = apply(overlay, edit, boxes, new_id)
        overlay, touched, chosen = done.overlay, touched | done.touched, done.chosen or chosen
        wrong |= done.wrong
        said += [done.words] if done.words else []
    return Edited(overlay, "; ".join(dict.fromkeys(said))[:200], touched, chosen, wrong)


def conflicts(mine: frozenset[tuple[str, str]], others: Iterable[tuple[str, frozenset[tuple[str, str]]]]) -> list[str]:
    """What others did meanwhile to the same fields of the same pieces, in their words."""
    return [words for words, touched in others if touched & mine]
