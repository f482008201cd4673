"""What viewers' pages say they have painted of sponsors' items: gathered, put into the log, and told to be kept."""

from __future__ import annotations

import asyncio
import json
import uuid
from collections.abc import Callable, Coroutine
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from tesoura.core.sponsors.airtime import PaintedSpan
from tesoura.core.sponsors.evidence import PAINTED
from tesoura.core.values import Event
from tesoura.outputs.hub import Page
from tesoura.runtime.journal import Journal

GATHERED_S = 5.0
"""For so long what pages say is gathered into one event."""
MOST_SPANS, MOST_GATHERED = 60, 2_000
LONGEST_MS, OLDEST_MS, AHEAD_MS = 60_000, 12 * 3_600_000, 2_000
"""A page tells each ten seconds, and after a lost link what it kept; a span that is longer or older is made up."""


@dataclass(frozen=True, slots=True)
class Gathered:
    """What a page has said in one message: whose it is, its number, and the spans as they are logged."""

    page: Page
    number: int
    overlay: str
    spans: list[list[Any]]


class PaintedSpans:
    """Gathers what pages say, and logs it in one event each few seconds."""

    def __init__(
        self, journal: Journal, clock: Callable[[], datetime], start: Callable[[Coroutine[Any, Any, Any], str], object]
    ) -> None:
        self._journal, self._clock, self._start = journal, clock, start
        self._gathered: list[Gathered] = []
        self._waiting = False

    def take(self, overlay: str, page: Page, number: int, spans: object) -> None:
        """A page says what it has painted; what cannot be is left out."""
        if len(self._gathered) >= MOST_GATHERED:
            # The page says it again.
            return
        now_ms = int(self._clock().timestamp() * 1000)
        found = [one for raw in (spans if isinstance(spans, list) else [])[:MOST_SPANS] if (one := _span(raw, now_ms))]
        self._gathered.append(Gathered(page, number, overlay, found))
        if not self._waiting:
            self._waiting = True
            self._start(self._log(), "What pages have painted")

    async def _log(self) -> None:
        await asyncio.sleep(GATHERED_S)
        self._waiting = False
        gathered, self._gathered = self._gathered, []
        said = [{"page": one.page.id, "overlay": one.overlay, "spans": one.spans} for one in gathered if one.spans]
        if said:
            await self._journal.log([Event(uuid.uuid4().hex, "tesoura", PAINTED, self._clock(), {"pages": said})])
        for one in gathered:
            one.page.show(json.dumps({"kind": "kept", "painted": one.number}))


def _span(raw: object, now_ms: int) -> list[Any] | None:
    """A span as it is logged: the item, from when to when, ms since 1970, and why it does not count, or nothing."""
    if not isinstance(raw, list) or len(raw) != 8:
        return None
    item, begin, end, visible, loaded, above, area, opacity = raw
    if not isinstance(item, str) or not 0 < len(item) <= 120:
        return None
    told = (begin, end, area, opacity)
    if not all(isinstance(one, int | float) and abs(one) < 1e15 for one in told):
        return None
    numbers = [float(one) for one in told]
    begin, end = int(numbers[0]), int(numbers[1])
    if not (0 < end - begin <= LONGEST_MS and now_ms - OLDEST_MS <= begin and end <= now_ms + AHEAD_MS):
        return None
    painted = PaintedSpan("", item, begin, end, bool(loaded), bool(visible), bool(above), numbers[2], numbers[3])
    return [item, begin, end, painted.why_not] if painted.why_not else [item, begin, end]
