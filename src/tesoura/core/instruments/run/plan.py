"""What a run is set up with: what counts, what makes a best, when the clock begins, and presses that come double."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import line, text
from tesoura.core.forms.fields import Field, number, one_of
from tesoura.core.runs.attempt import EVERY, FIGHTS, WORSE
from tesoura.core.runs.history import DISTANCE, HITS

_RUN, _COUNTS, _BEGINS = "The run", "What counts", "Time and presses"
PRESS, COMMAND, EVENT = "press", "command", "event"
RULES = ((EVERY, "every hit"), (FIGHTS, "only hits of the fights"), (WORSE, "hits beyond the best"))
BESTS = ((HITS, "fewest hits, then least time"), (DISTANCE, "who came furthest"))
BEGINS = ((PRESS, "the first press of the run"), (COMMAND, "“Begin” alone"), (EVENT, "an event"))


@dataclass(frozen=True, slots=True)
class RunPlan:
    """The choices, ready for use. `apart` is how long after a press the same one counts for nothing, µs."""

    name: str
    title: str
    game: str
    word: str
    rule: str
    best_by: str
    begins: str
    event: str
    apart: int


FIELDS: Mapping[str, Field] = {
    "title": Field("Its name", line(60), default="Run", group=_RUN),
    "game": Field("Game", text(80, empty=True), placeholder="The Lantern Mile", group=_RUN),
    "word": Field(
        "What is counted is called",
        line(20),
        default="hits",
        group=_RUN,
        advanced=True,
        help="“deaths”, “falls”: viewers read it.",
    ),
    "counts": one_of(
        "What counts",
        RULES,
        EVERY,
        group=_COUNTS,
        help="The first hit that counts ends a clean run; beyond the best, the first one more than it "
        "had. Changing it recounts all attempts.",
    ),
    "best_by": one_of(
        "The best is",
        BESTS,
        HITS,
        group=_COUNTS,
        help="The fewest of those that came through; or the most splits before it was over.",
    ),
    "begins": one_of("The time begins with", BEGINS, PRESS, group=_BEGINS),
    "event": Field("Which event", text(120, empty=True), kind="event", group=_BEGINS, only_if=("begins", (EVENT,))),
    "apart_ms": number(
        "The same press counts once in",
        0,
        5_000,
        0,
        "ms",
        group=_BEGINS,
        advanced=True,
        help="0: every press counts. A key held down is one press anyway.",
    ),
}


def check(choices: Mapping[str, Any]) -> dict[str, str]:
    """What is wrong with choices that are right one by one."""
    if choices["begins"] == EVENT and not choices["event"]:
        return {"event": "Choose the event with which the time begins."}
    return {}


def make(name: str, choices: Mapping[str, Any]) -> RunPlan:
    """The plan that checked choices come to."""
    event = choices["event"] if choices["begins"] == EVENT else ""
    return RunPlan(
        name,
        choices["title"],
        choices["game"].strip(),
        choices["word"],
        choices["counts"],
        choices["best_by"],
        choices["begins"],
        event,
        choices["apart_ms"] * 1_000,
    )
