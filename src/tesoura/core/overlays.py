"""Overlays as documents: their pieces, what may stand in each field, and how two versions differ."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, fields, replace
from typing import Any

from tesoura.core.checks import InvalidField, choice, colour, line, text, whole
from tesoura.core.scope import FormulaError
from tesoura.core.texts import Say
from tesoura.core.wording import MAX_GROWTH, MAX_WORDING, compile_wording

MAX_SIDE_PX = 8_192
MAX_PIECES = 100
MAX_SHELF = 20
DOCUMENT_VERSION = 1


@dataclass(frozen=True, slots=True)
class Typeface:
    """A shipped family and the weights it has."""

    family: str
    weights: tuple[int, ...]


TYPEFACES = (
    Typeface("Atkinson Hyperlegible", (200, 300, 400, 500, 600, 700, 800)),
    Typeface("Big Shoulders", (100, 200, 300, 400, 500, 600, 700, 800, 900)),
    Typeface("Bitter", (100, 200, 300, 400, 500, 600, 700, 800, 900)),
    Typeface("Bricolage Grotesque", (200, 300, 400, 500, 600, 700, 800)),
    Typeface("Caveat", (400, 500, 600, 700)),
    Typeface("Fredoka", (300, 400, 500, 600, 700)),
    Typeface("JetBrains Mono", (100, 200, 300, 400, 500, 600, 700, 800)),
    Typeface("Oswald", (200, 300, 400, 500, 600, 700)),
    Typeface("Righteous", (400,)),
    Typeface("Rubik", (300, 400, 500, 600, 700, 800, 900)),
    Typeface("Sora", (100, 200, 300, 400, 500, 600, 700, 800)),
    Typeface("Space Grotesk", (300, 400, 500, 600, 700)),
    Typeface("Young Serif", (400,)),
)
WEIGHT_WORDS = {
    100: "thin", 200: "extra light", 300: "light", 400: "regular", 500: "medium",
    600: "semi-bold", 700: "bold", 800: "extra bold", 900: "black",
}  # fmt: skip
SIDES = ("right", "left", "both")
WHEN_STALE = ("keep", "with_age", "nothing_yet", "hide")
APPEARS = ("always", "moment")
ALIGNMENTS = ("left", "centre", "right")


def _wording(raw: object) -> str:
    source = text(MAX_WORDING)(raw)
    try:
        compile_wording(source)
    except FormulaError as error:
        raise InvalidField(str(error)) from None
    return source


@dataclass(frozen=True, slots=True)
class Field:
    """One choice of a piece: its label, its unit, and the check that turns what was typed into a value."""

    label: str
    check: Callable[[object], Any]
    unit: str = ""


TEXT_FIELDS: Mapping[str, Field] = {
    "name": Field("Name", line(60)),
    "wording": Field("Wording", _wording),
    "nothing_yet": Field("Nothing yet", text(200, empty=True)),
    "when_late": Field("When late", choice(WHEN_STALE)),
    "when_down": Field("When down", choice(WHEN_STALE)),
    "appears": Field("Appears", choice(APPEARS)),
    "moment_type": Field("When this happens", text(120, empty=True)),
    "moment_s": Field("For", whole(1, 120), "s"),
    "x": Field("Across", whole(-MAX_SIDE_PX, MAX_SIDE_PX), "px"),
    "y": Field("Down", whole(-MAX_SIDE_PX, MAX_SIDE_PX), "px"),
    "typeface": Field("Typeface", choice([face.family for face in TYPEFACES])),
    "size_px": Field("Size", whole(8, 1_000), "px"),
    "weight": Field("Weight", whole(100, 900)),
    "colour": Field("Colour", colour),
    "align": Field("Lines", choice(ALIGNMENTS)),
    "backing_colour": Field("Backing", colour),
    "backing_opacity_pct": Field("Opacity", whole(0, 100), "%"),
    "corner_px": Field("Corners", whole(0, 500), "px"),
    "padding_px": Field("Padding", whole(0, 500), "px"),
    "grow_toward": Field("Grows toward", choice(SIDES)),
    "grow_digits": Field("Room for", whole(0, MAX_GROWTH), "more digits"),
}


@dataclass(frozen=True, slots=True)
class TextPiece:
    """A text on an overlay.

    `x` and `y` (px from the overlay's top left) are where the piece is held: its top left corner when it grows to the
    right, its top right when it grows to the left, the middle of its top when it grows to both sides. One that appears
    as a `moment` is empty until an event of `moment_type` comes, and then shows its words for `moment_s` seconds.
    """

    id: str
    name: str = "Text"
    wording: str = "Your words here"
    nothing_yet: str = "—"
    when_late: str = "keep"
    when_down: str = "keep"
    appears: str = "always"
    moment_type: str = ""
    moment_s: int = 6
    x: int = 96
    y: int = 96
    typeface: str = "Bricolage Grotesque"
    size_px: int = 72
    weight: int = 700
    colour: str = "#FFFDF8"
    align: str = "left"
    backing_colour: str = "#1E2A38"
    backing_opacity_pct: int = 85
    corner_px: int = 14
    padding_px: int = 24
    grow_toward: str = "right"
    grow_digits: int = 1

    def compiled(self) -> Say:
        """What the piece says, ready to render."""
        return Say(compile_wording(self.wording), self.nothing_yet, self.when_late, self.when_down)

    def changed(self, choices: Mapping[str, object]) -> TextPiece:
        """The piece with these choices checked and made. Raises InvalidPiece naming every field that is wrong."""
        checked, wrong = {}, {}
        for name, raw in choices.items():
            field = TEXT_FIELDS.get(name)
            if field is None:
                wrong[name] = "There is no such choice for a text."
                continue
            try:
                checked[name] = field.check(raw)
            except InvalidField as error:
                wrong[name] = str(error)
        if wrong:
            raise InvalidPiece(wrong)
        return _with_weight_of_face(replace(self, **checked))


class InvalidPiece(ValueError):
    """Choices that cannot be made; `wrong` maps each field to what is wrong and what would be right."""

    def __init__(self, wrong: Mapping[str, str]) -> None:
        super().__init__("; ".join(f"{name}: {message}" for name, message in wrong.items()))
        self.wrong = wrong


def _with_weight_of_face(piece: TextPiece) -> TextPiece:
    """The piece at the weight nearest to the one asked for that its typeface has."""
    weights = next(face.weights for face in TYPEFACES if face.family == piece.typeface)
    nearest = min(weights, key=lambda weight: (abs(weight - piece.weight), weight))
    return piece if nearest == piece.weight else replace(piece, weight=nearest)


@dataclass(frozen=True, slots=True)
class Overlay:
    """A transparent page of `width_px` by `height_px` and its pieces, back to front.

    `shelf` holds the pieces last taken away, so that they can be brought back.
    """

    width_px: int = 1920
    height_px: int = 1080
    pieces: tuple[TextPiece, ...] = ()
    shelf: tuple[TextPiece, ...] = ()

    def piece(self, piece_id: str) -> TextPiece | None:
        """The piece with this id."""
        return next((piece for piece in self.pieces if piece.id == piece_id), None)

    def with_piece(self, piece: TextPiece) -> Overlay:
        """The overlay with this piece in the place of the one with its id, or in front of all others."""
        if self.piece(piece.id) is None:
            if len(self.pieces) >= MAX_PIECES:
                raise InvalidPiece({"name": f"An overlay holds {MAX_PIECES} pieces at most. Make a second overlay."})
            return replace(self, pieces=(*self.pieces, piece))
        return replace(self, pieces=tuple(piece if old.id == piece.id else old for old in self.pieces))

    def without(self, piece_id: str) -> Overlay:
        """The overlay with this piece laid on the shelf."""
        gone = tuple(piece for piece in self.pieces if piece.id == piece_id)
        kept = tuple(piece for piece in self.pieces if piece.id != piece_id)
        return replace(self, pieces=kept, shelf=(*self.shelf, *gone)[-MAX_SHELF:])

    def brought_back(self, piece_id: str) -> Overlay:
        """The overlay with this piece taken from the shelf again, in front of all others."""
        back = next((piece for piece in self.shelf if piece.id == piece_id), None)
        if back is None:
            return self
        return replace(self, shelf=tuple(p for p in self.shelf if p.id != piece_id)).with_piece(back)


def to_document(overlay: Overlay) -> dict[str, Any]:
    """The overlay as it is stored."""
    return {
        "version": DOCUMENT_VERSION,
        "width_px": overlay.width_px,
        "height_px": overlay.height_px,
        "pieces": [{"kind": "text", **asdict(piece)} for piece in overlay.pieces],
        "shelf": [{"kind": "text", **asdict(piece)} for piece in overlay.shelf],
    }


def from_document(document: Mapping[str, Any]) -> Overlay:
    """The overlay that was stored; choices this version does not know are left out."""
    known = {field.name for field in fields(TextPiece)}

    def read(name: str) -> tuple[TextPiece, ...]:
        return tuple(
            TextPiece(**{key: value for key, value in _of_today(piece).items() if key in known})
            for piece in document.get(name, ())
        )

    return Overlay(document["width_px"], document["height_px"], read("pieces"), read("shelf"))


def _of_today(piece: Mapping[str, Any]) -> Mapping[str, Any]:
    """A stored piece with what an earlier version called otherwise under its present name."""
    before = piece.get("when_stale")
    return {"when_late": before, "when_down": before, **piece} if before in WHEN_STALE else piece


def differences(draft: Overlay, on_air: Overlay | None) -> list[str]:
    """What putting the draft on air would change, a short sentence each; empty when they are the same."""
    if on_air is None:
        return ["Nothing is on air yet."]
    return list(_differences(draft, on_air))


def _differences(draft: Overlay, on_air: Overlay) -> Iterator[str]:
    if (draft.width_px, draft.height_px) != (on_air.width_px, on_air.height_px):
        yield f"Size {on_air.width_px} × {on_air.height_px} → {draft.width_px} × {draft.height_px} px"
    for piece in draft.pieces:
        before = on_air.piece(piece.id)
        if before is None:
            yield f"{piece.name}: new"
        elif before != piece:
            yield from _piece_differences(piece, before)
    for gone in on_air.pieces:
        if draft.piece(gone.id) is None:
            yield f"{gone.name}: taken away"
    if _shared_order(draft.pieces, on_air.pieces) != _shared_order(on_air.pieces, draft.pieces):
        yield "Another order front to back"


def _shared_order(pieces: Sequence[TextPiece], others: Sequence[TextPiece]) -> list[str]:
    ids = {piece.id for piece in others}
    return [piece.id for piece in pieces if piece.id in ids]


def _piece_differences(piece: TextPiece, before: TextPiece) -> Iterator[str]:
    for name, field in TEXT_FIELDS.items():
        old, new = getattr(before, name), getattr(piece, name)
        if old != new:
            unit = f" {field.unit}" if field.unit else ""
            yield f"{piece.name}: {field.label.lower()} {_brief(old)} → {_brief(new)}{unit}"


def _brief(value: object) -> str:
    shown = str(value).replace("\n", " ⏎ ")
    shown = shown if len(shown) <= 48 else shown[:47] + "…"
    return f"“{shown}”" if isinstance(value, str) and not shown.startswith("#") else shown
