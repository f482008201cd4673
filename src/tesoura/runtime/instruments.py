"""Instruments operated: commands in, each in the log before it counts; what they fire out, each in the log once."""

from __future__ import annotations

import asyncio
import logging
import secrets
import uuid
from collections.abc import Callable, Coroutine, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any
from weakref import WeakValueDictionary

from tesoura.core.instruments.base import Fired, Instrument, Step
from tesoura.core.instruments.clock_shift import shifted
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.items import InstrumentItem
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.core.signals.engine import Engine
from tesoura.core.values import INSTRUMENT, Event, Freshness, Scalar
from tesoura.errors import CommandRefused
from tesoura.runtime.effects import Effects
from tesoura.runtime.journal import Journal

log = logging.getLogger(__name__)
SECRET_BYTES = 32
"""How many bytes a secret has that a command seals."""
STANDS_STILL = "An error in Tesoura stopped this. Rebuild it, or change its settings."
RETRY_S, MOST_RETRY_S = 1.0, 30.0
"""How long until what could not be written is tried again, at first and at most."""


@dataclass(frozen=True, slots=True)
class InstrumentState:
    """An instrument as it stands: its set-up, itself, and its signals' values by the part after the dot."""

    setup: Setup
    instrument: Instrument
    values: Mapping[str, Scalar | None]
    broken: str | None = None
    """How it failed, when it did; it stands still until it is built anew."""
    view: Mapping[str, Any] = field(default_factory=dict)
    """What its templates are told beside its signals."""
    items: tuple[InstrumentItem, ...] = ()
    """Its items, for a kind that has some."""
    freshness: Freshness = Freshness.LIVE
    """How fresh the least fresh of its signals is."""


def topic(name: str) -> str:
    """What desks are told when an instrument's panel must be drawn again."""
    return f"instrument-{name}"


class Instruments:
    """The way to the instruments that run, and from them."""

    def __init__(
        self,
        engine: Engine,
        journal: Journal,
        effects: Effects,
        clock: Callable[[], datetime],
        touched: Callable[[str], None],
        start: Callable[[Coroutine[Any, Any, Any]], object],
    ) -> None:
        self._engine, self._graph, self._journal, self._effects, self._clock = (
            engine,
            engine.graph,
            journal,
            effects,
            clock,
        )
        self._fired: list[tuple[Setup, Fired]] = []
        self._logging = asyncio.Lock()
        self._stopping = False
        self._values = engine.values
        self._turns: WeakValueDictionary[str, asyncio.Lock] = WeakValueDictionary()
        self._touched, self._start = touched, start

    def standing(self, name: str) -> InstrumentState | None:
        """How one instrument stands."""
        player = self._graph.player(name)
        return self._standing(player) if player else None

    def all(self, room: str = "instruments") -> list[InstrumentState]:
        """The states of all instruments of a room, oldest first."""
        return [self._standing(player) for player in self._players() if player.definition.kind_of.room == room]

    def setups(self, room: str = "") -> list[Setup]:
        """The settings of all instruments of a room, or of all rooms, oldest first."""
        return [one for player in self._players() if room in ("", (one := player.definition).kind_of.room)]

    def _players(self) -> list[Runner]:
        return [player for key, _ in self._graph if (player := self._graph.player(key))]

    def _standing(self, player: Runner) -> InstrumentState:
        setup = player.definition
        now, instrument = self._clock(), player.instrument
        told = self._graph.ask(setup.name, lambda _: (instrument.read(now), instrument.view(now)), None)
        if told is None:
            known = {name.partition(".")[2]: self._values.get(name) for name in setup.outputs()}
            broken = self._graph.broken.get(setup.name, "")
            return InstrumentState(setup, instrument, known, broken, freshness=Freshness.DOWN)
        fresh = self._engine.freshness_of(setup.outputs(), now)
        return InstrumentState(setup, instrument, told[0], None, told[1], player.items, fresh)

    def attempt(self, name: str, command: str, given: Mapping[str, Any], actor: str = "desk") -> Step:
        """What a command would lead to now. Raises LookupError, and InvalidField when it leads nowhere."""
        return self._attempt(name, Command(command, given, actor=actor), self._clock())

    def _attempt(self, name: str, command: Command, now: datetime) -> Step:
        """What a command would lead to. Raises LookupError, InvalidField, and CommandRefused for one that fails."""
        self._player(name)
        step: Step | None = self._graph.ask(name, lambda player: player.attempt(command, now), None)
        if step is None:
            raise CommandRefused(STANDS_STILL)
        return step

    def _player(self, name: str) -> Runner:
        player = self._graph.player(name)
        if player is None:
            raise LookupError(name)
        if name in self._graph.broken:
            raise CommandRefused(STANDS_STILL)
        return player

    async def command(
        self,
        name: str,
        command: str,
        given: Mapping[str, Any],
        actor: str = "desk",
        cause: int | None = None,
        id: str = "",
    ) -> Step:
        """Give a command: it is in the log before this ends. Raises LookupError, and InvalidField."""
        # One after the other: the second of two equal ones finds the instrument as the first has left it.
        async with self._turns.setdefault(name, asyncio.Lock()):
            now, player = self._clock(), self._player(name)
            known = player.definition.kind_of.command(command)
            # Drawn here, at the edge, and kept with the command: read again, it falls as it fell.
            chance = secrets.randbelow(2**53) / 2**53 if known is not None and known.draws else None
            secret = secrets.token_hex(SECRET_BYTES) if known is not None and known.seals else ""
            step = self._attempt(name, Command(command, given, chance=chance, actor=actor, secret=secret), now)
            drawn = {"chance": chance, "secret": secret}
            data = {
                "command": command,
                **step.given,
                **{name: one for name, one in drawn.items() if one not in (None, "")},
            }
            kind = player.definition.command_type
            event = Event(id or uuid.uuid4().hex, "tesoura", kind, now, data, name, cause, actor)
            logged = await self._journal.log([event])
            if logged and (why := player.refusal_of(logged[0].seq)):
                raise CommandRefused(f"Something happened before it: {why}")
        self._touched(topic(name))
        return replace(step, seq=logged[0].seq if logged else 0)

    def fired(self, fired: Sequence[tuple[Setup, Fired]]) -> None:
        """Instruments have fired these; they wait to be logged."""
        self._fired += fired

    def clock_was_set(self, by: timedelta) -> None:
        """The computer's clock was set: what waits to be logged happened as long ago as before."""
        self._fired = [(setup, shifted(one, by)) for setup, one in self._fired]

    def stop(self) -> None:
        """Try no longer to log what could not be logged."""
        self._stopping = True

    async def log_fired(self) -> None:
        """Put into the log what instruments have fired, and carry out the effects of what was new there.

        What cannot be written is kept and tried again: an instrument fires it once only.
        """
        async with self._logging:
            wait_s = RETRY_S
            while self._fired:
                # What waits happened as long ago as before, also by a clock that was just set.
                await self._journal.steady()
                fired, self._fired = self._fired, []
                by_id = {(INSTRUMENT + setup.name, one.id): one for setup, one in fired}
                events = [
                    Event(
                        one.id,
                        INSTRUMENT + setup.name,
                        one.type,
                        one.at,
                        one.data,
                        setup.name,
                        one.cause,
                        INSTRUMENT + setup.name,
                    )
                    for setup, one in fired
                ]
                try:
                    logged = await self._journal.log(events)
                except Exception:
                    self._fired = [*fired, *self._fired]
                    sources = ", ".join(sorted({one.source for one in events}))
                    log.exception("Events of %s couldn't be logged; retrying", sources)
                    if self._stopping:
                        return
                    await asyncio.sleep(wait_s)
                    wait_s = min(2 * wait_s, MOST_RETRY_S)
                    continue
                for one in logged:
                    if effects := by_id[one.event.source, one.event.id].effects:
                        # Beside everything else: some begin only later, and none keeps another waiting.
                        self._start(self._effects.perform(effects, one.seq, one.event.source))

    def panels_changed(self, signals: Sequence[str]) -> list[str]:
        """The topics of the panels that must be drawn again: in another state, or of a kind that seldom changes."""
        found: dict[str, None] = {}
        runners = self._graph.runners
        for name in signals if runners else ():
            first, _, part = name.partition(".")
            if first in runners and topic(first) not in found:
                kind = runners[first].definition.kind_of
                if not kind.passing or part in kind.panel_follows:
                    found[topic(first)] = None
        return list(found)
