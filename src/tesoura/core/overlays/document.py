"""Overlays as documents: their pieces, what each is made to look and say, and how they are stored."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType
from typing import Any

from tesoura.core.forms.fields import Field
from tesoura.core.overlays import looks as look_rules
from tesoura.core.overlays.looks import PLAIN, STYLE_FIELDS, Look
from tesoura.core.overlays.pieces.kind import MAX_SIDE_PX, Part, PieceKind
from tesoura.core.overlays.pieces.registry import KINDS
from tesoura.core.overlays.typefaces import weight_of
from tesoura.errors import FormulaError, InvalidField, InvalidPiece, NewerDocument

MAX_PIECES = 100
MAX_SCENES = 60
"""In how many scenes an overlay's pieces may differ."""
MAX_LOOKS = 200
MAX_GUIDES = 200
LEAST_SIDE_PX = 16
DOCUMENT_VERSION = 2
NOTHING: Mapping[str, Any] = MappingProxyType({})
_ID = re.compile(r"[A-Za-z0-9_-]{1,60}")
"""What a piece's or a look's id is made of: ids stand in style sheets, and must not end one."""
SCENE_FIELDS = ("shown", "x", "y", "width_px", "height_px", "size_px", "look")
"""What can differ by scene."""
PLACE_FIELDS = ("x", "y", "width_px", "height_px", "size_px")
"""What a pinned piece keeps."""
SIZES = (
    ("Full", 1920, 1080),
    ("Full, larger", 2560, 1440),
    ("Vertical", 1080, 1920),
    ("Bar", 1200, 96),
    ("Small strip", 360, 48),
    ("Card", 640, 400),
)


@dataclass(frozen=True, slots=True)
class Piece:
    """One thing on an overlay.

    `x` and `y` (px from the overlay's top left) are where it is held: its top left corner; for a text that grows to the
    left its top right, for one that grows to both sides the middle of its top. `style` holds what it does otherwise
    than the look it wears. `scenes` holds, by the name of a scene, what differs there.
    """

    id: str
    kind: str = "text"
    choices: Mapping[str, Any] = field(default_factory=dict)
    look: str = PLAIN
    style: Mapping[str, Any] = field(default_factory=dict)
    scenes: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)

    def __getitem__(self, name: str) -> Any:
        return self.choices[name]

    @property
    def kind_of(self) -> PieceKind:
        """What kind of piece it is."""
        return KINDS[self.kind]

    @property
    def name(self) -> str:
        """Its name, for the user alone."""
        return str(self.choices["name"])

    @property
    def waits(self) -> bool:
        """Whether it is not seen before somebody shows it."""
        return bool(self.choices["appears"] == "told")

    @property
    def is_moment(self) -> bool:
        """Whether it appears as a moment."""
        return bool(self.choices["appears"] == "moment")

    @property
    def moment_type(self) -> str:
        """The type of event for which it appears, when it does so as a moment."""
        own = self.kind_of.moment_type
        return own(self.choices) if own and not self.choices["moment_type"] else str(self.choices["moment_type"])

    def parts(self) -> Mapping[str, Part]:
        """What it says, ready to render, by the part's name."""
        return self.kind_of.parts(self.choices)

    def in_scene(self, scene: str) -> Piece:
        """The piece as it is in a scene."""
        differs = self.scenes.get(scene)
        if not differs:
            return self
        choices = {name: value for name, value in differs.items() if name not in ("shown", "look")}
        return replace(self, choices={**self.choices, **choices}, look=differs.get("look", self.look))

    def shown_in(self, scene: str) -> bool:
        """Whether viewers see it in a scene, as far as that goes."""
        return bool(self.scenes.get(scene, NOTHING).get("shown", "yes") == "yes")

    def styled(self, looks: Mapping[str, Look], form: str) -> dict[str, Any]:
        """All its style choices: its look's, under its kind's own and then its own. `form` is the overlay's."""
        look = looks.get(self.look) or look_rules.Look(PLAIN, "Plain")
        own = self.choices["form"]
        style = {**look.style(form if own == "overlay" else own), **self.kind_of.style, **self.style}
        style["weight"] = weight_of(style["typeface"], style["weight"])
        return style

    def changed(self, given: Mapping[str, object], scene: str = "") -> Piece:
        """The piece with these choices checked and made, in one scene or in all.

        A style choice of None goes back to the look's; in a scene, None goes back to how it is elsewhere. Raises
        InvalidPiece naming every choice that is wrong.
        """
        good, wrong = {}, {}
        for name, raw in given.items():
            try:
                field = self._field(name, scene)
                goes_back = raw is None and (bool(scene) or name in STYLE_FIELDS)
                if not goes_back and not isinstance(raw, str | int | float):
                    raise InvalidField("Give a number or a text.")
                good[name] = None if goes_back else field.check(raw)
            except InvalidField as error:
                wrong[name] = str(error)
        if wrong:
            raise InvalidPiece(wrong)
        if scene:
            here = {**self.scenes.get(scene, NOTHING), **good}
            here = {name: value for name, value in here.items() if value is not None}
            others = {name: value for name, value in self.scenes.items() if name != scene}
            return replace(self, scenes={**others, scene: here} if here else others)
        style = {**self.style, **{name: value for name, value in good.items() if name in STYLE_FIELDS}}
        style = {name: value for name, value in style.items() if value is not None}
        choices = {name: value for name, value in good.items() if name in self.kind_of.all_fields}
        for name, by_value in self.kind_of.along.items():
            if choices.get(name, self.choices.get(name)) != self.choices.get(name):
                choices = {**by_value.get(str(choices[name]), NOTHING), **choices}
        self._check_parts(choices)
        look = good.get("look") or self.look
        return replace(self, choices={**self.choices, **choices}, style=style, look=look)

    def _check_parts(self, choices: Mapping[str, Any]) -> None:
        """Whether what it says can be made of these choices: each may be right alone and no wording come of it."""

        def problem(given: Mapping[str, Any]) -> str:
            try:
                self.kind_of.parts({**self.choices, **given})
            except FormulaError as error:
                return str(error)
            return ""

        if told := problem(choices):
            alone = {name: words for name, value in choices.items() if (words := problem({name: value}))}
            raise InvalidPiece(alone or dict.fromkeys(choices, told))

    def _field(self, name: str, scene: str) -> Field:
        if scene and name not in SCENE_FIELDS:
            raise InvalidField("This can't differ per scene. Choose “every scene” first.")
        found = {"look": LOOK, "shown": SHOWN}.get(name) or self.kind_of.all_fields.get(name) or STYLE_FIELDS.get(name)
        if found is None:
            raise InvalidField(f"No such setting for a {self.kind_of.title.lower()}.")
        return found


def _look_name(raw: object) -> str:
    typed = str(raw).strip()
    if not _ID.fullmatch(typed):
        raise InvalidField("Choose a look from the list.")
    return typed


def _yes_or_no(raw: object) -> str:
    return "yes" if str(raw) == "yes" else "no"


LOOK = Field("Look", _look_name, kind="look", group="Look")
SHOWN = Field("Shown", _yes_or_no, default="yes", kind="switch")


def new_piece(kind: str, id: str, **given: object) -> Piece:
    """A piece of this kind with these choices. Raises InvalidPiece."""
    return Piece(id, kind, KINDS[kind].defaults).changed(given)


@dataclass(frozen=True, slots=True)
class Overlay:
    """A transparent page of `width_px` by `height_px` and its pieces, back to front.

    `looks` are those that its pieces wear, kept with what is on air. `guides` are lines to lay pieces on: `x` or `y`,
    and where. `css` is the user's own style sheet.
    """

    width_px: int = 1920
    height_px: int = 1080
    pieces: tuple[Piece, ...] = ()
    form: str = "dark"
    motion: str = "yes"
    safe: str = "yes"
    guides: tuple[tuple[str, int], ...] = ()
    css: str = ""
    scenery: str = "evening"
    looks: Mapping[str, Look] = field(default_factory=dict, compare=False)

    def piece(self, piece_id: str) -> Piece | None:
        """The piece with this id."""
        return next((piece for piece in self.pieces if piece.id == piece_id), None)

    def with_piece(self, piece: Piece) -> Overlay:
        """The overlay with this piece in the place of the one with its id, or in front of all others."""
        if self.piece(piece.id) is None:
            if len(self.pieces) >= MAX_PIECES:
                raise InvalidPiece(
                    {"name": f"An overlay can have {MAX_PIECES} pieces at most. Create a second overlay."}
                )
            return replace(self, pieces=(*self.pieces, piece))
        changed = replace(self, pieces=tuple(piece if old.id == piece.id else old for old in self.pieces))
        if piece.scenes and len(changed.scenes()) > MAX_SCENES:
            raise InvalidPiece(
                {"scene": f"An overlay can differ in {MAX_SCENES} scenes at most. Create a second overlay."}
            )
        return changed

    def without(self, piece_ids: Iterable[str]) -> Overlay:
        """The overlay without these pieces."""
        gone = set(piece_ids)
        return replace(self, pieces=tuple(piece for piece in self.pieces if piece.id not in gone))

    def scenes(self) -> list[str]:
        """The scenes in which something differs, by name."""
        return sorted({scene for piece in self.pieces for scene in piece.scenes})

    def worn(self) -> set[str]:
        """The looks that its pieces wear, in any scene."""
        return {piece.in_scene(scene).look for piece in self.pieces for scene in ("", *piece.scenes)}

    def media(self) -> set[str]:
        """The files that its pieces show."""
        names = {name for kind in KINDS.values() for name, one in kind.fields.items() if one.kind in MEDIA}
        return {value for piece in self.pieces for name in names if (value := piece.choices.get(name))}


MEDIA = ("picture", "video")


def size_problem(width_px: object, height_px: object) -> str | None:
    """What is wrong with a size that was typed, or None."""
    for typed in (width_px, height_px):
        try:
            side = float(str(typed))
        except ValueError:
            return f"“{str(typed)[:20]}” is not a number of pixels."
        if not LEAST_SIDE_PX <= side <= MAX_SIDE_PX:
            return f"{str(typed)[:20]} px is not a valid size. Choose {LEAST_SIDE_PX} to {MAX_SIDE_PX:,} px."
    return None


def too_many(document: Mapping[str, Any]) -> str | None:
    """What a document has more of than an overlay holds, in words; told before anything is made of it."""
    pieces = document.get("pieces", ())
    scenes = {scene for one in pieces for scene in one.get("scenes", ())}
    for count, most, what in (
        (len(pieces), MAX_PIECES, "pieces"),
        (len(scenes), MAX_SCENES, "scenes"),
        (len(document.get("looks", ())), MAX_LOOKS, "looks"),
        (len(document.get("guides", ())), MAX_GUIDES, "guides"),
    ):
        if count > most:
            return f"It has {count:,} {what}; at most {most} fit."
    return None


# As it is stored


def to_document(overlay: Overlay) -> dict[str, Any]:
    """The overlay as it is stored."""
    return {
        "version": DOCUMENT_VERSION,
        "width_px": overlay.width_px,
        "height_px": overlay.height_px,
        "form": overlay.form,
        "motion": overlay.motion,
        "safe": overlay.safe,
        "guides": [list(guide) for guide in overlay.guides],
        "css": overlay.css,
        "scenery": overlay.scenery,
        "pieces": [piece_document(piece) for piece in overlay.pieces],
        "looks": {name: look_rules.to_document(look) for name, look in overlay.looks.items()},
    }


def piece_document(piece: Piece) -> dict[str, Any]:
    """The piece as it is stored."""
    return {
        "id": piece.id,
        "kind": piece.kind,
        "choices": dict(piece.choices),
        "look": piece.look,
        "style": dict(piece.style),
        "scenes": {name: dict(differs) for name, differs in piece.scenes.items()},
    }


def from_document(document: Mapping[str, Any]) -> Overlay:
    """The overlay that was stored. Choices that this version does not know, or cannot use, are left out.

    Raises NewerDocument for one that a later version wrote.
    """
    version = document.get("version", 1)
    if not isinstance(version, int) or version > DOCUMENT_VERSION:
        raise NewerDocument("This overlay was made by a newer Tesoura. Update Tesoura to open it. Nothing was changed.")
    read = _piece_of_the_first_version if version == 1 else piece_from_document
    pieces = (read(piece) for piece in document.get("pieces", ()) if isinstance(piece, Mapping))
    plain = Overlay()
    return Overlay(
        int(document["width_px"]),
        int(document["height_px"]),
        tuple(piece for piece in pieces if piece is not None),
        "light" if document.get("form") == "light" else "dark",
        _yes_or_no(document.get("motion", "yes")),
        _yes_or_no(document.get("safe", "yes")),
        tuple((str(axis), int(at)) for axis, at in document.get("guides", ())),
        str(document.get("css", "")),
        str(document.get("scenery", plain.scenery)),
        {
            name: look_rules.from_document(name, look)
            for name, look in document.get("looks", {}).items()
            if _ID.fullmatch(name)
        },
    )


def piece_from_document(stored: Mapping[str, Any]) -> Piece | None:
    """The piece that was stored, or None when this version knows no such kind, or its id is none."""
    kind = KINDS.get(str(stored.get("kind")))
    if kind is None or not _ID.fullmatch(str(stored["id"])):
        return None
    bare = Piece(str(stored["id"]), kind.name, kind.defaults)
    bare = _as_far_as_usable(bare, {"look": stored.get("look") or PLAIN})
    style = {name: value for name, value in stored.get("style", {}).items() if name in STYLE_FIELDS}
    piece = _as_far_as_usable(bare, {**stored.get("choices", {}), **style})
    for scene, differs in stored.get("scenes", {}).items():
        piece = _as_far_as_usable(piece, differs, str(scene)[:60])
    return piece


def _as_far_as_usable(piece: Piece, given: Mapping[str, object], scene: str = "") -> Piece:
    for _ in range(len(given)):
        try:
            return piece.changed(given, scene)
        except InvalidPiece as error:
            # What is right alone may still not go together: what is left is looked at again.
            given = {name: raw for name, raw in given.items() if name not in error.wrong}
    return piece


def _piece_of_the_first_version(stored: Mapping[str, Any]) -> Piece | None:
    before = stored.get("when_stale")
    now = {"when_late": before, "when_down": before} if before in ("keep", "with_age", "nothing_yet", "hide") else {}
    choices = {name: value for name, value in stored.items() if name not in ("kind", "id", "when_stale")}
    return _as_far_as_usable(Piece(str(stored["id"]), "text", KINDS["text"].defaults), {**now, **choices})
