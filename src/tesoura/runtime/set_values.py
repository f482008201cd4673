"""Values set by a script, by hand, and the scene: in the log before they count."""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Callable
from datetime import datetime
from weakref import WeakValueDictionary

from tesoura.core.signals.assignments import BY_HAND, BY_SCRIPT, SCENE, Assignment
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event, Scalar, Signal
from tesoura.runtime.journal import Journal


class SetValues:
    """The way for values that somebody sets. With an `id`, what is set twice under it is set once."""

    def __init__(self, engine: Engine, journal: Journal, clock: Callable[[], datetime]) -> None:
        self._engine, self._journal, self._clock = engine, journal, clock
        self._turns: WeakValueDictionary[str, asyncio.Lock] = WeakValueDictionary()

    async def by_script(self, given: Assignment, actor: str, id: str = "") -> Signal:
        """Set a signal of the script feed; it is in the log before this ends."""
        return await self._set(BY_SCRIPT, given, given.signal, actor, id=id)

    async def by_hand(self, signal: str, choose: Callable[[Scalar | None], Scalar], actor: str, id: str = "") -> Signal:
        """Set a value by hand. `choose` is told the present one, so that two steps at once are two steps."""
        async with self._turns.setdefault(signal, asyncio.Lock()):
            value = choose(self._engine.values.get(signal))
            return await self._set(BY_HAND, Assignment(signal, value), signal.partition(".")[0], actor, id=id)

    async def scene(self, signal: str, scene: str, actor: str, cause: int | None = None, id: str = "") -> Signal:
        """Make this the present scene."""
        return await self._set(SCENE, Assignment(signal, scene), scene, actor, cause, id)

    async def _set(
        self, kind: str, given: Assignment, subject: str, actor: str, cause: int | None = None, id: str = ""
    ) -> Signal:
        now = self._clock()
        event = Event(id or uuid.uuid4().hex, "tesoura", kind, now, given.data(), subject, cause, actor)
        await self._journal.log([event])
        signal = self._engine.signal(given.signal, now)
        assert signal is not None
        return signal
