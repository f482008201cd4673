"""The desk's buttons operated: what each shows, and presses that have one effect however often they are sent."""

from __future__ import annotations

import asyncio
import uuid
from collections import OrderedDict
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import Any

from tesoura.actions.action import Call, Doing
from tesoura.actions.match_faces import with_match
from tesoura.actions.registry import do, would
from tesoura.core.desk.buttons import KINDS, DeskButton
from tesoura.core.desk.faces import ButtonFace, PressOutcome, is_level, level_of, state_words, value_at
from tesoura.errors import Gone, InvalidField, TesouraError
from tesoura.links.device.protocol import ButtonPress
from tesoura.runtime.facade import Runtime
from tesoura.runtime.tasks import fresh
from tesoura.store import log as event_log

PRESS = "press:"
"""How the id of the event begins that a press leads to."""
KNOWN_PRESSES = 2_000
RECENT_S = 60.0
"""For so long after a start each press is looked for among those of before it; later only one that says it was sent."""
LOOKED_BACK = timedelta(days=1)
TURN_EVERY_S = 0.05
"""A value that is being turned is written at most so often; the last one always is."""
CAME_BEFORE = "This press was already handled."


@dataclass(slots=True)
class _Turning:
    """A dial that is being turned: where it shall go, and who waits for that."""

    doing: Doing
    by: int
    level: float | None
    done: asyncio.Future[str]


class Buttons:
    """The way for all that presses buttons: the desk, its keys, phones and pads."""

    def __init__(self, runtime: Runtime) -> None:
        self._runtime, self._began_s = runtime, runtime.settings.lasting_s()
        self._presses: OrderedDict[tuple[str, str], asyncio.Task[PressOutcome]] = OrderedDict()
        self._earlier: frozenset[str] | None = None
        """The presses of before this start, once one was looked for."""
        self._turning: dict[str, _Turning] = {}

    # What they show

    async def faces(self, leaf_id: str, actor: str) -> tuple[ButtonFace, ...]:
        """How the buttons of a leaf stand for this actor. Raises Gone."""
        leaf = self._runtime.leaves.present.leaf(leaf_id)
        return tuple([await self.face(one, actor) for one in leaf.buttons])

    async def face(self, button: DeskButton, actor: str) -> ButtonFace:
        """How one button stands."""
        runtime = self._runtime
        doing = Doing(runtime, actor)
        now, on, free_at = doing.now().timestamp(), runtime.leaves.is_on(button), self._free_at(button)
        free_at = free_at if free_at is not None and free_at > now else None
        try:
            words, blocked = await would(doing, Call(*button.press(on))), False
        except TesouraError as error:
            words, blocked = str(error), True
        face = ButtonFace(
            button.id,
            button.shown_words,
            state_words(button, on, words, free_at),
            button.colour,
            button.size == "wide",
            on,
            blocked or free_at is not None,
            free_at,
            runtime.leaves.rests_s(button.id, free_at, now) if free_at is not None else 0.0,
            runtime.leaves.outcome(button.id, now),
            key=button.key,
        )
        if KINDS[button.does].counts:
            return with_match(face, button, runtime.engine.values)
        if is_level(button) and (choices := runtime.feeds.hand_choices(button.own["hand"])) is not None:
            present = runtime.engine.values.get(runtime.feeds.hand_signal(button.own["hand"]) or "")
            level = level_of(choices, present) if button.does == "level" else None
            return replace(face, turns=True, level=level, value="" if present is None else str(present))
        return face

    def _free_at(self, button: DeskButton) -> float | None:
        free_at = self._runtime.engine.values.get(f"{button.own['cue']}.free_at") if button.does == "cue" else None
        return float(free_at) if isinstance(free_at, int | float) else None

    # Presses

    async def press(self, press: ButtonPress, actor: str) -> PressOutcome:
        """Press a button; what it led to. The same press, sent again, has no second effect and the same answer.

        Of two who hide the same at once, the second shows nothing. Held, a value that is counted goes the other way;
        all else is as a press. Raises Gone.
        """
        key = (actor, press.press or uuid.uuid4().hex)
        coming = self._presses.get(key)
        if coming is None:
            # Beside whoever sent it: when his link breaks in between, it is not left half done.
            self._presses[key] = coming = asyncio.create_task(self._pressed(press, actor), name="A press")
            coming.add_done_callback(lambda task: self._over(key, task))
            while len(self._presses) > KNOWN_PRESSES:
                self._presses.popitem(last=False)
        return await asyncio.shield(coming)

    def _over(self, key: tuple[str, str], task: asyncio.Task[PressOutcome]) -> None:
        if task.cancelled() or task.exception() is not None:
            # Whoever sends it again shall be heard.
            self._presses.pop(key, None)

    async def _pressed(self, press: ButtonPress, actor: str) -> PressOutcome:
        if not press.press:
            return await self._told(press, Doing(self._runtime, actor))
        doing = Doing(self._runtime, actor, id=f"{PRESS}{actor}:{press.press}")
        if await self._has_come(press, doing):
            return PressOutcome(CAME_BEFORE, False, doing.now().timestamp())
        return await self._told(press, doing)

    async def _has_come(self, press: ButtonPress, doing: Doing) -> bool:
        """Whether it came to an earlier start of Tesoura. Whatever this says, the log takes each press once only."""
        if press.again:
            return await doing.read(lambda session: event_log.has(session, "tesoura", doing.id))
        if self._runtime.settings.lasting_s() - self._began_s > RECENT_S:
            return False
        if self._earlier is None:
            since = doing.now() - LOOKED_BACK
            self._earlier = await doing.read(lambda session: event_log.ids(session, "tesoura", PRESS, since))
        return doing.id in self._earlier

    async def _act(self, doing: Doing, press: ButtonPress) -> str:
        leaves = self._runtime.leaves
        _, button = leaves.present.found(press.button)
        if press.on is not None and KINDS[button.does].toggles and press.on != leaves.is_on(button):
            raise InvalidField("Somebody was faster: no change.")
        if press.held and button.does == "step":
            name, given = button.press(False)
            return (await do(doing, Call(name, {**given, "step": str(-int(given["step"]))}))).words
        return (await do(doing, Call("button.press", {"button": press.button}))).words

    async def _told(self, press: ButtonPress, doing: Doing) -> PressOutcome:
        try:
            words, refused = await self._act(doing, press), False
        except Gone:
            raise
        except TesouraError as error:
            words, refused = str(error), True
        outcome = PressOutcome(words, refused, doing.now().timestamp())
        self._runtime.leaves.pressed(press.button, outcome)
        self._runtime.touched("leaves")
        return outcome

    # Dials

    async def turn(self, button: str, actor: str, by: int = 0, level: float | None = None) -> str:
        """Turn a value by so many steps, or to where it lies between its bounds; how it reads then.

        Many turns at once are gathered: each counts, and the last is always written. Raises Gone, and InvalidField.
        """
        _, dial = self._runtime.leaves.present.found(button)
        if not is_level(dial):
            raise InvalidField("This button can't be turned.")
        waiting = self._turning.get(button)
        if waiting is None:
            waiting = _Turning(Doing(self._runtime, actor), 0, None, asyncio.get_running_loop().create_future())
            self._turning[button] = waiting
            asyncio.get_running_loop().call_later(TURN_EVERY_S, self._begin, button, dial, context=fresh())
        if level is None:
            waiting.by += by
        else:
            waiting.level, waiting.by = level, 0
        return await asyncio.shield(waiting.done)

    def _begin(self, button: str, dial: DeskButton) -> None:
        turning = self._turning.pop(button)

        async def job() -> None:
            try:
                words = await self._turned(turning, dial.own["hand"])
            except Exception as error:
                # The phone must get an answer, whatever went wrong.
                turning.done.set_exception(error)
                turning.done.exception()
                if not isinstance(error, TesouraError):
                    raise
            else:
                turning.done.set_result(words)

        self._runtime.start_beside(job(), "Turning a value")

    async def _turned(self, turning: _Turning, hand: str) -> str:
        words = ""
        if turning.level is not None:
            choices = self._runtime.feeds.hand_choices(hand)
            value = value_at(choices, turning.level) if choices else None
            if value is None:
                raise InvalidField("This value has no minimum and maximum to turn between. Set them first.")
            words = (await do(turning.doing, Call("hand.set", {"name": hand, "value": value}))).words
        if turning.by:
            step: dict[str, Any] = {"name": hand, "step": str(max(min(turning.by, 1_000), -1_000))}
            words = (await do(turning.doing, Call("hand.set", step))).words
        return words
