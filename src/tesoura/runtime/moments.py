"""Moments on air: what has begun on the pages, which of them have painted it, and what had to be dropped."""

from __future__ import annotations

import logging
import secrets
from collections.abc import Callable
from datetime import datetime, timedelta

from tesoura.core.overlays.moments import Moment, Moments
from tesoura.core.values import Event
from tesoura.outputs.broadcaster import Broadcaster

log = logging.getLogger(__name__)
PAINTED = "tesoura.painted"
"""The type of the event that tells of a moment which a viewers' page has painted."""
MOST_ACKS = 8
"""Of so many pages it is logged that they have painted a moment; a show has one or two."""
MOST_BEGUN = 200
"""The moments whose painting can still be told."""
DROPS_TOLD = timedelta(minutes=1)
Names = Callable[[str], tuple[str, str]]


class MomentsOnAir:
    """The line of moments, and what becomes of them. `names` gives the overlay's and the piece's name behind a key."""

    def __init__(self, hub: Broadcaster, clock: Callable[[], datetime], names: Names) -> None:
        self._hub, self._clock, self._names = hub, clock, names
        self._run = secrets.token_hex(4)
        self._begun: dict[str, tuple[Moment, set[str]]] = {}
        self._drops: dict[str, tuple[datetime, int]] = {}
        self.line = Moments()

    def add(self, key: str, text: str, for_s: float, seq: int, kind: str, alone: bool = False) -> bool:
        """Let a moment wait for its turn; False, and it is told, when too many wait."""
        if self.line.add(key, text, for_s, seq, kind, alone):
            return True
        self._dropped(self._names(key)[1], seq)
        return False

    def _dropped(self, piece: str, seq: int) -> None:
        """Say that a moment was dropped: once a minute, and then how many there were."""
        now, told = self._clock(), self._drops.get(piece)
        if told is not None and now - told[0] < DROPS_TOLD:
            self._drops[piece] = (told[0], told[1] + 1)
            return
        before = f", and {told[1]} others before it" if told and told[1] else ""
        log.warning("Too many moments wait for %s; that of event %d was dropped%s", piece, seq, before)
        self._drops[piece] = (now, 0)

    def begin(self, moment: Moment) -> None:
        """Show a moment on the pages."""
        overlay, _, piece_id = moment.key.partition("/")
        moment_id = f"{self._run}-{moment.number}"
        self._begun[moment_id] = (moment, set())
        while len(self._begun) > MOST_BEGUN:
            del self._begun[next(iter(self._begun))]
        if dropped := self._hub.moment(int(overlay), moment_id, piece_id, moment.text, moment.for_s):
            log.warning("%d pages were too far behind for the moment of event %d", dropped, moment.seq)

    def last(self) -> Moment | None:
        """The moment that began last, since the start."""
        return next(reversed([moment for moment, _ in self._begun.values()]), None)

    def painted(self, overlay_id: int, page_id: str, moment_id: str) -> Event | None:
        """What to log when a page says that it has painted a moment; None when it says so again, or of no moment."""
        moment, told = self._begun.get(moment_id, (None, set()))
        if moment is None or not moment.key.startswith(f"{overlay_id}/") or page_id in told or len(told) >= MOST_ACKS:
            return None
        told.add(page_id)
        overlay, piece = self._names(moment.key)
        data = {"moment": moment_id, "page": page_id, "overlay": overlay, "piece": piece, "type": moment.type}
        return Event(
            f"{moment_id}-{page_id}", "tesoura", PAINTED, self._clock(), data, moment_id, moment.seq, f"page:{page_id}"
        )
