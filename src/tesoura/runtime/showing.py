"""Pieces shown and hidden by somebody: in the log before it counts, kept over a restart until told otherwise."""

from __future__ import annotations

import asyncio
import json
import uuid
from collections.abc import Callable
from datetime import datetime

from sqlmodel import Session

from tesoura.core.effects import HIDE, SWAP, Effect
from tesoura.core.overlays.claims import Claims
from tesoura.core.values import Event
from tesoura.errors import Gone
from tesoura.runtime.journal import Journal
from tesoura.runtime.stage import Stage
from tesoura.store import state
from tesoura.store.store import Store

SHOWN = "tesoura.shown"
"""The type of the event that tells that a piece was shown or hidden until told otherwise."""
CLEARED = "tesoura.air_cleared"
"""The type of the event that tells that everything on all overlays was hidden, or brought back."""
_KEPT, _CLEARED = "pieces_shown", "air_cleared"


class Showing:
    """The way to show and to hide pieces that are on air."""

    def __init__(self, store: Store, stage: Stage, journal: Journal, clock: Callable[[], datetime]) -> None:
        self._store, self._journal, self._clock = store, journal, clock
        self._stage, self._curtain, self._names = stage, stage.curtain, stage.placed

    async def start(self) -> None:
        """Go on from what was told before. What was shown for a time is as it was before that."""
        kept, cleared = await asyncio.to_thread(
            self._store.read, lambda session: (state.choice(session, _KEPT), state.choice(session, _CLEARED))
        )
        self._curtain.claim(Claims(json.loads(kept or "{}")))
        self._curtain.clear(cleared == "yes")

    def keys_of(self, piece: str) -> list[str]:
        """The pieces on air of this name that can be shown and hidden. Raises Gone when there is none."""
        keys = self._curtain.keys_of(piece)
        if not keys:
            raise Gone(f"{piece[:80] or 'This piece'} is not on air. It may have been renamed or deleted.")
        if found := [key for key in keys if self._curtain.can_be_hidden(key)]:
            return found
        raise Gone(f"{piece[:80]} shows alerts: it appears and disappears with them.")

    async def settle(self, piece: str, shown: bool, actor: str, cause: int | None = None, id: str = "") -> None:
        """Show or hide a piece until told otherwise. Raises Gone."""
        keys = self.keys_of(piece)
        name = " / ".join(self._names(keys[0]))
        data = {"piece": name, "shown": shown}
        event = Event(id or uuid.uuid4().hex, "tesoura", SHOWN, self._clock(), data, name, cause, actor)
        claims = self._curtain.claims
        for key in keys:
            claims = claims.settled(key, shown)
        kept = json.dumps(dict(claims.only(self._curtain.all_keys()).told))

        def also(session: Session) -> None:
            state.choose(session, _KEPT, kept)

        if not await self._journal.log([event], also):
            return
        for key in keys:
            self._curtain.claim(self._curtain.claims.settled(key, shown))

    async def clear(self, cleared: bool, actor: str, cause: int | None = None, id: str = "") -> None:
        """Hide everything on all overlays, or bring it back as it was; it holds over a restart."""
        event = Event(
            id or uuid.uuid4().hex, "tesoura", CLEARED, self._clock(), {"cleared": cleared}, None, cause, actor
        )

        def also(session: Session) -> None:
            state.choose(session, _CLEARED, "yes" if cleared else "no")

        if not await self._journal.log([event], also):
            return
        if not cleared:
            # What ended meanwhile is gone before anything is seen again.
            self._stage.end_moments(self._clock())
        self._curtain.clear(cleared)

    async def show(self, effect: Effect, seq: int) -> None:
        """Carry out an effect that shows, hides, or shows one piece instead of another; for a time when it says so."""
        wanted = [(effect.target, effect.kind != HIDE)]
        if effect.kind == SWAP:
            wanted.append((str(effect.data.get("instead", "")), False))
        found = [(key, shown) for piece, shown in wanted for key in self.keys_of(piece)]
        if not effect.data.get("for_s"):
            for piece, shown in wanted:
                await self.settle(piece, shown, "effect", seq)
            return
        claims = self._curtain.claims
        for key, shown in found:
            claims = claims.claimed(str(effect.data["claim"]), key, shown)
        self._curtain.claim(claims)

    async def as_before(self, effect: Effect, seq: int) -> str | None:
        """Take back what was shown for a time, unless something else holds by now."""
        claim = str(effect.data.get("claim", ""))
        held = [key for name, key, _ in self._curtain.claims.held if name == claim]
        if not held:
            return "it was shown or hidden in the meantime, and stays"
        before = {key: self._curtain.is_shown(key) for key in held}
        self._curtain.claim(self._curtain.claims.released(claim))
        same = all(self._curtain.is_shown(key) is shown for key, shown in before.items())
        return "another rule controls it" if same else None
