"""The two sides as viewers see them: names, colours, players; and whether their colours can be told apart."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from tesoura.core.forms.checks import colour, line, text
from tesoura.core.forms.fields import Field, hue
from tesoura.core.overlays.fit.colours import contrast, rgb
from tesoura.core.overlays.pieces.kind import media
from tesoura.core.tracks.palette import oklab
from tesoura.errors import InvalidField, InvalidPiece

MOST_PLAYERS = 12
APART = 0.12
"""Colours nearer than this in OKLab look alike."""
INK, SHEET = "#000000", "#FFFFFF"


def players_of(raw: object) -> str:
    """Players as they were typed, with commas between them, in the order in which they serve. Raises InvalidField."""
    names = [" ".join(one.split()) for one in str(raw).replace("\n", ",").split(",")]
    names = [one for one in names if one]
    if len(names) > MOST_PLAYERS:
        raise InvalidField(f"At most {MOST_PLAYERS} players can be named.")
    if longest := next((one for one in names if len(one) > 60), None):
        raise InvalidField(f"“{longest[:20]}…” has {len(longest)} characters; at most 60 fit.")
    return ", ".join(names)


SIDE_FIELDS: Mapping[str, Field] = {
    "name": Field("Name", line(60), placeholder="Team Bobbin"),
    "short": Field("Short", text(12, empty=True), placeholder="BOB", help="Empty: the first letters."),
    "colour": hue("Colour", "#2F6B5E"),
    "mark": Field("Mark", media, kind="picture", advanced=True),
    "players": Field(
        "Players",
        players_of,
        placeholder="wren_bobbin, tuck",
        help="Separate with commas, in serving order.",
        advanced=True,
    ),
    "country": Field("From", text(40, empty=True), placeholder="Northshed", advanced=True),
}


@dataclass(frozen=True, slots=True)
class Side:
    """One of two in a match."""

    name: str
    short: str = ""
    colour: str = "#2F6B5E"
    mark: str = ""
    players: str = ""
    country: str = ""

    @property
    def brief(self) -> str:
        """Its short name, or its first letters."""
        words = self.name.split()
        return self.short or (words[-1] if words else "")[:3].upper()

    @property
    def letters(self) -> str:
        """The colour of letters that can be read on its own: the one of two with the greater contrast, at least 4.5."""
        own = rgb(self.colour)
        return max((INK, SHEET), key=lambda one: contrast(rgb(one), own))

    @property
    def names(self) -> tuple[str, ...]:
        """Its players."""
        return tuple(one for one in self.players.split(", ") if one)

    def player(self, place: int) -> str:
        """One of its players; itself where none is named."""
        return self.names[place] if place < len(self.names) else self.name


HOME, AWAY = Side("Home", "", "#2F6B5E"), Side("Away", "", "#C23A22")


@dataclass(frozen=True, slots=True)
class Lineup:
    """What waits for being put on air: what the match is called, and both sides."""

    heading: str = ""
    sides: tuple[Side, Side] = field(default=(HOME, AWAY))

    def changed(self, side: int, typed: Mapping[str, Any]) -> Lineup:
        """With a side changed. Raises InvalidPiece, which names every value that is wrong."""
        good, wrong = {}, {}
        for name, raw in typed.items():
            if name not in SIDE_FIELDS:
                wrong[name] = f"There is no such field. There are: {', '.join(SIDE_FIELDS)}."
                continue
            try:
                good[name] = SIDE_FIELDS[name].check(raw)
            except InvalidField as error:
                wrong[name] = str(error)
        if wrong:
            raise InvalidPiece(wrong)
        sides = list(self.sides)
        sides[side] = replace(sides[side], **good)
        return replace(self, sides=(sides[0], sides[1]))

    def other_way(self) -> Lineup:
        """With the sides exchanged."""
        return replace(self, sides=(self.sides[1], self.sides[0]))

    def saved(self) -> dict[str, Any]:
        """It, to be stored."""
        return {"heading": self.heading, "sides": [asdict(one) for one in self.sides]}


def lineup_of(saved: Mapping[str, Any]) -> Lineup:
    """A line-up as it was stored."""
    home, away = (Side(**one) for one in saved["sides"])
    return Lineup(str(saved["heading"]), (home, away))


def differences(draft: Lineup, on_air: Lineup) -> list[str]:
    """What waits for being put on air, in words."""
    found = (
        [] if draft.heading == on_air.heading else [f"heading: {on_air.heading or 'none'} → {draft.heading or 'none'}"]
    )
    for mine, theirs in zip(draft.sides, on_air.sides, strict=True):
        before, after = asdict(theirs), asdict(mine)
        found += [
            f"{theirs.name}, {SIDE_FIELDS[name].label.lower()}: {before[name] or 'none'} → {after[name] or 'none'}"
            for name in before
            if before[name] != after[name]
        ]
    return found


def colour_problems(lineup: Lineup, backings: Mapping[str, str] | None = None) -> list[str]:
    """What viewers could not tell apart: the sides from each other, a side from what its colour lies on.

    `backings` are the backings of the pieces that show them, by the pieces' names.
    """
    home, away = lineup.sides
    found = []
    if _apart(home.colour, away.colour) < APART:
        alike = "have the same colour" if home.colour == away.colour else "have nearly the same colour"
        found.append(f"{home.name} and {away.name} {alike}: viewers can't tell them apart. Change one of them.")
    for piece, behind in (backings or {}).items():
        for side in lineup.sides:
            if _apart(side.colour, behind) < APART:
                found.append(f"The colour of {side.name} is lost on the backing of “{piece}”, {behind}.")
    return found


def _apart(one: str, other: str) -> float:
    return math.dist(oklab(_whole(one)), oklab(_whole(other)))


def _whole(colour_: str) -> tuple[int, int, int]:
    red, green, blue = rgb(colour(colour_))
    return int(red), int(green), int(blue)
