"""What goes out by links: a line said in chat, the scene switched in the program that composes the picture."""

from __future__ import annotations

import asyncio
from datetime import datetime

from tesoura.core.effects import Effect
from tesoura.errors import Gone, SourceUnavailable
from tesoura.links.irc import DROP
from tesoura.runtime.links import Links

LOOK_AGAIN_S = 0.1
AWAY_S = 60.0
"""For so long what is to be said waits for a chat that is away."""
LONGEST_WAIT_S = 60.0
"""What the pace would let through only later than this is left unsaid."""


class Talking:
    """The way out to what is talked with."""

    def __init__(self, links: Links) -> None:
        self._links = links

    async def say(self, effect: Effect, seq: int) -> str:
        """Say a line in the chat of this name; it waits its turn by the chat's pace."""
        return await self.say_in(effect.target, str(effect.data.get("line", "")))

    async def say_in(self, name: str, line: str) -> str:
        """Say a line in a chat; what became of it. Raises Gone, and SourceUnavailable."""
        if not line.strip():
            raise Gone("The text is empty: its values haven't arrived yet.")
        from tesoura.links.irc.talk import Chat

        choices = self._links.choices(name)
        if choices is None or "pace_lines" not in choices:
            raise Gone(f"There is no chat {name[:60]} any more.")
        until = asyncio.get_running_loop().time() + AWAY_S
        while True:
            chat = self._links.link(name)
            if not isinstance(chat, Chat):
                await self._wait_for(name, choices.get("when_away") == DROP, until)
                continue
            if (wait_s := chat.wait_s()) > LONGEST_WAIT_S:
                raise SourceUnavailable(
                    f"The chat's rate limit delays it by {wait_s:.0f} s, so the message was dropped."
                )
            if wait_s > 0:
                await asyncio.sleep(wait_s)
                continue
            return await chat.say(line)

    async def _wait_for(self, name: str, drop: bool, until: float) -> None:
        if drop:
            raise SourceUnavailable("The chat was disconnected, so the message was dropped, as set.")
        if asyncio.get_running_loop().time() >= until:
            raise SourceUnavailable(f"The chat was disconnected for {AWAY_S:.0f} s, so the message was dropped.")
        await asyncio.sleep(LOOK_AGAIN_S)

    # The scene

    def scene_link(self) -> str | None:
        """The name of the link that leads the scenes: the first there is; None when there is none."""
        return next(iter(self._links.of_kind("scene")), None)

    async def switch(self, scene: str) -> str:
        """Let the program that composes the picture switch; the scene's name as it is called here.

        Without a scene link it is as it was asked for. Raises SourceUnavailable while the link is away, and Gone.
        """
        name = self.scene_link()
        if name is None or not scene:
            return scene
        from tesoura.links.scene.talk import SceneLink

        link = self._links.link(name)
        if not isinstance(link, SceneLink):
            raise SourceUnavailable("The scene link is disconnected, so the scene was not switched.")
        return await link.switch(scene)

    def streaming_since(self) -> datetime | None:
        """Since when the picture is streamed, as the scene link tells."""
        name = self.scene_link()
        standing = self._links.standing(name) if name else None
        return standing.get("streaming_since") if standing else None

    async def call_scene(self, name: str, there: str, here: str) -> None:
        """Call a scene of the program otherwise here. Raises SourceUnavailable, and Gone."""
        from tesoura.links.scene.talk import SceneLink

        link = self._links.link(name)
        if not isinstance(link, SceneLink):
            raise SourceUnavailable("The scene link is disconnected. Rename its scenes when it is back.")
        if there not in link.scenes:
            raise Gone(f"The streaming software has no scene {there[:60]} any more.")
        link.call(there, here)

    def scenes(self) -> tuple[str, ...]:
        """The scenes of the program that composes the picture, as it told them last; empty when it never has."""
        name = self.scene_link()
        known = self._links.memory(name).get("scenes", ()) if name else ()
        return tuple(str(one) for one in known)
