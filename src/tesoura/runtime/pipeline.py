"""From what came to what follows, without a clock, a file or a network: one pass for each batch.

The runtime wraps it with all of these; a rehearsal can use it as it is, with a stage of its own.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from tesoura.core.instruments.base import Fired
from tesoura.core.instruments.runner import Setup
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.engine import Engine
from tesoura.runtime.stage import Stage
from tesoura.store.log import Logged

MOMENT_FOR = timedelta(minutes=2)
"""What is longer past than this when it comes is no moment any more; the log can show it again."""


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a batch led to: what changed, what instruments have fired, which moments moved, what failed."""

    changes: Changes
    fired: Sequence[tuple[Setup, Fired]] = ()
    moments: bool = False
    stale: bool = False
    faults: Sequence[tuple[str, Exception]] = field(default_factory=tuple)


class Pipeline:
    """The engine and the stage, driven together."""

    def __init__(self, engine: Engine, stage: Stage) -> None:
        self.engine, self.stage = engine, stage

    def take(self, logged: Sequence[Logged], now: datetime) -> Outcome:
        """Let events of the log change what they change."""
        changes = self.engine.apply_events(logged, now)
        for one in logged:
            self.stage.happened(one.event, one.seq, now - one.event.time < MOMENT_FOR)
        return self.follow(changes, now)

    def tick(self, now: datetime) -> Outcome:
        """Let time change what it changes."""
        return self.follow(self.engine.tick(now), now)

    def follow(self, changes: Changes, now: datetime) -> Outcome:
        """Something has changed: the stage shows it, and begins and ends what is due."""
        moved = self.stage.show(changes, now)
        engine = self.engine
        return Outcome(changes, engine.graph.take_fired(), moved, engine.graph.any_stale, engine.take_faults())
