"""What a cue would have done with what is in the log: each of its decisions, had it been there."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import timedelta

from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.cues.conditions import OnlyIf
from tesoura.core.cues.cue import FIRES, REFUSED, Cue, CuePlan
from tesoura.core.instruments.base import Fired

LATEST = 50


@dataclass(slots=True)
class LookedBack:
    """How often it would have fired and been refused, and the latest firings, oldest first."""

    fires: int = 0
    refused: int = 0
    latest: deque[Fired] = field(default_factory=lambda: deque(maxlen=LATEST))

    def count(self, decided: Sequence[Fired]) -> None:
        """Take its decisions in."""
        for one in decided:
            if one.data["outcome"] == FIRES:
                self.fires += 1
                self.latest.append(one)
            elif one.data["outcome"] == REFUSED:
                self.refused += 1 + int(one.data.get("more", 0))


def looked_back(plan: CuePlan, events: Iterable[Occurrence]) -> LookedBack:
    """Its decisions over these events, in the order of the log.

    What it asks for beside (a formula, the scene) is taken for met: the log does not tell what values were.
    """
    it, found = Cue(replace(plan, conditions=OnlyIf())), LookedBack()
    last = None
    for event in events:
        last = instant(event.at)
        it = it.on_event(event)
        if it.asked:
            it = _heard(it.see({}, last), found)
    while last is not None and it.turns.waiting:
        # Whoever waits at the end has a turn, whenever that is.
        last = max(it.next_change(last) or last, last + timedelta(milliseconds=1))
        it = _heard(it.see({}, last), found)
    return found


def _heard(it: Cue, found: LookedBack) -> Cue:
    """The cue once it has heard its own decisions back."""
    decided = it.outbox
    found.count(decided)
    for one in decided:
        it = it.on_event(Occurrence(micros(one.at), 0, one.type, one.data))
    return it
