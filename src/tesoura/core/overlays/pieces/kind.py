"""What a kind of piece is: its choices, what it says, and which texts the fit check measures."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as made
from typing import Any

from tesoura.core.forms.checks import line, text, whole
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.language.formula import compile_formula
from tesoura.core.language.wording import MAX_WORDING, compile_wording
from tesoura.core.signals.texts import Say
from tesoura.errors import FormulaError, InvalidField

MAX_SIDE_PX = 8_192
THERE = "1"
"""What a piece without a text of its own says while it is there."""
Choices = Mapping[str, Any]
WHEN_STALE = (
    ("keep", "keep the last value"),
    ("with_age", "last value with its age"),
    ("nothing_yet", "show “nothing yet”"),
    ("hide", "hide the piece"),
)
ASKED = "ask"
"""The choice of what becomes of old values that nobody has made yet: they are dimmed, and the fit check asks once."""
WHEN_OLD = (
    (ASKED, "dim the piece (default)"),
    ("dim", "dim the piece"),
    ("keep", "keep showing it"),
    ("hide", "hide it"),
    ("text", "show a text"),
)
APPEARS = (("always", "always"), ("moment", "as a moment"), ("told", "when shown by you or a cue"))
_STAYS = ("appears", ("always", "told"))
FORMS = (("overlay", "as the overlay"), ("light", "light"), ("dark", "dark"))


@dataclass(frozen=True, slots=True)
class ChartLine:
    """A part that draws a signal's last minutes as a line."""

    signal: str
    minutes: int


@dataclass(frozen=True, slots=True)
class Latest:
    """A part that lists the latest events of a type: one column each wording, read with the event's own values."""

    type: str
    rows: int
    columns: tuple[Say, ...]


Part = Say | ChartLine | Latest
MeasuredText = Callable[[str, float], tuple[float, float]]
"""How wide and high a text is at a size, pixels, in the piece's own letters."""


@dataclass(frozen=True, slots=True)
class PieceText:
    """One text that a piece draws: the part that says it, or `fixed` words; its size as a share of the piece's.

    `colour` names the style choice that colours it. A piece is `cells` wide; texts of one `cell` and `line` stand in a
    row and share its width, less `less_em` (in the piece's size) for what else stands there. `share` is how much of the
    width there is at all. What `yields` shrinks, travels or ends in … where it is too long, and never sticks out.
    """

    part: str
    scale: float = 1.0
    colour: str = "colour"
    line: int = 0
    cell: int = 0
    cells: int = 1
    fixed: str = ""
    less_em: float = 0.0
    share: float = 1.0
    yields: bool = False


@dataclass(frozen=True, slots=True)
class PieceKind:
    """One kind of piece.

    `fields` are its own choices beside those that all pieces have. `parts` gives what it says, by the part's name; the
    part named "" is the text of the piece itself, and a piece without one is there as long as it is not hidden.
    `words` gives the texts that the fit check measures. `sized` is `text` for a piece as large as its words unless it
    is given a width, and `box` for one whose width and height are chosen; `extra_em` is the height, in its size, that
    such a one needs beside its lines. `template` draws it, where it is not in a folder of its name.
    `overlay_size` is that of an overlay made for it alone. `first` are choices that a new one begins with beside the
    defaults. `moment_type` tells which event it appears for when its choices do not.
    `helpers` are what its template calls.
    """

    name: str
    title: str
    about: str
    fields: Mapping[str, Field]
    parts: Callable[[Choices], Mapping[str, Part]]
    words: Callable[[Choices], Sequence[PieceText]] = lambda choices: ()
    fits: Callable[[Choices, Mapping[str, str], MeasuredText], Iterable[str]] = lambda choices, says, measure: ()
    """What of it does not fit beside its texts, a sentence each: told its choices, what it says, and how to measure."""
    shows_marks: bool = False
    """Whether it shows marks whose colours nobody knows before: what is behind them must be even."""
    apart: Callable[[Choices, Choices], bool] = lambda one, other: False
    """Whether two of the kind are never seen at once, by their choices."""
    fills: bool = False
    """Whether it fills its box with a picture, which hides what is behind it."""
    on_top: bool = False
    """Whether it stands above all other pieces, wherever it stands in their order."""
    at_times: str = ""
    """When it is there, in words that follow on "it covers a third of it"; nothing for one that always is."""
    sized: str = "box"
    size: tuple[int, int] = (480, 120)
    style: Mapping[str, Any] = made(default_factory=dict)
    wants: str = ""
    extra_em: float = 0.0
    template: str = ""
    overlay_size: tuple[int, int] = (1920, 1080)
    first: Mapping[str, Any] = made(default_factory=dict)
    moment_type: Callable[[Choices], str] | None = None
    helpers: Mapping[str, Any] = made(default_factory=dict)
    along: Mapping[str, Mapping[str, Mapping[str, Any]]] = made(default_factory=dict)
    """What comes along with a choice unless it is given too: by its name, by its value, such as a size that fits."""

    @property
    def drawn_by(self) -> str:
        """The template that draws it."""
        return self.template or f"pieces/{self.name}/piece.html"

    @property
    def all_fields(self) -> Mapping[str, Field]:
        """The choices of this kind and those of all pieces."""
        return {**self.fields, **COMMON_FIELDS}

    @property
    def defaults(self) -> dict[str, Any]:
        """What a new piece of this kind begins with."""
        width, height = self.size
        own = {name: field.default for name, field in self.all_fields.items()}
        return {**own, "name": self.title, "width_px": width, "height_px": height, **self.first}


def wording(raw: object) -> str:
    """A check for a wording."""
    return _compiles(text(MAX_WORDING)(raw))


def wording_or_nothing(raw: object) -> str:
    """A check for a wording that may be empty."""
    return _compiles(text(MAX_WORDING, empty=True)(raw))


def _compiles(source: str) -> str:
    try:
        compile_wording(source)
    except FormulaError as error:
        raise InvalidField(str(error)) from None
    return source


def formula(raw: object) -> str:
    """A check for a formula."""
    source = text(400)(raw).strip()
    try:
        compile_formula(source)
    except FormulaError as error:
        raise InvalidField(str(error)) from None
    return source


def media(raw: object) -> str:
    """A check for the name of a file that was added: its fingerprint and ending, or nothing."""
    typed = str(raw).strip()
    if typed and not (len(typed) <= 80 and typed.replace(".", "", 1).isalnum()):
        raise InvalidField("Choose one of the added files.")
    return typed


COMMON_FIELDS: Mapping[str, Field] = {
    "appears": one_of("Appears", APPEARS, "always", group="When"),
    "when_late": one_of("When late", WHEN_STALE, "keep", group="When", only_if=_STAYS),
    "when_down": one_of("When down", WHEN_STALE, "keep", group="When", only_if=_STAYS),
    "when_old": one_of("When older than 5 intervals", WHEN_OLD, ASKED, group="When", only_if=_STAYS),
    "old_text": Field("Text", line(200), group="When", only_if=("when_old", ("text",))),
    "moment_type": Field("Event", text(120, empty=True), kind="event", group="When", only_if=("appears", ("moment",))),
    "moment_s": number("For", 1, 120, 6, "s", group="When", only_if=("appears", ("moment",))),
    "x": number("Across", -MAX_SIDE_PX, MAX_SIDE_PX, 96, "px", group="Place"),
    "y": number("Down", -MAX_SIDE_PX, MAX_SIDE_PX, 96, "px", group="Place"),
    "width_px": Field("Width", whole(0, MAX_SIDE_PX), "px", 0, "number", group="Place", least=0, most=MAX_SIDE_PX),
    "height_px": Field("Height", whole(0, MAX_SIDE_PX), "px", 0, "number", group="Place", least=0, most=MAX_SIDE_PX),
    "form": one_of("Form", FORMS, "overlay", group="Look"),
    "opacity_pct": number("Opacity of the piece", 0, 100, 100, "%", group="Look"),
    "name": Field("Name (only you see it)", line(60), most=60, group="Piece"),
    "pinned": switch("Pinned", "no", group="Piece"),
    "hidden": switch("Hidden in the draft", "no", group="Piece"),
    "group": Field("Group", lambda raw: " ".join(str(raw).split())[:40], group="Piece"),
}


def say(source: str, choices: Choices, nothing_yet: str = "") -> Say:
    """A part that says a wording, with what this piece does about late and missing values."""
    when_old = choices["when_old"].replace(ASKED, "dim")
    return Say(
        compile_wording(source),
        nothing_yet,
        choices["when_late"],
        choices["when_down"],
        when_old=when_old,
        old_text=choices["old_text"],
    )


def instruments_in(parts: Mapping[str, Part]) -> set[str]:
    """Return the first halves of the names of the signals that a piece shows."""
    says = (part for part in parts.values() if isinstance(part, Say))
    return {name.partition(".")[0] for part in says for name in part.wording.names}


def share(value: str, low: str, high: str, choices: Choices) -> Say:
    """A part that says how far a value is on its way from one to another, from 0 to 1."""
    way = f"(({value}) - ({low})) / (({high}) - ({low}))"
    return say(f"{{max(0, min(1, {way})):.4f}}", choices, "0")


SIZE = number("Size", 8, 1_000, 48, "px", group="Place")
ALIGNMENTS = (("left", "left"), ("centre", "centre"), ("right", "right"))
