"""Asking a feed again and again: period, jitter, backoff, one log line an outage. Written once for all kinds."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any

from tesoura.core.backoff import next_delay_s
from tesoura.feeds.errors import SourceError, SourceUnavailable
from tesoura.feeds.kind import FeedKind, Fetched

if TYPE_CHECKING:
    import httpx

log = logging.getLogger(__name__)

Report = Callable[["Fetched | SourceError"], None]


class Poller:
    """One feed's endless questions. `chance` gives a random number from 0 to 1, for the jitter."""

    def __init__(
        self,
        name: str,
        kind: FeedKind,
        choices: Mapping[str, Any],
        secrets: Mapping[str, str],
        client: httpx.AsyncClient,
        report: Report,
        chance: Callable[[], float],
    ) -> None:
        self._name, self._kind, self._choices, self._secrets = name, kind, choices, secrets
        self._client, self._report, self._chance = client, report, chance
        self._failures = 0
        self._now = asyncio.Event()
        self.next_try_in_s: float | None = None

    def ask_now(self) -> None:
        """Do not wait for the period or the backoff."""
        self._now.set()

    async def run(self) -> None:
        """Ask until cancelled."""
        while True:
            delay_s = await self.ask()
            self.next_try_in_s = delay_s
            self._now.clear()
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(delay_s):
                    await self._now.wait()

    async def ask(self) -> float:
        """Ask once, report what came, and give the seconds to wait before the next time."""
        period_s = float(self._choices.get("period_s", 5.0))
        retry_after_s = None
        try:
            outcome: Fetched | SourceError = await self._kind.fetch(self._client, self._choices, self._secrets)
        except SourceError as error:
            outcome = error
        except Exception as error:
            log.exception("Feed %s: a fault in Tesoura", self._name)
            outcome = SourceUnavailable(f"Tesoura itself failed here ({type(error).__name__}). It is tried again.")
        if isinstance(outcome, SourceError):
            retry_after_s = getattr(outcome, "retry_after_s", None)
            self._failures += 1
            if self._failures == 1:
                log.warning("Feed %s is down: %s", self._name, outcome)
        elif self._failures:
            log.info("Feed %s is back after %d failed tries", self._name, self._failures)
            self._failures = 0
        try:
            self._report(outcome)
        except Exception:
            log.exception("Feed %s: what came could not be taken in", self._name)
        return next_delay_s(period_s, self._failures, self._chance(), retry_after_s)
