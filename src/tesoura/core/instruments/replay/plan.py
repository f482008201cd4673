"""What replays are set up with."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.cues.happenings import AT_LEAST, HOW, IS, Condition
from tesoura.core.forms.checks import line, named_pieces, named_scenes, text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.instruments.statistics.plan import make as statistics_plan
from tesoura.core.instruments.statistics.rule import KillRule
from tesoura.core.language.formula import Formula, compile_formula
from tesoura.core.replays.cutting import CutRule
from tesoura.core.replays.occasions import MICRO, OccasionRule
from tesoura.core.replays.showing import ShowRule
from tesoura.core.signals.assignments import seen_signal
from tesoura.errors import FormulaError, InvalidField

CONDITIONS = 2
EACH, BEST = "each", "match"
GAPS_OUT, WHOLE = "cut", "whole"
AT_ONCE, HELD = "at once", "held"
DEFAULT_CAPTION = "{kills} cuts in {seconds} s"
PLACES = ("kills", "seconds", "who", "target", "means")
_WHAT, _SECONDS, _WHEN, _HOW, _TOLD = ("Trigger", "Timing", "Visibility", "Speed and zoom", "Caption and sounds")


@dataclass(frozen=True, slots=True)
class CloserRule:
    """How many times closer a replay is seen, toward which point, as shares of the picture, moving in for how long.

    `only` says which of them are: those whose last kill is so. `across` and `down` name the fields in which the game
    tells where a kill was, as shares too; without them it is always the point.
    """

    times: float = 1.0
    x: float = 0.5
    y: float = 0.5
    move: int = MICRO
    only: Condition | None = None
    across: str = ""
    down: str = ""


@dataclass(frozen=True, slots=True)
class FreeRule:
    """When a replay hides nothing: which states of the game, and in which scenes the game is seen at all."""

    down: bool = True
    between_rounds: bool = True
    paused: bool = True
    game_scenes: tuple[str, ...] = ()
    also: Formula | None = None


@dataclass(frozen=True, slots=True)
class ReplayPlan:
    """The choices, ready for use. `rule` says which kills count; none, and every event of the type does."""

    name: str
    title: str
    when: str
    conditions: tuple[Condition, ...]
    rule: KillRule | None
    counted_by: str
    occasions: OccasionRule
    best: bool
    source: str
    cutting: CutRule
    held: bool
    free: FreeRule
    never: Formula | None
    never_with: tuple[str, ...]
    showing: ShowRule
    speed_pct: int
    slow_pct: int
    around: int
    closer: CloserRule
    caption: str
    sound: str
    sound_from: int
    scene_signal: str
    session_began: datetime | None = None

    @property
    def reads(self) -> tuple[str, ...]:
        """The signals that say whether a replay may be seen."""
        formulas = [one for one in (self.free.also, self.never) if one is not None]
        return tuple(
            dict.fromkeys(
                (
                    self.scene_signal,
                    *(name for one in formulas for name in one.names),
                    *(seen_signal(one) for one in self.never_with),
                )
            )
        )


def _formula(raw: object) -> str:
    typed = text(500, empty=True)(raw).strip()
    if typed:
        try:
            compile_formula(typed)
        except FormulaError as error:
            raise InvalidField(str(error)) from error
    return typed


def _caption(raw: object) -> str:
    typed = text(200, empty=True)(raw)
    if strange := [one for one in re.findall(r"\{([^{}]*)\}", typed) if one not in PLACES]:
        raise InvalidField(f"{{{strange[0][:20]}}} can't be used here. Available: {', '.join(PLACES)}.")
    return typed


_LATER = text(200, empty=True)


def _conditions() -> dict[str, Field]:
    found: dict[str, Field] = {}
    for at in range(1, CONDITIONS + 1):
        found |= {
            f"field_{at}": Field("Field", _LATER, kind="datum", group=_WHAT, placeholder="means", advanced=True),
            f"how_{at}": one_of("Condition", HOW, IS, group=_WHAT, advanced=True),
            f"value_{at}": Field("Value", _LATER, group=_WHAT, advanced=True),
        }
    return found


_IF_HELD: dict[str, Any] = {"group": _WHEN, "only_if": ("shown", (HELD,))}
FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60), default="Replays", group=_WHAT),
    "when": Field(
        "Events",
        text(120, empty=True),
        kind="event",
        default="kill",
        group=_WHAT,
        help="Leave empty to show replays only on request.",
    ),
    "counted_by": Field(
        "Kill rule of",
        text(60, empty=True),
        kind="instrument",
        of="statistics",
        group=_WHAT,
        help="Uses that instrument's player and kill rule. None: all kills count.",
    ),
    **_conditions(),
    "kills": number("Minimum count", 1, 50, 3, group=_WHAT),
    "within_s": number("Time frame", 1, 120, 10, "s", group=_WHAT),
    "best": one_of(
        "If several qualify", ((EACH, "show each"), (BEST, "best of the match, at its end")), EACH, group=_WHAT
    ),
    "source": Field("Video source", text(60, empty=True), kind="feed", of="clips", group=_SECONDS),
    "before_s": number("Seconds before", 0, 30, 4, "s", group=_SECONDS),
    "after_s": number("Seconds after", 0, 30, 2, "s", group=_SECONDS),
    "gaps": one_of("Gaps", ((GAPS_OUT, "skip them"), (WHOLE, "keep them")), GAPS_OUT, group=_SECONDS, advanced=True),
    "most_s": number("At most", 2, 120, 24, "s in total", group=_SECONDS, advanced=True),
    "shown": one_of("Show", ((AT_ONCE, "at once"), (HELD, "when it covers nothing")), HELD, group=_WHEN),
    "down": switch("While the player is dead", **_IF_HELD),
    "between_rounds": switch("Between rounds", **_IF_HELD),
    "paused": switch("During pauses and between matches", **_IF_HELD),
    "game_scenes": Field(
        "Not in these scenes",
        named_scenes,
        kind="scenes",
        **_IF_HELD,
        help="The scenes that show the game. Empty: scenes don't matter.",
    ),
    "also_if": Field(
        "Also if formula is true", _formula, kind="formula", placeholder="game.health == 0", advanced=True, **_IF_HELD
    ),
    "never_with": Field(
        "Not while visible",
        named_pieces,
        kind="pieces",
        of="replay",
        group=_WHEN,
        help="A replay on screen is removed when one of these appears.",
    ),
    "never_if": Field("Never when this formula is true", _formula, kind="formula", group=_WHEN, advanced=True),
    "longest_wait_s": number("Maximum wait", 5, 3_600, 180, "s", group=_WHEN, advanced=True),
    "gap_s": number("Gap between replays", 0, 3_600, 20, "s", group=_WHEN),
    "most_waiting": number("Queue up to", 1, 20, 3, group=_WHEN, advanced=True),
    "speed_pct": number("Speed", 25, 100, 100, "%", group=_HOW),
    "slow_pct": number("Speed around kills", 25, 100, 50, "%", group=_HOW),
    "around_s": number("Seconds around a kill", 1, 5, 1, "s", group=_HOW, advanced=True),
    "closer_pct": number("Zoom", 100, 400, 100, "%", group=_HOW, help="100 % shows the whole picture."),
    "closer_field": Field(
        "Zoom only if field", _LATER, kind="datum", group=_HOW, placeholder="distance", advanced=True
    ),
    "closer_how": one_of("Zoom condition", HOW, AT_LEAST, group=_HOW, advanced=True),
    "closer_value": Field("Zoom value", _LATER, group=_HOW, placeholder="40", advanced=True),
    "x_pct": number("Zoom target, from left", 0, 100, 50, "%", group=_HOW),
    "y_pct": number("Zoom target, from top", 0, 100, 50, "%", group=_HOW),
    "x_field": Field(
        "Target field, horizontal",
        _LATER,
        kind="datum",
        group=_HOW,
        advanced=True,
        help="A field with a value from 0 to 1.",
    ),
    "y_field": Field("Target field, vertical", _LATER, kind="datum", group=_HOW, advanced=True),
    "move_s": number("Zoom time", 0, 5, 1, "s", group=_HOW, advanced=True),
    "caption": Field(
        "Title",
        _caption,
        kind="wide",
        default=DEFAULT_CAPTION,
        group=_TOLD,
        help="{kills}, {seconds}, {who}, {target} and {means} are replaced by their values.",
    ),
    "sound": Field("Sound", text(80, empty=True), kind="sound", default="gong", group=_TOLD),
    "sound_from": number("Sound from", 1, 50, 5, group=_TOLD),
}


def _free(c: Mapping[str, Any]) -> FreeRule:
    scenes = tuple(one.strip().casefold() for one in c["game_scenes"].split(",") if one.strip())
    also = compile_formula(c["also_if"]) if c["also_if"] else None
    return FreeRule(c["down"] == "yes", c["between_rounds"] == "yes", c["paused"] == "yes", scenes, also)


def make(name: str, choices: Mapping[str, Any], almanac: Almanac) -> ReplayPlan:
    """The plan that checked choices come to."""
    c = choices
    by = almanac.shared.get(c["counted_by"]) if c["counted_by"] else None
    after = c["after_s"] * MICRO
    conditions = tuple(
        Condition(c[f"field_{at}"].strip(), c[f"how_{at}"], c[f"value_{at}"])
        for at in range(1, CONDITIONS + 1)
        if c[f"field_{at}"].strip()
    )
    far = c["closer_field"].strip()
    only = Condition(far, c["closer_how"], c["closer_value"]) if far else None
    return ReplayPlan(
        name,
        c["title"],
        c["when"].strip(),
        conditions,
        statistics_plan(c["counted_by"], by).rule if by is not None else None,
        c["counted_by"],
        OccasionRule(c["kills"], c["within_s"] * MICRO, after),
        c["best"] == BEST,
        c["source"],
        CutRule(c["before_s"] * MICRO, max(after, MICRO // 2), c["gaps"] == GAPS_OUT, c["most_s"] * MICRO),
        c["shown"] == HELD,
        _free(c) if c["shown"] == HELD else FreeRule(),
        compile_formula(c["never_if"]) if c["never_if"] else None,
        tuple(c["never_with"].splitlines()),
        ShowRule(c["gap_s"] * MICRO, c["longest_wait_s"] * MICRO, c["most_waiting"]),
        c["speed_pct"],
        min(c["slow_pct"], c["speed_pct"]),
        c["around_s"] * MICRO,
        CloserRule(
            c["closer_pct"] / 100,
            c["x_pct"] / 100,
            c["y_pct"] / 100,
            c["move_s"] * MICRO,
            only,
            c["x_field"].strip(),
            c["y_field"].strip(),
        ),
        c["caption"],
        "" if c["sound"] in ("", "none") else c["sound"],
        c["sound_from"],
        almanac.scene_signal,
        almanac.session_began,
    )
