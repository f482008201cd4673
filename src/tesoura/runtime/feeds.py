"""The feeds that run: one poller each, what came of its last try, and what it makes of that."""

from __future__ import annotations

import asyncio
import importlib
import logging
import random
from collections.abc import AsyncIterator, Awaitable, Callable, Mapping, Sequence
from contextlib import AbstractContextManager, asynccontextmanager
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta, tzinfo
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar
from weakref import WeakValueDictionary

from sqlmodel import Session

import tesoura
from tesoura.core.desk.controls import ControlMoved
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.engine import Engine
from tesoura.core.signals.payload import tree
from tesoura.core.values import Event, Reading, Scalar, Wanted
from tesoura.errors import CredentialsRejected, NothingPicked, SourceError, TooMuch
from tesoura.feeds.apart import LARGE, take_apart
from tesoura.feeds.api import NOTHING, FeedKind, FetchContext, Fetched, Folders, Item
from tesoura.feeds.echo import error_without_echo, without_echo
from tesoura.feeds.picks import Pick, Picked, is_plain, pick, pick_value
from tesoura.feeds.poller import Poller
from tesoura.feeds.rules import EventRule, all_plain, check, make_items, news
from tesoura.links.registry import KINDS
from tesoura.runtime.feed_reports import FeedReport, Proof, failed
from tesoura.runtime.feed_trials import FeedTrials
from tesoura.runtime.journal import Also, nothing_more
from tesoura.runtime.stored_feeds import load_feed
from tesoura.runtime.tasks import Tasks
from tesoura.store import feeds as stored
from tesoura.store import rules as stored_rules
from tesoura.store.store import Store
from tesoura.workers import Worker

if TYPE_CHECKING:
    import httpx

Accept = Callable[[Sequence[Item], str, Callable[[Session], None]], Awaitable[Sequence[Event]]]
"""Logs what a feed says has happened, and does the rest of the job in the same transaction; what was new."""
Committing = Callable[[str, Sequence[Reading]], AbstractContextManager[Also]]
"""Gives what writes a feed's readings in the transaction of something else."""
T = TypeVar("T")
ON_LIST = 20
log = logging.getLogger(__name__)


@dataclass(slots=True)
class Running:
    """A feed that runs, and what came of it."""

    feed_id: int
    title: str
    kind: FeedKind
    choices: Mapping[str, Any]
    picks: Sequence[Pick]
    rules: Sequence[EventRule]
    seen: set[str]
    context: FetchContext
    paused: bool = False
    poller: Poller | None = None
    task: asyncio.Task[None] | None = None
    payload: object = NOTHING
    message: object = NOTHING
    came_at: datetime | None = None
    proof: Proof = field(default_factory=Proof)
    tried_at: datetime | None = None
    unreadable: bool = False
    """Whether a secret of it was sealed with another key file."""


class Feeds:
    """All feeds of the data folder, started, changed and stopped as the store says."""

    def __init__(
        self,
        store: Store,
        engine: Engine,
        clock: Callable[[], datetime],
        publish: Callable[[Changes], None],
        accept: Accept,
        kept: Callable[[Sequence[Reading]], None],
        on_scene: Callable[[str, str], Awaitable[None]],
        on_control: Callable[[str, ControlMoved], Awaitable[None]],
        committing: Committing,
        tasks: Tasks,
    ) -> None:
        self._committing, self._tasks = committing, tasks
        self._kept, self._on_scene, self._on_control = kept, on_scene, on_control
        self._store, self._engine, self._clock, self._publish, self._accept = store, engine, clock, publish, accept
        self._running: dict[str, Running] = {}
        self._by_token: dict[str, str] = {}
        self._refreshing = asyncio.Lock()
        self._messages: WeakValueDictionary[str, asyncio.Lock] = WeakValueDictionary()
        self._made_client: httpx.AsyncClient | None = None
        self._worker = Worker()
        self.trials = FeedTrials(self.context, lambda name: (self._running[name].kind, self._running[name].context))
        self.folders = Folders()
        self.zone: tzinfo = UTC

    async def client(self) -> httpx.AsyncClient:
        """The one client for all that is asked over HTTP."""
        # Made when the first feed asks, and loaded beside the loop: it would take a quarter of a second off the start.
        if self._made_client is None:
            library = await asyncio.to_thread(importlib.import_module, "httpx")
            self._made_client = self._made_client or library.AsyncClient(
                follow_redirects=False,
                trust_env=False,
                timeout=library.Timeout(10.0, connect=4.0),
                limits=library.Limits(max_connections=None, max_keepalive_connections=100),
                headers={"User-Agent": f"Tesoura/{tesoura.__version__}"},
            )
        return self._made_client

    async def context(self, choices: Mapping[str, Any], secrets: Mapping[str, str], **more: Any) -> FetchContext:
        """What a try of a feed is given."""
        client = await self.client()
        return FetchContext(
            client, self._clock, choices, secrets, folders=self.folders, zone=self.zone, worker=self._worker, **more
        )

    def running(self, name: str) -> Running:
        """A feed that runs. Raises KeyError when there is none of that name."""
        return self._running[name]

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
        await asyncio.to_thread(self._worker.stop)

    async def refresh(self, name: str) -> None:
        """Bring one feed to what the store says of it: new, changed, paused, or gone."""
        async with self._refreshing:
            await self._refresh(name)

    async def _refresh(self, name: str) -> None:
        loaded = await asyncio.to_thread(
            self._store.read, lambda session: load_feed(session, name, self._store.secrets)
        )
        before = await self._halt(name)
        now, row = self._clock(), loaded.row
        if row is None or row.kind not in KINDS:
            self._publish(self._engine.remove_feed(name, now))
            return
        kind = KINDS[row.kind]
        context = await self.context(row.choices, loaded.secrets, memory=loaded.memory)
        running = Running(
            row.id,
            row.title,
            kind,
            row.choices,
            loaded.picks,
            loaded.rules,
            loaded.seen,
            context,
            row.paused,
            unreadable=loaded.unreadable,
        )
        self._running = dict(sorted({**self._running, name: running}.items(), key=lambda one: one[1].feed_id))
        if row.token:
            self._by_token[row.token] = name
        if before:
            self._go_on(running, before, now)
        period_s = float(row.choices.get("period_s", 5.0)) if kind.asked else None
        self._engine.add_feed(name, period_s, row.paused, kind.lasting, own=kind.name == "hand")
        self._engine.sources.brings(name, [*kind.brings(row.choices), *(rule.type for rule in running.rules)])
        for one in running.picks:
            self._engine.add_signal(name, one.name, one.unit)
        if row.paused:
            self._publish(self._engine.pause_feed(name, True, now))
            return
        if running.came_at:
            try:
                picked = await self._pick_from(running, running.payload, running.came_at)
                self._publish(self._engine.picked_again(picked.readings, picked.problems, now))
            except TooMuch as error:
                await self._hold_back(name, running, error)
                return
        if kind.tried:
            running.poller = Poller(
                name, kind, context, lambda outcome: self._came(name, running, outcome), random.random
            )
            running.task = self._tasks.keep_going(
                running.poller.run, f"Feed {name}", lambda error: self._failed(name, error)
            )
            self._publish(self._engine.feed_changed(name, now))
        else:
            self._publish(self._engine.pause_feed(name, False, now))

    def _failed(self, name: str, error: Exception) -> None:
        """Show a feed whose loop failed as down until it restarts."""
        words = f"An error in Tesoura stopped this feed ({type(error).__name__}). It restarts automatically."
        self._publish(self._engine.feed_failed(name, words, self._clock()))

    def _go_on(self, running: Running, before: Running, now: datetime) -> None:
        if before.choices == running.choices:
            running.payload, running.came_at, running.proof = before.payload, before.came_at, before.proof
            running.message = before.message
        for gone in {one.name for one in before.picks} - {one.name for one in running.picks}:
            self._publish(self._engine.remove_signal(gone, now))

    async def _halt(self, name: str) -> Running | None:
        running = self._running.pop(name, None)
        if running and running.task:
            running.task.cancel()
            await asyncio.gather(running.task, return_exceptions=True)
        self._by_token = {token: owner for token, owner in self._by_token.items() if owner != name}
        return running

    async def _hold_back(self, name: str, running: Running, error: TooMuch) -> None:
        """Pause a feed that goes beyond its bounds, so that it does so once and not at every try and every start."""
        feed_id = running.feed_id

        def job(session: Session) -> None:
            stored.pause(session, feed_id)

        await asyncio.wrap_future(self._store.writer.submit(job))
        if running.task is not None:
            running.task.cancel()
        running.paused, running.poller, running.proof = True, None, failed(error)
        log.warning("Feed %s is paused: %s", name, error)
        self._publish(self._engine.pause_feed(name, True, self._clock()))
        self._publish(self._engine.feed_failed(name, str(error), self._clock()))

    # What comes

    async def _came(
        self, name: str, running: Running, outcome: Fetched | SourceError, seen_as: str | None = None
    ) -> SourceError | None:
        """Store the readings and events of a response. What kept it from being taken in, if something did.

        Of a durable message all that it leads to is on disk when this ends; it may be acknowledged then.
        """
        now = self._clock()
        running.tried_at = now
        try:
            if isinstance(outcome, SourceError):
                raise outcome
            has_payload = not outcome.unchanged and outcome.payload is not NOTHING
            picked = await self._picked(running, outcome, now) if has_payload else Picked()
            async with self._committed(name, outcome, picked) as values:
                await self._take_in(name, running, outcome, now, seen_as, values)
                self._follow(name, running, outcome, picked, now)
        except SourceError as error:
            running.proof = failed(error)
            self._publish(self._engine.feed_failed(name, str(error), now))
            if isinstance(error, TooMuch):
                self._tasks.start(self._hold_back(name, running, error), "Holding a feed back")
            return error
        if outcome.scene is not None:
            await self._on_scene(name, outcome.scene)
        if outcome.control is not None:
            await self._on_control(name, outcome.control)
        return None

    @asynccontextmanager
    async def _committed(self, name: str, came: Fetched, picked: Picked) -> AsyncIterator[Also]:
        """What writes the values of a message that doesn't come again, along with its events; nothing for any other.

        It doesn't come again once it was acknowledged, or once the feed remembers to go on behind it.
        """
        if not (came.durable or came.memory is not None) or not picked.readings:
            yield nothing_more
            return
        with self._committing(name, picked.readings) as job:
            yield job

    def _follow(self, name: str, running: Running, came: Fetched, picked: Picked, now: datetime) -> None:
        """Pass a response to the engine, and keep it for the feed's page."""
        running.proof = Proof(took_ms=came.took_ms, size_bytes=came.size_bytes, note=came.note or running.proof.note)
        if came.unchanged:
            self._publish(self._engine.feed_unchanged(name, now))
        elif came.payload is NOTHING:
            self._publish(self._engine.feed_ok(name, (), {}, now))
        else:
            running.payload, running.came_at = came.payload, now
            if came.message is not NOTHING:
                running.message = came.message
            if not (came.durable or came.memory is not None):
                known = self._engine.values
                self._kept([one for one in picked.readings if known.get(one.name) != one.value])
            self._publish(self._engine.feed_ok(name, picked.readings, picked.problems, now))

    async def _picked(self, running: Running, came: Fetched, now: datetime) -> Picked:
        return await self._pick_from(running, came.payload, now, came.size_bytes >= LARGE)

    async def _pick_from(self, running: Running, payload: object, now: datetime, large: bool = False) -> Picked:
        if large or not all(is_plain(one.path) for one in running.picks):
            return await take_apart(self._worker, pick, payload, running.picks, now, what=running.title)
        return pick(payload, running.picks, now)

    async def _take_in(
        self, name: str, running: Running, came: Fetched, now: datetime, seen_as: str | None, values: Also
    ) -> Sequence[Event]:
        """Log what happened, together with what must not be lost or repeated with it; the events that were new."""
        streamed = came.message is not NOTHING
        looked_at = came.message if streamed else came.payload
        items: list[Item] = list(came.items)
        keys: list[str] = []
        first: list[int] = []
        if running.rules and looked_at is not NOTHING and not came.quiet:
            given = (running.rules, looked_at, streamed, running.seen, came.message_id)
            if came.size_bytes >= LARGE or not all_plain(running.rules):
                new, keys, first = await take_apart(self._worker, news, *given, what=running.title)
            else:
                new, keys, first = news(*given)
            items += new
        if seen_as:
            keys.append(seen_as)
        if not (items or first or seen_as or came.memory is not None or came.secrets or values is not nothing_more):
            return ()
        unseen = [key for key in keys if key not in running.seen]
        secrets, feed_id = self._store.secrets, running.feed_id

        def also(session: Session) -> None:
            stored_rules.keep_seen(session, feed_id, keys if unseen else (), now)
            stored_rules.primed(session, first)
            if came.memory is not None:
                stored_rules.keep_memory(session, feed_id, came.memory)
            if came.secrets:
                stored.keep_secrets(session, feed_id, came.secrets, secrets)
            values(session)

        accepted = await self._accept(items, f"feed:{name}", also)
        running.seen.update(keys)
        if len(running.seen) > 2 * stored_rules.MAX_SEEN:
            running.seen = await asyncio.to_thread(
                self._store.read, lambda session: stored_rules.seen(session, feed_id)
            )
        running.rules = [replace(one, primed=one.primed or one.number in first) for one in running.rules]
        return accepted

    def is_sent_to(self, token: str) -> bool:
        """Whether a feed has this private address."""
        return token in self._by_token

    async def receive(self, token: str, headers: Mapping[str, str], body: bytes) -> tuple[int, str] | None:
        """Take what was sent to a feed's private address: an HTTP status and what to say; None for no such address."""
        name = self._by_token.get(token)
        running = self._running.get(name) if name else None
        if name is None or running is None or running.kind.receive is None:
            return None
        if running.paused:
            return 503, "This feed is paused. Send it again later."
        if running.unreadable:
            return 503, "The signing secret of this feed can't be read: Tesoura's key file was replaced. Type it again."
        try:
            came = without_echo(running.kind.receive(running.context, headers, body), running.context)
        except SourceError as error:
            running.proof = failed(error_without_echo(error, running.context))
            return (401 if isinstance(error, CredentialsRejected) else 400), str(error)
        if came.message_id is None:
            return _answer(await self._came(name, running, came))
        seen_as = f"message:{came.message_id}"
        # The second of two equal ones waits for what becomes of the first: when that could not be written, it counts.
        async with self._messages.setdefault(f"{name} {seen_as}", asyncio.Lock()):
            if seen_as in running.seen:
                return 409, "This message was already received. Nothing was changed."
            return _answer(await self._came(name, running, came, seen_as))

    # Showing

    def titles(self, kind: str = "") -> list[tuple[str, str]]:
        """The feeds of a kind, or all: each one's name and title. Of the kind `clips` are all that give some."""
        gives = kind == "clips"
        return [
            (name, one.title)
            for name, one in self._running.items()
            if kind in ("", one.kind.name) or (gives and one.kind.gives_clips)
        ]

    def named(self, name: str) -> Running | None:
        """A feed that runs, by its name or its title; None when there is none."""
        wanted = name.strip().casefold()
        return self._running.get(wanted) or next(
            (one for one in self._running.values() if one.title.casefold() == wanted), None
        )

    def of_kind(self, kind: str) -> dict[str, Running]:
        """The feeds of a kind that run, by name, in the order in which they were made."""
        return {name: one for name, one in self._running.items() if one.kind.name == kind}

    def proof(self, name: str) -> Proof | None:
        """What a running feed's last try showed, with the tree of the last payload that came."""
        running = self._running.get(name)
        if running is None:
            return None
        return replace(running.proof, tree=tree(running.payload) if running.came_at else None)

    async def pick(self, name: str, path: str, wanted: Wanted | None) -> Scalar:
        """What a path reaches in a feed's last payload. Raises NothingPicked, and TooMuch."""
        running = self._running.get(name)
        if running is None or running.came_at is None:
            raise NothingPicked("No data from this feed yet. Fetch first.")
        if is_plain(path):
            return pick_value(running.payload, path, wanted)
        return await take_apart(self._worker, pick_value, running.payload, path, wanted, what=running.title)

    async def try_rule(self, name: str, rule: EventRule) -> tuple[list[Item], str | None, object]:
        """What a rule makes of what came last: the items, what is wrong, and what it looked at."""
        running = self._running.get(name)
        if running is None or running.came_at is None:
            return [], await self._checked(rule, {}), None
        streamed = running.message is not NOTHING
        looked_at = running.message if streamed else running.payload
        try:
            wrong = await self._checked(rule, looked_at)
            items = [] if wrong else await self._within(make_items, rule, rule, looked_at, streamed)
        except TooMuch as error:
            return [], str(error), looked_at
        return items[:ON_LIST], wrong, looked_at

    async def rule_problem(self, rule: EventRule) -> str | None:
        """Return what is wrong with a rule whatever comes, or None."""
        return await self._checked(rule, {})

    async def _checked(self, rule: EventRule, message: object) -> str | None:
        return await self._within(check, rule, rule, message)

    async def _within(self, job: Callable[..., T], rule: EventRule, *given: Any) -> T:
        """Do what a rule asks for: here when its paths only go down, else within bounds."""
        return job(*given) if all_plain([rule]) else await take_apart(self._worker, job, *given, what="this feed")

    def ask_now(self, name: str) -> None:
        """Ask a feed without waiting for its period or backoff."""
        running = self._running.get(name)
        if running and running.poller:
            running.poller.ask_now()

    def sign_ins_end(self) -> dict[str, float]:
        """When permissions end that are not renewed by themselves, in seconds since 1970, by the feed's name."""
        found = {}
        for name, one in self._running.items():
            if one.kind.sign_in is not None and (at := one.kind.sign_in.ends(one.context.secrets)) is not None:
                found[name] = at
        return found

    def told_by(self, name: str) -> tuple[str, str] | None:
        """The kind of a feed that runs, and the address at which it is, if it has one; None when there is none."""
        running = self._running.get(name)
        return (running.kind.name, str(running.choices.get("address", ""))) if running else None

    def hand_choices(self, name: str) -> Mapping[str, Any] | None:
        """The choices of a feed that is set by hand; None for any other."""
        running = self._running.get(name)
        return running.choices if running and running.kind.name == "hand" else None

    def hand_signal(self, name: str) -> str | None:
        """The signal of a feed that is set by hand."""
        running = self._running.get(name)
        return running.picks[0].name if running and running.kind.name == "hand" and running.picks else None

    def reports(self) -> list[FeedReport]:
        """All feeds, in the order in which they were made."""
        return [self.report(name) for name in self._running]

    def report(self, name: str) -> FeedReport:
        """One feed. Raises KeyError when there is none of that name."""
        running = self._running[name]
        kind = running.kind
        wait = running.poller.next_try_in_s if running.poller else None
        period_s = float(running.choices.get("period_s", 5.0)) if kind.asked else None
        manner = "asked" if kind.asked else "tells" if kind.follow else "sent" if kind.receive else "hand"
        return FeedReport(
            name,
            running.title,
            kind.title,
            kind.place(running.choices),
            period_s,
            self._engine.feed_state(name, self._clock()),
            running.tried_at + timedelta(seconds=wait) if running.tried_at and wait else None,
            len(running.picks),
            manner,
        )

    def follow_choices(self, files: Sequence[Path], scripts: Path, zone: tzinfo) -> None:
        """Which folders feeds may touch from now on, and which zone is the user's."""
        self.folders, self.zone = Folders(tuple(files), scripts), zone
        for running in self._running.values():
            running.context.folders, running.context.zone = self.folders, zone


def _answer(refused: SourceError | None) -> tuple[int, str]:
    """The answer to the sender of a message."""
    if refused is None:
        return 202, "Taken."
    return (503 if isinstance(refused, TooMuch) else 400), str(refused)
