"""What a cue would have done with what is in the log: each of its decisions, had it been there.

What it asks for beside (a formula, the scene) is taken for met: the log does not tell what values were. So all that is
needed is its trigger and its limits.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from typing import Protocol

from tesoura.core.computed.occurrence import Occurrence
from tesoura.core.cues.cue import Conditions
from tesoura.core.cues.limits import Answer, Limits, Turns
from tesoura.core.cues.triggers import Trigger

LATEST = 50


class Decides(Protocol):
    """What decides of a cue: its trigger, its conditions and its limits."""

    @property
    def trigger(self) -> Trigger:
        """What sets it off."""
        ...

    @property
    def conditions(self) -> Conditions:
        """What must be true beside."""
        ...

    @property
    def limits(self) -> Limits:
        """How often it may fire."""
        ...


@dataclass(slots=True)
class LookedBack:
    """How often it would have fired and been refused, and the latest firings, oldest first."""

    fires: int = 0
    refused: int = 0
    latest: deque[Answer] = field(default_factory=lambda: deque(maxlen=LATEST))

    def take(self, answer: Answer) -> None:
        """Count one of its decisions."""
        if answer.fires:
            self.fires += 1
            self.latest.append(answer)
        else:
            self.refused += (not answer.waits) + (answer.instead_of is not None)


def looked_back(plan: Decides, events: Iterable[Occurrence]) -> LookedBack:
    """Its decisions over these events, in the order of the log; whoever waits at the end has a turn too."""
    turns, found, heard = Turns(), LookedBack(), plan.trigger.of_event
    for event in events:
        if (cause := heard(event)) is not None:
            turns = stepped(turns, plan.limits, cause.at, found)
            turns, answer = turns.ask(cause, plan.limits)
            found.take(answer)
    while turns.waiting:
        turns = stepped(turns, plan.limits, turn_of(turns, plan.limits), found)
    return found


def stepped(turns: Turns, limits: Limits, at: datetime, found: LookedBack) -> Turns:
    """Let those fire whose turn has come by this instant."""
    while (after := turns.step(limits, at))[1] is not None:
        turns, answer = after
        assert answer is not None
        found.take(answer)
    return turns


def turn_of(turns: Turns, limits: Limits) -> datetime:
    """When the next one's turn comes."""
    free_at, asked_at = turns.free_at(limits), turns.waiting[0].at
    return max(free_at, asked_at) if free_at is not None else asked_at
