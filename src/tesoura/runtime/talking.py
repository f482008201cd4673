"""Effects that go out by links: a line said in chat."""

from __future__ import annotations

import asyncio

from tesoura.core.effects import Effect
from tesoura.errors import Gone, SourceUnavailable
from tesoura.links.irc import DROP
from tesoura.runtime.feeds import Feeds

LOOK_AGAIN_S = 0.1
AWAY_S = 60.0
"""For so long what is to be said waits for a chat that is away."""
LONGEST_WAIT_S = 60.0
"""What the pace would let through only later than this is left unsaid."""


class Talking:
    """The way out to what is talked with."""

    def __init__(self, feeds: Feeds) -> None:
        self._feeds = feeds

    async def say(self, effect: Effect, seq: int) -> str:
        """Say a line in the chat of this name; it waits its turn by the chat's pace."""
        return await self.say_in(effect.target, str(effect.data.get("line", "")))

    async def say_in(self, name: str, line: str) -> str:
        """Say a line in a chat; what became of it. Raises Gone, and SourceUnavailable."""
        if not line.strip():
            raise Gone("There is nothing to say: what the words read has not come yet.")
        from tesoura.links.irc.talk import Chat

        choices = self._feeds.choices(name)
        if choices is None or "pace_lines" not in choices:
            raise Gone(f"There is no chat {name[:60]} any more.")
        until = asyncio.get_running_loop().time() + AWAY_S
        while True:
            chat = self._feeds.link(name)
            if not isinstance(chat, Chat):
                await self._wait_for(name, choices.get("when_away") == DROP, until)
                continue
            if (wait_s := chat.wait_s()) > LONGEST_WAIT_S:
                raise SourceUnavailable(f"The chat's pace lets it through only in {wait_s:.0f} s; it is left unsaid.")
            if wait_s > 0:
                await asyncio.sleep(wait_s)
                continue
            return await chat.say(line)

    async def _wait_for(self, name: str, drop: bool, until: float) -> None:
        if drop:
            raise SourceUnavailable("The chat was away; as you chose, it is left unsaid.")
        if asyncio.get_running_loop().time() >= until:
            raise SourceUnavailable(f"The chat was away for {AWAY_S:.0f} s; it is left unsaid.")
        await asyncio.sleep(LOOK_AGAIN_S)
