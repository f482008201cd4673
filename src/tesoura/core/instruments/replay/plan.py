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
_WHAT, _SECONDS, _WHEN, _HOW, _TOLD = (
    "What deserves one",
    "Which seconds of it",
    "When viewers see it",
    "How fast, and how close",
    "Words and sounds",
)


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
        raise InvalidField(f"{{{strange[0][:20]}}} stands for nothing here. There are: {', '.join(PLACES)}.")
    return typed


_LATER = text(200, empty=True)


def _conditions() -> dict[str, Field]:
    found: dict[str, Field] = {}
    for at in range(1, CONDITIONS + 1):
        found |= {
            f"field_{at}": Field(
                "And its field", _LATER, kind="datum", group=_WHAT, placeholder="means", advanced=True
            ),
            f"how_{at}": one_of("is so", HOW, IS, group=_WHAT, advanced=True),
            f"value_{at}": Field("what", _LATER, group=_WHAT, advanced=True),
        }
    return found


_IF_HELD: dict[str, Any] = {"group": _WHEN, "only_if": ("shown", (HELD,))}
FIELDS: Mapping[str, Field] = {
    "title": Field("Its name", line(60), default="Replays", group=_WHAT),
    "when": Field(
        "These events",
        text(120, empty=True),
        kind="event",
        default="kill",
        group=_WHAT,
        help="Left empty, a replay comes only when it is asked for.",
    ),
    "counted_by": Field(
        "Of kills, those that count for",
        text(60, empty=True),
        kind="instrument",
        of="statistics",
        group=_WHAT,
        help="Whose kills, and which not, is chosen there. With none chosen all count.",
    ),
    **_conditions(),
    "kills": number("So many of them", 1, 50, 3, group=_WHAT),
    "within_s": number("within", 1, 120, 10, "s", group=_WHAT),
    "best": one_of(
        "Of those that deserve one",
        ((EACH, "each is shown"), (BEST, "the best of a match, at its end")),
        EACH,
        group=_WHAT,
    ),
    "source": Field("The picture comes from", text(60, empty=True), kind="feed", of="clips", group=_SECONDS),
    "before_s": number("Before each", 0, 30, 4, "s", group=_SECONDS),
    "after_s": number("After each", 0, 30, 2, "s", group=_SECONDS),
    "gaps": one_of(
        "Where they are far apart",
        ((GAPS_OUT, "the gap is left out"), (WHOLE, "all of it stays")),
        GAPS_OUT,
        group=_SECONDS,
        advanced=True,
    ),
    "most_s": number("At most", 2, 120, 24, "s in all", group=_SECONDS, advanced=True),
    "shown": one_of("It is shown", ((AT_ONCE, "at once"), (HELD, "when it hides nothing")), HELD, group=_WHEN),
    "down": switch("While the player is down", **_IF_HELD),
    "between_rounds": switch("Between rounds", **_IF_HELD),
    "paused": switch("In a pause, and outside a match", **_IF_HELD),
    "game_scenes": Field(
        "In every scene but",
        named_scenes,
        kind="scenes",
        **_IF_HELD,
        help="The scenes in which the game is played. Left empty, scenes do not matter.",
    ),
    "also_if": Field(
        "And whenever this is true", _formula, kind="formula", placeholder="game.health == 0", advanced=True, **_IF_HELD
    ),
    "never_with": Field(
        "Never while these are seen",
        named_pieces,
        kind="pieces",
        of="replay",
        group=_WHEN,
        help="One that is seen already is put away when one of these comes.",
    ),
    "never_if": Field("Never while this is true", _formula, kind="formula", group=_WHEN, advanced=True),
    "longest_wait_s": number("One waits at most", 5, 3_600, 180, "s", group=_WHEN, advanced=True),
    "gap_s": number("Between two there are at least", 0, 3_600, 20, "s", group=_WHEN),
    "most_waiting": number("At most so many wait", 1, 20, 3, group=_WHEN, advanced=True),
    "speed_pct": number("Its speed", 25, 100, 100, "%", group=_HOW),
    "slow_pct": number("Around a kill", 25, 100, 50, "%", group=_HOW),
    "around_s": number("Around means, before and after", 1, 5, 1, "s", group=_HOW, advanced=True),
    "closer_pct": number("Closer", 100, 400, 100, "%", group=_HOW, help="At 100 % all of the picture is seen."),
    "closer_field": Field(
        "Closer only when its field", _LATER, kind="datum", group=_HOW, placeholder="distance", advanced=True
    ),
    "closer_how": one_of("is so", HOW, AT_LEAST, group=_HOW, advanced=True),
    "closer_value": Field("what", _LATER, group=_HOW, placeholder="40", advanced=True),
    "x_pct": number("Toward a point, from the left", 0, 100, 50, "%", group=_HOW),
    "y_pct": number("and from above", 0, 100, 50, "%", group=_HOW),
    "x_field": Field(
        "Or where the game tells, across",
        _LATER,
        kind="datum",
        group=_HOW,
        advanced=True,
        help="A field with a share from 0 to 1.",
    ),
    "y_field": Field("and down", _LATER, kind="datum", group=_HOW, advanced=True),
    "move_s": number("Moving in over", 0, 5, 1, "s", group=_HOW, advanced=True),
    "caption": Field(
        "Its words",
        _caption,
        kind="wide",
        default=DEFAULT_CAPTION,
        group=_TOLD,
        help="{kills}, {seconds}, {who}, {target} and {means} stand for what they say.",
    ),
    "sound": Field("It sounds", text(80, empty=True), kind="sound", default="gong", group=_TOLD),
    "sound_from": number("from so many kills on", 1, 50, 5, group=_TOLD),
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
