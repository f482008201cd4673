"""Who carries out what: one performer for each kind of effect. What it raises is told as a failure, with its words."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from tesoura.core.effects import (
    AS_BEFORE,
    CALL,
    CLIP,
    COMMAND,
    HIDE,
    MOMENT,
    PRESS,
    SAY,
    SCENE,
    SCENE_BACK,
    SCRIPT,
    SET,
    SHOW,
    SOUND,
    SOUND_ON,
    SWAP,
    Effect,
)
from tesoura.core.signals.assignments import Assignment
from tesoura.core.values import Scalar, Wanted, as_scalar, from_json
from tesoura.errors import Gone, SourceUnavailable, ValueRefused
from tesoura.runtime.effects import Performer

if TYPE_CHECKING:
    from tesoura.runtime.facade import Runtime

BY = "effect"
"""Who did what an effect does; what led to it stands beside."""
CALL_S = 5.0
_PAIR = re.compile(r"\s*(?P<name>[a-z_]{1,40})\s*[:= ]\s*(?P<value>[^,]*)")


class Performers:
    """The performers, and what they must remember between one effect and the one that takes it back."""

    def __init__(self, runtime: Runtime) -> None:
        self._runtime = runtime
        self._before: dict[str, str] = {}

    def table(self) -> Mapping[str, Performer]:
        """Each by its kind of effect."""
        show = self._runtime.showing
        return {
            SOUND: self._sound,
            SOUND_ON: self._sound_on,
            SCENE: self._scene,
            SCENE_BACK: self._scene_back,
            COMMAND: self._command,
            PRESS: self._press,
            SET: self._set,
            MOMENT: self._moment,
            CALL: self._call,
            SAY: self._runtime.talking.say,
            SHOW: show.show,
            HIDE: show.show,
            SWAP: show.show,
            AS_BEFORE: show.as_before,
            SCRIPT: self._script,
            CLIP: self._clip,
        }

    async def _sound(self, effect: Effect, seq: int) -> None:
        self._runtime.stage.sound(effect.target, str(effect.data.get("sound", "")))

    async def _sound_on(self, effect: Effect, seq: int) -> None:
        if not self._runtime.stage.sound_on(effect.target, str(effect.data.get("sound", ""))):
            raise Gone(f"No overlay {effect.target[:60]} is on air.")

    async def _clip(self, effect: Effect, seq: int) -> str:
        return await self._runtime.clips.fetch(effect, seq)

    async def _moment(self, effect: Effect, seq: int) -> None:
        words, for_s = str(effect.data.get("words", "")), float(effect.data.get("for_s", 6.0))
        if not words:
            raise Gone("The text is empty: its values haven't arrived yet.")
        if not self._runtime.stage.moment_on(effect.target, words, for_s, seq):
            raise Gone(f"{effect.target[:80]} is not on air, or its alert queue is full.")
        self._runtime.show_waiting()

    async def _scene(self, effect: Effect, seq: int) -> None:
        before, wanted = self._runtime.stage.scene, effect.target
        if before.casefold() != wanted.casefold():
            self._before[wanted.casefold()] = before
        await self._runtime.set_scene(wanted, BY, seq)

    async def _scene_back(self, effect: Effect, seq: int) -> str | None:
        """To the scene before, unless somebody has gone elsewhere meanwhile."""
        left, present = effect.target.casefold(), self._runtime.stage.scene
        before = self._before.pop(left, "")
        if present.casefold() != left:
            return f"the scene is now {present or 'unknown'} and stays"
        if not before:
            return "there was no previous scene"
        await self._runtime.set_scene(before, BY, seq)
        return None

    async def _command(self, effect: Effect, seq: int) -> str:
        told = str(effect.data.get("with", ""))
        given = {found["name"]: found["value"].strip() for one in told.split(",") if (found := _PAIR.fullmatch(one))}
        # An instrument gives it as it is: a name may have a comma in it.
        given |= effect.data.get("given", {})
        return await self._give(effect.target, str(effect.data.get("command", "")), given, seq)

    async def _press(self, effect: Effect, seq: int) -> str:
        return await self._give(effect.target, "press", {"by": "a cue"}, seq)

    async def _give(self, name: str, command: str, given: Mapping[str, Any], seq: int) -> str:
        try:
            return (await self._runtime.instruments.command(name.lower(), command.lower(), given, BY, seq)).effect
        except LookupError:
            raise Gone(f"There is no {name[:60]} any more.") from None

    async def _set(self, effect: Effect, seq: int) -> None:
        """A value set by hand keeps what it is; anything else is set as a script would."""
        name, value = effect.target.lower(), _value(str(effect.data.get("value", "")))
        feed, _, part = name.partition(".")
        if self._runtime.feeds.hand_signal(feed) is not None:
            await self._runtime.set_by_hand(feed, lambda _: value, BY)
        elif feed == "script" and part:
            await self._runtime.set_values.by_script(Assignment(name, value), BY)
        else:
            raise Gone(f"{name[:60]} can't be set: it is neither a hand-set value nor a script signal.")

    async def _script(self, effect: Effect, seq: int) -> str:
        from tesoura.feeds.script.run import run_told

        feeds = self._runtime.feeds
        said = await run_told(await feeds.context({"program": effect.target}, {}), str(effect.data.get("told", "")))
        return f"it said “{said}”" if said else "done"

    async def _call(self, effect: Effect, seq: int) -> str:
        import httpx

        body = str(effect.unlogged["body"])
        client = await self._runtime.feeds.client()
        try:
            async with client.stream(
                "POST",
                str(effect.unlogged["address"]),
                content=body.encode(),
                headers={"Content-Type": _type_of(body)},
                timeout=CALL_S,
            ) as answer:
                status = answer.status_code
        except httpx.HTTPError as error:
            raise SourceUnavailable(f"No answer within {CALL_S:.0f} s ({type(error).__name__}).") from None
        if status >= 400:
            raise SourceUnavailable(f"Response: {status}.")
        return f"response: {status}"


def _value(typed: str) -> Scalar:
    try:
        return as_scalar(typed, Wanted.NUMBER)
    except ValueRefused:
        return typed


def _type_of(body: str) -> str:
    try:
        from_json(body)
    except ValueError:
        return "text/plain; charset=utf-8"
    return "application/json"
