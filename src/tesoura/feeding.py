"""The feeds that run: one poller each, and what came of its last try."""

from __future__ import annotations

import asyncio
import importlib
import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING, Any

import tesoura
from tesoura.core.changes import Changes, FeedState
from tesoura.core.engine import Engine
from tesoura.core.payload import TreeNode, tree
from tesoura.core.values import Scalar, Wanted
from tesoura.feeds.errors import CredentialsRejected, SourceError
from tesoura.feeds.kind import Fetched
from tesoura.feeds.kinds import KINDS
from tesoura.feeds.picking import NothingPicked, Pick, pick, pick_value
from tesoura.feeds.poller import Poller
from tesoura.store import feeds as stored
from tesoura.store.store import Store

if TYPE_CHECKING:
    import httpx


@dataclass(frozen=True, slots=True)
class Proof:
    """What one try of a feed showed: the payload as a tree, or the problem and how the answer began."""

    tree: TreeNode | None = None
    problem: str | None = None
    answer: str | None = None
    wants_key: bool = False
    took_ms: float = 0.0
    size_bytes: int = 0


@dataclass(frozen=True, slots=True)
class FeedReport:
    """A feed as the pages show it."""

    name: str
    title: str
    kind: str
    place: str
    period_s: float
    state: FeedState
    next_try_at: datetime | None
    signals: int


@dataclass(slots=True)
class _Running:
    title: str
    kind: str
    choices: Mapping[str, Any]
    picks: Sequence[Pick]
    poller: Poller | None = None
    task: asyncio.Task[None] | None = None
    payload: object = None
    came_at: datetime | None = None
    proof: Proof = Proof()
    tried_at: datetime | None = None


class Feeding:
    """All feeds of the data folder, started, changed and stopped as the store says."""

    def __init__(
        self, store: Store, engine: Engine, clock: Callable[[], datetime], publish: Callable[[Changes], None]
    ) -> None:
        self._store, self._engine, self._clock, self._publish = store, engine, clock, publish
        self._running: dict[str, _Running] = {}
        self._refreshing = asyncio.Lock()
        self._made_client: httpx.AsyncClient | None = None

    async def _client(self) -> httpx.AsyncClient:
        # Made when the first feed asks, and loaded beside the loop: it would take a quarter of a second off the start.
        if self._made_client is None:
            library = await asyncio.to_thread(importlib.import_module, "httpx")
            self._made_client = self._made_client or library.AsyncClient(
                follow_redirects=False,
                trust_env=False,
                timeout=library.Timeout(10.0, connect=4.0),
                headers={"User-Agent": f"Tesoura/{tesoura.__version__}"},
            )
        return self._made_client

    async def start(self) -> None:
        """Start every feed that was not paused."""
        for row in await asyncio.to_thread(self._store.read, stored.all_feeds):
            await self.refresh(row.name)

    async def stop(self) -> None:
        """Stop all feeds."""
        for name in list(self._running):
            await self._halt(name)
        if self._made_client is not None:
            await self._made_client.aclose()

    async def refresh(self, name: str) -> None:
        """Bring one feed to what the store says of it: new, changed, paused, or gone."""
        async with self._refreshing:
            await self._refresh(name)

    async def _refresh(self, name: str) -> None:
        row, signals, secrets = await asyncio.to_thread(self._store.read, lambda session: self._load(session, name))
        before = await self._halt(name)
        now = self._clock()
        if row is None:
            self._publish(self._engine.remove_feed(name, now))
            return
        picks = [Pick(one.name, one.path, Wanted(one.wanted), one.unit) for one in signals]
        running = self._running[name] = _Running(row.title, row.kind, row.choices, picks)
        if before:
            if before.choices == row.choices:
                running.payload, running.came_at, running.proof = before.payload, before.came_at, before.proof
            for gone in {one.name for one in before.picks} - {one.name for one in picks}:
                self._publish(self._engine.remove_signal(gone, now))
        self._engine.add_feed(name, float(row.choices.get("period_s", 5.0)), row.paused)
        for one in picks:
            self._engine.add_signal(name, one.name, one.unit)
        if row.paused:
            self._publish(self._engine.pause_feed(name, True, now))
            return
        if running.came_at:
            picked = pick(running.payload, picks, running.came_at)
            self._publish(self._engine.picked_again(picked.readings, picked.problems, now))
        running.poller = Poller(
            name, KINDS[row.kind], row.choices, secrets, await self._client(),
            lambda outcome: self._came(name, running, outcome), random.random,
        )  # fmt: skip
        running.task = asyncio.create_task(running.poller.run(), name=f"feed {name}")

    def _load(self, session: Any, name: str) -> tuple[Any, Sequence[Any], dict[str, str]]:
        row = stored.by_name(session, name)
        if row is None or row.id is None:
            return None, (), {}
        return row, stored.signals_of(session, row.id), stored.secrets_of(session, row.id, self._store.secrets)

    async def _halt(self, name: str) -> _Running | None:
        running = self._running.pop(name, None)
        if running and running.task:
            running.task.cancel()
            await asyncio.gather(running.task, return_exceptions=True)
        return running

    def _came(self, name: str, running: _Running, outcome: Fetched | SourceError) -> None:
        now = self._clock()
        running.tried_at = now
        if isinstance(outcome, SourceError):
            running.proof = _failed(outcome)
            self._publish(self._engine.feed_failed(name, str(outcome), now))
            return
        running.payload, running.came_at = outcome.payload, now
        running.proof = Proof(took_ms=outcome.took_ms, size_bytes=outcome.size_bytes)
        picked = pick(outcome.payload, running.picks, now)
        self._publish(self._engine.feed_ok(name, picked.readings, picked.problems, now))

    async def probe(self, kind: str, choices: Mapping[str, Any], secrets: Mapping[str, str]) -> Proof:
        """Try a feed once, before it is kept."""
        try:
            fetched = await KINDS[kind].fetch(await self._client(), choices, secrets)
        except SourceError as error:
            return _failed(error)
        return Proof(tree(fetched.payload), took_ms=fetched.took_ms, size_bytes=fetched.size_bytes)

    def proof(self, name: str) -> Proof | None:
        """What a running feed's last try showed, with the tree of the last payload that came."""
        running = self._running.get(name)
        if running is None:
            return None
        proof = running.proof
        return Proof(
            tree(running.payload) if running.came_at else None,
            proof.problem, proof.answer, proof.wants_key, proof.took_ms, proof.size_bytes,
        )  # fmt: skip

    def pick(self, name: str, path: str, wanted: Wanted | None) -> Scalar:
        """What a path reaches in a feed's last payload. Raises NothingPicked."""
        running = self._running.get(name)
        if running is None or running.came_at is None:
            raise NothingPicked("Nothing has come from this feed yet. Ask it again first.")
        return pick_value(running.payload, path, wanted)

    def ask_now(self, name: str) -> None:
        """Ask a feed without waiting for its period or backoff."""
        running = self._running.get(name)
        if running and running.poller:
            running.poller.ask_now()

    def reports(self) -> list[FeedReport]:
        """All feeds, in the order in which they were made."""
        return [self.report(name) for name in self._running]

    def report(self, name: str) -> FeedReport:
        """One feed. Raises KeyError when there is none of that name."""
        running = self._running[name]
        wait = running.poller.next_try_in_s if running.poller else None
        return FeedReport(
            name,
            running.title,
            KINDS[running.kind].title,
            KINDS[running.kind].place(running.choices),
            float(running.choices.get("period_s", 5.0)),
            self._engine.feed_state(name, self._clock()),
            running.tried_at + timedelta(seconds=wait) if running.tried_at and wait else None,
            len(running.picks),
        )


def _failed(error: SourceError) -> Proof:
    answer = error.payload[:300] if error.payload else None
    return Proof(problem=str(error), answer=answer, wants_key=isinstance(error, CredentialsRejected))
