"""How two versions of an overlay differ, a short sentence each."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from tesoura.core.overlays.document import LOOK, SHOWN, Overlay, Piece
from tesoura.core.overlays.looks import FORMS, STYLE_FIELDS, Look


@dataclass(frozen=True, slots=True)
class Difference:
    """One difference. `piece` and `field` name what can be sent straight to air; both are empty where nothing can."""

    words: str
    piece: str = ""
    field: str = ""
    name: str = ""


_SETTINGS = {"form": ("Form", {"light": "light", "dark": "dark"}), "motion": ("Motion", {"yes": "on", "no": "off"})}


def differences(draft: Overlay, on_air: Overlay | None) -> list[Difference]:
    """What putting the draft on air would change; empty when they are the same."""
    if on_air is None:
        return [Difference("Nothing is on air yet.")]
    return list(_differences(draft, on_air))


def _differences(draft: Overlay, on_air: Overlay) -> Iterator[Difference]:
    if (draft.width_px, draft.height_px) != (on_air.width_px, on_air.height_px):
        yield Difference(f"Size {on_air.width_px} × {on_air.height_px} → {draft.width_px} × {draft.height_px} px")
    for name, (label, words) in _SETTINGS.items():
        old, new = getattr(on_air, name), getattr(draft, name)
        if old != new:
            yield Difference(f"{label}: {words[old]} → {words[new]}", "", name)
    if draft.css != on_air.css:
        yield Difference("Custom style sheet: changed", "", "css")
    yield from _look_differences(draft, on_air)
    for piece in draft.pieces:
        before = on_air.piece(piece.id)
        if before is None:
            yield Difference(f"{piece.name}: new", piece.id, "", piece.name)
        elif before != piece:
            yield from _piece_differences(piece, before, {**on_air.looks, **draft.looks})
    for gone in on_air.pieces:
        if draft.piece(gone.id) is None:
            yield Difference(f"{gone.name}: deleted", gone.id, "", gone.name)
    if _shared_order(draft.pieces, on_air.pieces) != _shared_order(on_air.pieces, draft.pieces):
        yield Difference("Order changed")


def _look_differences(draft: Overlay, on_air: Overlay) -> Iterator[Difference]:
    for name in sorted(draft.worn() & on_air.worn() & set(draft.looks) & set(on_air.looks)):
        new, old = draft.looks[name], on_air.looks[name]
        changed = [STYLE_FIELDS[one].label.lower() for one in STYLE_FIELDS if _looks_differ(new, old, one)]
        if changed:
            yield Difference(f"Look “{new.name}”: {', '.join(dict.fromkeys(changed))}", "", f"look:{name}")


def _looks_differ(new: Look, old: Look, name: str) -> bool:
    return any(new.style(form)[name] != old.style(form)[name] for form in FORMS)


def _shared_order(pieces: Sequence[Piece], others: Sequence[Piece]) -> list[str]:
    ids = {piece.id for piece in others}
    return [piece.id for piece in pieces if piece.id in ids]


def _piece_differences(piece: Piece, before: Piece, looks: Mapping[str, Look]) -> Iterator[Difference]:
    if piece.kind != before.kind:
        yield Difference(f"{piece.name}: different kind", piece.id, "", piece.name)
        return
    if piece.look != before.look:
        old, new = (looks[one.look].name if one.look in looks else one.look for one in (before, piece))
        yield Difference(f"{piece.name}: look “{old}” → “{new}”", piece.id, "look", piece.name)
    for name, field in piece.kind_of.all_fields.items():
        old, new = before[name], piece[name]
        if old != new:
            unit = f" {field.unit}" if field.unit else ""
            words = f"{piece.name}: {field.label.lower()} {field.brief(old)} → {field.brief(new)}{unit}"
            yield Difference(words, piece.id, name, piece.name)
    for name, field in STYLE_FIELDS.items():
        if piece.style.get(name) != before.style.get(name):
            change = _style_change(field.brief, before.style, piece.style, name)
            yield Difference(f"{piece.name}: {field.label.lower()} {change}", piece.id, name, piece.name)
    for scene in sorted({*piece.scenes, *before.scenes}):
        yield from _scene_differences(piece, before, scene)


def _style_change(brief: Any, old: Mapping[str, Any], new: Mapping[str, Any], name: str) -> str:
    said = [brief(style[name]) if name in style else "use look" for style in (old, new)]
    return " → ".join(said)


def _scene_differences(piece: Piece, before: Piece, scene: str) -> Iterator[Difference]:
    old, new = before.scenes.get(scene, {}), piece.scenes.get(scene, {})
    if old != new:
        names = [name for name in {**old, **new} if old.get(name) != new.get(name)]
        fields = {**piece.kind_of.all_fields, "look": LOOK, "shown": SHOWN}
        what = ", ".join(fields[name].label.lower() for name in names if name in fields)
        yield Difference(f"{piece.name} in {scene}: {what}", piece.id, f"scene:{scene}", piece.name)


def sent_straight(draft: Overlay, on_air: Overlay, difference: Difference) -> Overlay | None:
    """What is on air with this one difference of the draft made; None when it cannot go by itself."""
    name = difference.field
    if not difference.piece:
        if name.startswith("look:"):
            look = name.removeprefix("look:")
            return replace(on_air, looks={**on_air.looks, look: draft.looks[look]})
        return replace(on_air, **{name: getattr(draft, name)}) if name else None
    piece, before = draft.piece(difference.piece), on_air.piece(difference.piece)
    looks = {**draft.looks, **on_air.looks}
    if piece is None:
        return on_air.without([difference.piece])
    if before is None or not name:
        return replace(on_air.with_piece(piece), looks=looks)
    if name.startswith("scene:"):
        scene = name.removeprefix("scene:")
        others = {one: differs for one, differs in before.scenes.items() if one != scene}
        here = {scene: piece.scenes[scene]} if scene in piece.scenes else {}
        return replace(on_air.with_piece(replace(before, scenes={**others, **here})), looks=looks)
    value = piece.look if name == "look" else piece.style.get(name) if name in STYLE_FIELDS else piece[name]
    return replace(on_air.with_piece(before.changed({name: value})), looks=looks)
