"""The one executor of effects: each is in the log before it begins, and what became of it after."""

from __future__ import annotations

import asyncio
import logging
import uuid
from collections.abc import Awaitable, Callable, Mapping, Sequence
from datetime import datetime

from sqlmodel import Session

from tesoura.core.cues.cue import RECORD
from tesoura.core.effects import CALL, CLIP, INSIDE, SAY, SCENE, SCENE_BACK, SCRIPT, SLOW, Effect
from tesoura.core.values import Event
from tesoura.errors import TesouraError
from tesoura.outputs.lanes import Bounds, Lanes
from tesoura.runtime.journal import Journal
from tesoura.store import log as event_log
from tesoura.store.log import Logged
from tesoura.store.store import Store

log = logging.getLogger(__name__)
BEGUN, ENDED = "tesoura.effect", "tesoura.effect_ended"
DONE, FAILED, TOO_LATE, UNDONE = "done", "failed", "too late", "not done"
PAUSED, WHY_PAUSED = "paused", "it was imported and not started yet"
LOOKED_AT = 200
"""So many of the newest firings are looked at after a start; what is older was told by an earlier one."""
BOUNDS: Mapping[str, Bounds] = {
    SAY: Bounds(1, 50, 90.0),
    CALL: Bounds(4, 20, 8.0, each_target=False),
    SCRIPT: Bounds(1, 5, 30.0),
    SCENE: Bounds(1, 20, 8.0, each_target=False),
    SCENE_BACK: Bounds(1, 20, 8.0, each_target=False),
    CLIP: Bounds(3, 20, 240.0),
}
"""What goes out of this machine goes by a way of its own; what is shown here has no need of one."""
Performer = Callable[[Effect, int], Awaitable[str | None]]
"""Carries out the effects of a kind; told the place in the log where it began.

What it raises is told as a failure, what it gives is told beside.
"""


class Effects:
    """Carries out effects by their kind. `performers` is the table of those there are."""

    def __init__(
        self,
        journal: Journal,
        clock: Callable[[], datetime],
        performers: Mapping[str, Performer],
        held: Callable[[str], bool] = lambda actor: False,
    ) -> None:
        self._journal, self._clock, self._performers, self._held = journal, clock, performers, held
        self._lanes = Lanes(BOUNDS)

    async def perform(self, effects: Sequence[Effect], cause: int | None, actor: str) -> list[str]:
        """Carry these out, one after the other, each at its time; what became of each: `done`, `failed`, `too late`."""
        loop = asyncio.get_running_loop()
        began, told = loop.time(), list[asyncio.Future[str]]()
        try:
            for one in effects:
                if (wait_s := began + one.delay_s - loop.time()) > 0:
                    await asyncio.sleep(wait_s)
                told.append(asyncio.ensure_future(self._perform(one, cause, actor)))
                if one.kind not in SLOW:
                    await told[-1]
            return await asyncio.gather(*told)
        finally:
            for job in told:
                job.cancel()

    async def tell_undone(self, store: Store) -> int:
        """After a start: tell of the firings whose effects the last run did not come to; how many they are."""

        def ask(session: Session) -> list[tuple[Logged, int]]:
            fired = [one for one in event_log.newest_under(session, RECORD, LOOKED_AT) if one.event.data.get("effects")]
            return [(one, left) for one in fired if (left := _left_undone(session, one)) > 0]

        undone = await asyncio.to_thread(store.read, ask)
        for one, left in reversed(undone):
            told = {
                "effect": "all" if left == one.event.data["effects"] else "the rest",
                "target": one.event.subject,
                "outcome": UNDONE,
                "left": left,
                "why": "Tesoura stopped before it could",
            }
            event = Event(
                f"{one.seq}:undone", "tesoura", ENDED, self._clock(), told, one.event.subject, one.seq, one.event.actor
            )
            await self._journal.log([event])
        return len(undone)

    async def _perform(self, effect: Effect, cause: int | None, actor: str) -> str:
        if effect.too_late(self._clock()):
            await self._tell(ENDED, effect, {"outcome": TOO_LATE}, cause, actor)
            return TOO_LATE
        if self._held(actor):
            await self._tell(ENDED, effect, {"outcome": PAUSED, "why": WHY_PAUSED}, cause, actor)
            return PAUSED
        if effect.kind in INSIDE and cause is not None:
            # What led to it is in the log: nothing of it can be begun without anybody knowing.
            begun, told = cause, dict(effect.data)
        else:
            begun, told = await self._tell(BEGUN, effect, dict(effect.data), cause, actor), {}
        try:
            performer = self._performers[effect.kind]
            note = await self._lanes.run(effect.kind, effect.target, lambda: performer(effect, begun))
        except Exception as error:
            if not isinstance(error, TesouraError):
                log.error("The effect %s on %s failed", effect.kind, effect.target, exc_info=error)
            why = "not possible here" if isinstance(error, KeyError) else str(error)
            await self._tell(ENDED, effect, {**told, "outcome": FAILED, "why": why}, begun, actor)
            return FAILED
        await self._tell(ENDED, effect, {**told, "outcome": DONE, **({"note": note} if note else {})}, begun, actor)
        return DONE

    async def _tell(self, kind: str, effect: Effect, data: Mapping[str, object], cause: int | None, actor: str) -> int:
        told = {"effect": effect.kind, "target": effect.target, **data}
        if "of" in effect.data:
            told["of"] = effect.data["of"]
        event = Event(uuid.uuid4().hex, "tesoura", kind, self._clock(), told, effect.target, cause, actor)
        return (await self._journal.log([event]))[0].seq


def _left_undone(session: Session, fired: Logged) -> int:
    """Of how many effects of a firing nothing tells what became of them."""
    led_to = event_log.caused_by(session, fired.seq)
    ended = [one for one in led_to if one.event.type == ENDED]
    ended += [end for one in led_to for end in event_log.caused_by(session, one.seq) if end.event.type == ENDED]
    told = sum(int(str(one.event.data.get("left", 1))) for one in ended)
    return int(str(fired.event.data["effects"])) - told
