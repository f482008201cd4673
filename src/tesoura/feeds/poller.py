"""Keeping a feed going: period, jitter, backoff, one log line an outage. Written once for all kinds."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import AsyncIterator, Awaitable, Callable

from tesoura.core.backoff import next_delay_s
from tesoura.errors import SourceError, SourceUnavailable
from tesoura.feeds.apart import LARGE
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.echo import error_without_echo, without_echo

log = logging.getLogger(__name__)

Report = Callable[["Fetched | SourceError"], Awaitable[object]]
RECONNECT_S = 1.0


class Poller:
    """One feed that is asked again and again, or whose stream is opened again whenever it breaks.

    `chance` gives a random number from 0 to 1, for the jitter.
    """

    def __init__(
        self, name: str, kind: FeedKind, context: FetchContext, report: Report, chance: Callable[[], float]
    ) -> None:
        self._name, self._kind, self._context, self._report, self._chance = name, kind, context, report, chance
        self._failures = 0
        self._now = asyncio.Event()
        self._stream: asyncio.Task[None] | None = None
        self.next_try_in_s: float | None = None

    def ask_now(self) -> None:
        """Do not wait for the period or the backoff; a stream that is open is opened anew."""
        self._now.set()
        if self._stream is not None:
            self._stream.cancel()

    async def run(self) -> None:
        """Ask, or follow, until cancelled."""
        while True:
            self.next_try_in_s = None
            delay_s = await (self.ask() if self._kind.fetch else self.follow())
            self.next_try_in_s = delay_s
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(delay_s):
                    await self._now.wait()
            self._now.clear()

    async def ask(self) -> float:
        """Ask once, report what came, and give the seconds to wait before the next time."""
        assert self._kind.fetch is not None
        retry_after_s = None
        try:
            outcome: Fetched | SourceError = await self._kind.fetch(self._context)
        except SourceError as error:
            outcome = error
        except Exception as error:
            outcome = self._fault(error)
        if isinstance(outcome, SourceError):
            retry_after_s = getattr(outcome, "retry_after_s", None)
        await self._tell(outcome)
        period_s = float(self._context.choices.get("period_s", 5.0))
        return next_delay_s(period_s, self._failures, self._chance(), retry_after_s)

    async def follow(self) -> float:
        """Follow the stream until it breaks, and give the seconds to wait before it is opened again."""
        assert self._kind.follow is not None
        self._stream = asyncio.ensure_future(self._pass_on(self._kind.follow(self._context)))
        outcome: SourceError
        try:
            await self._stream
            outcome = SourceUnavailable("The connection was closed. Reconnecting.")
        except asyncio.CancelledError:
            if not self._stream.cancelled() or (task := asyncio.current_task()) is None or task.cancelling():
                self._stream.cancel()
                await asyncio.gather(self._stream, return_exceptions=True)
                raise
            return 0.0
        except SourceError as error:
            outcome = error
        except Exception as error:
            outcome = self._fault(error)
        finally:
            self._stream = None
        await self._tell(outcome)
        retry_after_s = getattr(outcome, "retry_after_s", None)
        return next_delay_s(RECONNECT_S, self._failures - 1, self._chance(), retry_after_s)

    async def _pass_on(self, stream: AsyncIterator[Fetched]) -> None:
        try:
            async for came in stream:
                if not await self._tell(came):
                    raise SourceUnavailable("The data couldn't be saved. Reading it again.")
        finally:
            close = getattr(stream, "aclose", None)
            if close is not None:
                await close()

    def _fault(self, error: Exception) -> SourceUnavailable:
        log.error("Feed %s: a fault in Tesoura", self._name, exc_info=error)
        return SourceUnavailable(f"An error in Tesoura ({type(error).__name__}). Retrying.")

    async def _tell(self, outcome: Fetched | SourceError) -> bool:
        """Report what came; whether it was taken in."""
        if isinstance(outcome, SourceError):
            outcome = error_without_echo(outcome, self._context)
            self._failures += 1
            if self._failures == 1:
                log.warning("Feed %s is down: %s", self._name, outcome)
        else:
            if outcome.size_bytes >= LARGE:
                outcome = await asyncio.to_thread(without_echo, outcome, self._context)
            else:
                outcome = without_echo(outcome, self._context)
            if self._failures:
                log.info("Feed %s is back after %d failed tries", self._name, self._failures)
                self._failures = 0
        try:
            await self._report(outcome)
        except Exception:
            log.exception("Feed %s: its data couldn't be processed", self._name)
            return False
        if isinstance(outcome, Fetched):
            # Only what was taken in counts as brought: else it is asked for again from where it was before.
            self._context.keep(outcome)
        return True
