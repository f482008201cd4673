"""What a cue would have done with what is in the log: each of its decisions, had it been there."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import timedelta

from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.cues.conditions import OnlyIf
from tesoura.core.cues.cue import Cue, CuePlan
from tesoura.core.instruments.base import Fired

MOST_TOLD = 500


def looked_back(plan: CuePlan, events: Iterable[Occurrence]) -> Sequence[Fired]:
    """Its decisions over these events, in order, the first five hundred.

    What it asks for beside (a formula, the scene) is taken for met: the log does not tell what values were.
    """
    it, found = Cue(replace(plan, conditions=OnlyIf())), list[Fired]()
    last = None
    for event in events:
        last = instant(event.at)
        it = it.on_event(event)
        if it.asked:
            it = _heard(it.see({}, last), found)
        if len(found) >= MOST_TOLD:
            return found[:MOST_TOLD]
    while last is not None and it.turns.waiting and len(found) < MOST_TOLD:
        # Whoever waits at the end has his turn, whenever that is.
        last = max(it.next_change(last) or last, last + timedelta(milliseconds=1))
        it = _heard(it.see({}, last), found)
    return found


def _heard(it: Cue, found: list[Fired]) -> Cue:
    """The cue once it has heard its own decisions back."""
    for one in it.outbox:
        found.append(one)
        it = it.on_event(Occurrence(micros(one.at), 0, one.type, one.data))
    return it
