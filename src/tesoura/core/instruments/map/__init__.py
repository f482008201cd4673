"""A map: where the player is, on a picture of the arena, with a trail behind."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, amount_of, name_key, name_of
from tesoura.core.computed.occurrence import number as of_millionths
from tesoura.core.forms.checks import line, text, whole
from tesoura.core.forms.fields import Field, switch
from tesoura.core.instruments.base import Choices, Instrument, InstrumentKind, Step, Told
from tesoura.core.instruments.commands import Command, CommandKind
from tesoura.core.overlays.pieces.kind import Part, PieceKind, media, say
from tesoura.core.signals.by_hand import number

MAX_TRAIL = 120
ROUND = timedelta(seconds=8)
"""How long a made-up round takes."""
_POINTS, _WHERE = "Calibration", "Player and picture"


@dataclass(frozen=True, slots=True)
class Way:
    """How one of the game's coordinates lies on the picture: `at` stands at the share `share`, and so on straight."""

    at: float
    share: float
    per_unit: float

    def on_picture(self, value: float) -> float:
        """The share of the picture's width or height at which a coordinate lies."""
        return self.share + (value - self.at) * self.per_unit


@dataclass(frozen=True, slots=True)
class Map(Instrument):
    """Where the player is, and was. `strange` is why the last position could not be used."""

    across: Way
    down: Way
    player: str
    length: int
    place: tuple[float, float] | None = None
    trail: tuple[tuple[float, float], ...] = ()
    strange: str = ""
    tried_at: datetime | None = None

    def _clear(self, command: Command, now: datetime) -> Step:
        return Step(replace(self, trail=self.trail[-1:]), "clears the trail")

    def _try_it(self, command: Command, now: datetime) -> Step:
        return Step(replace(self, tried_at=now), "moves the mark around once as a test")

    def on_event(self, event: Occurrence) -> Map:
        """The player is elsewhere; or a match begins, and with it a trail."""
        if event.type == "match.start":
            return replace(self, trail=())
        if event.type != "position" or (self.player and name_key(name_of(event.data.get("actor"))) != self.player):
            return self
        found = [amount_of(event.data.get(name)) for name in ("x", "y")]
        if found[0] is None or found[1] is None:
            return replace(self, strange="A position event had no numeric x and y.")
        place = (float(of_millionths(found[0])), float(of_millionths(found[1])))
        return replace(self, place=place, trail=(*self.trail, place)[-self.length :], strange="")

    def _shown(self, place: tuple[float, float]) -> tuple[float, float]:
        return self.across.on_picture(place[0]), self.down.on_picture(place[1])

    def read(self, now: datetime) -> Told:
        """The place as shares of the picture, kept within it; whether it lies outside; the trail as a path."""
        if (tried := self._tried(now)) is not None:
            return tried
        if self.place is None:
            return dict.fromkeys(("across", "down", "outside", "path", "x", "y"))
        across, down = self._shown(self.place)
        inside = 0 <= across <= 1 and 0 <= down <= 1
        shown = [self._shown(one) for one in self.trail]
        path = "M" + "L".join(f"{_within(x) * 100:.1f} {_within(y) * 100:.1f}" for x, y in shown) if shown else ""
        return {
            "across": round(_within(across), 4),
            "down": round(_within(down), 4),
            "outside": not inside,
            "path": path,
            "x": self.place[0],
            "y": self.place[1],
        }

    def _tried(self, now: datetime) -> Told | None:
        """A made-up round, while one is shown: an oval about the middle of the picture."""
        turn = (now - self.tried_at) / ROUND if self.tried_at else 1.0
        if not 0 <= turn < 1:
            return None
        steps = [at / 40 for at in range(int(turn * 40) + 1)]
        shown = [(0.5 + 0.35 * math.cos(math.tau * one), 0.5 + 0.35 * math.sin(math.tau * one)) for one in steps]
        path = "M" + "L".join(f"{x * 100:.1f} {y * 100:.1f}" for x, y in shown)
        return {
            "across": round(shown[-1][0], 4),
            "down": round(shown[-1][1], 4),
            "outside": False,
            "path": path,
            "x": None,
            "y": None,
        }

    def next_change(self, now: datetime) -> datetime | None:
        """It changes with its events alone, but for a made-up round."""
        return now + ROUND / 40 if self._tried(now) is not None else None

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return {
            "place": self.place,
            "trail": list(self.trail),
            "strange": self.strange,
            "tried_at": self.tried_at.isoformat() if self.tried_at else None,
        }


def _within(share: float) -> float:
    return min(max(share, 0.0), 1.0)


def _made(choices: Choices) -> Map:
    ways = []
    for axis, side in (("x", "across"), ("y", "down")):
        a, b = float(choices[f"a_{axis}"]), float(choices[f"b_{axis}"])
        at, to = choices[f"a_{side}_pct"] / 100, choices[f"b_{side}_pct"] / 100
        ways.append(Way(a, at, (to - at) / (b - a)))
    return Map(ways[0], ways[1], name_key(choices["player"]), choices["trail"])


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Map:
    return _made(choices)


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Map:
    it = _made(choices)
    place = saved["place"]
    trail = tuple((x, y) for x, y in saved["trail"])[-it.length :]
    tried_at = datetime.fromisoformat(saved["tried_at"]) if saved.get("tried_at") else None
    return replace(
        it, place=(place[0], place[1]) if place else None, trail=trail, strange=saved["strange"], tried_at=tried_at
    )


def _check(choices: Choices) -> Mapping[str, str]:
    wrong = {}
    for axis, side, word in (("x", "across", "beside"), ("y", "down", "above")):
        if choices[f"a_{axis}"] == choices[f"b_{axis}"] or choices[f"a_{side}_pct"] == choices[f"b_{side}_pct"]:
            wrong[f"b_{axis}"] = f"Choose two points of which one is not straight {word} the other."
    return wrong


def _point(which: str, x: str, y: str, across: str, down: str) -> dict[str, Field]:
    words = {"a": "First", "b": "Second"}[which]
    return {
        f"{which}_x": Field(f"{words} point: x in the game", number, kind="number", default=x, group=_POINTS),
        f"{which}_y": Field(f"{words} point: y in the game", number, kind="number", default=y, group=_POINTS),
        f"{which}_across_pct": Field(
            f"{words} point: horizontal", whole(0, 100), kind="number", default=across, unit="%", group=_POINTS
        ),
        f"{which}_down_pct": Field(
            f"{words} point: vertical", whole(0, 100), kind="number", default=down, unit="%", group=_POINTS
        ),
    }


# The piece


def _parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["map"]
    if not name:
        return {}
    parts: dict[str, Part] = {
        "level_across": say(f"{{{name}.across:.4f}}", choices, "0.5"),
        "level_down": say(f"{{{name}.down:.4f}}", choices, "0.5"),
    }
    if choices["trail"] == "yes":
        parts["path"] = say(f"{{{name}.path}}", choices)
    return parts


PIECE = PieceKind(
    name="map",
    title="Map",
    about="The player's position on a picture, with a trail.",
    fields={
        "map": Field("Instrument", text(60, empty=True), "", "", "instrument", group="Values", of="map"),
        "media": Field("Picture", media, "", "", "picture", group="Values"),
        "trail": switch("Trail", group="Values"),
    },
    parts=_parts,
    size=(420, 300),
    wants="Choose a map. Create one under Instruments first.",
    template="instruments/map/piece.html",
)

KIND = InstrumentKind(
    name="map",
    title="A map",
    about="The player's position on an arena picture, from position events. Two known points calibrate it.",
    example="map",
    fields={
        "title": Field("Name", line(60), default="Map", group=_WHERE),
        "player": Field(
            "Player",
            text(60, empty=True),
            placeholder="mara_vane",
            kind="seen",
            of="position.player",
            person=True,
            help="Empty: follow every position.",
            group=_WHERE,
        ),
        "picture": Field("Picture of the arena", media, kind="picture", group=_WHERE),
        "trail": Field("Trail length", whole(1, MAX_TRAIL), kind="number", default="40", unit="places", group=_WHERE),
        **_point("a", "0", "0", "0", "0"),
        **_point("b", "1000", "600", "100", "100"),
    },
    begin=_begin,
    restore=_restore,
    check=_check,
    outputs=lambda choices: dict.fromkeys(("across", "down", "outside", "path", "x", "y"), ""),
    commands=(
        CommandKind("clear", "Clear the trail", "It restarts at the current position."),
        CommandKind("try_it", "Test", "Moves the mark around once wherever the map is shown."),
    ),
    types=lambda name, choices: ("position", "match.start"),
    pieces=(PIECE,),
    lays=lambda piece, choices: {"media": choices["picture"]},
    passing=True,
    panel_follows=("outside",),
)
