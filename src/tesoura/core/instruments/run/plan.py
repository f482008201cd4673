"""What a run is set up with: what counts, what makes a best, when the clock begins, and presses that come double."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from tesoura.core.forms.checks import line, text
from tesoura.core.forms.fields import Field, number, one_of
from tesoura.core.runs.attempt import EVERY, FIGHTS, WORSE
from tesoura.core.runs.history import DISTANCE, HITS

_RUN, _COUNTS, _BEGINS = "Run", "Counting", "Time and presses"
PRESS, COMMAND, EVENT = "press", "command", "event"
RULES = ((EVERY, "every hit"), (FIGHTS, "only hits in fights"), (WORSE, "hits beyond the best"))
BESTS = ((HITS, "fewest hits, then least time"), (DISTANCE, "furthest"))
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
    "title": Field("Name", line(60), default="Run", group=_RUN),
    "game": Field("Game", text(80, empty=True), placeholder="The Lantern Mile", group=_RUN),
    "word": Field(
        "Counter name",
        line(20),
        default="hits",
        group=_RUN,
        advanced=True,
        help="Shown to viewers, such as “deaths” or “falls”.",
    ),
    "counts": one_of(
        "Hits counted",
        RULES,
        EVERY,
        group=_COUNTS,
        help="The first hit that counts ends a clean run; beyond the best, the first one more than it "
        "had. Changing it recounts all attempts.",
    ),
    "best_by": one_of(
        "Best attempt",
        BESTS,
        HITS,
        group=_COUNTS,
        help="Fewest hits among completed runs, or most splits before the end.",
    ),
    "begins": one_of("Clock starts with", BEGINS, PRESS, group=_BEGINS),
    "event": Field("Event", text(120, empty=True), kind="event", group=_BEGINS, only_if=("begins", (EVENT,))),
    "apart_ms": number(
        "Ignore repeats within",
        0,
        5_000,
        0,
        "ms",
        group=_BEGINS,
        advanced=True,
        help="0 = count every press. A held key is one press.",
    ),
}


def check(choices: Mapping[str, Any]) -> dict[str, str]:
    """What is wrong with choices that are right one by one."""
    if choices["begins"] == EVENT and not choices["event"]:
        return {"event": "Choose the event that starts the clock."}
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
