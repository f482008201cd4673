"""The live hub: every connected page, what it shows, and what it has yet to be told.

Values are latest-wins for each page: a slow one skips, lags never, and holds up nobody. All of it runs on the one loop.
"""

from __future__ import annotations

import asyncio
import json
import secrets
from collections import deque
from collections.abc import Awaitable, Callable, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime

from websockets.frames import Frame, Opcode

from tesoura.core.values import Json

MAX_MOMENTS = 20
UNKNOWN = datetime(1970, 1, 1, tzinfo=UTC)
Send = Callable[[str], Awaitable[None]]
WriteFrame = Callable[[bytes], bool]
Values = Mapping[str, Json]
Acked = Callable[[int, "Page", str], None]
"""Told of an answer: which overlay's page it was, the page, and the moment that it has painted."""
Painted = Callable[[int, "Page", int, object], None]
"""Told what a page says it has painted: which overlay's page, the page, the message's number, and the spans."""
Troubled = Callable[[int, str, str], None]
"""Told that an overlay's page cannot show something: which overlay, what, and why."""


class Page:
    """One connection. `preview` pages are Tesoura's own small pictures and are not counted as viewers' pages.

    What waits for it waits in one line, in order: messages one by one, changed values gathered between them.
    """

    __slots__ = (
        "_send",
        "_sending",
        "_waiting",
        "_wake",
        "_write",
        "height_px",
        "id",
        "preview",
        "silent",
        "watched",
        "width_px",
    )

    def __init__(self, send: Send, preview: bool = False, write: WriteFrame = lambda frame: False) -> None:
        self._send, self._write = send, write
        self.id = secrets.token_hex(6)
        self.preview = preview
        self.width_px = self.height_px = 0
        self.silent = False
        """Whether its browser let it play no sound."""
        self.watched: frozenset[str] = frozenset()
        """For a desk: the signals whose values it shows and follows."""
        self._waiting: deque[str | dict[str, Json] | set[str]] = deque()
        self._sending = False
        self._wake = asyncio.Event()

    def tell(self, message: str) -> None:
        """Queue a message that says all there is, and forget what waited before it."""
        self._waiting.clear()
        self._add(message)

    def show(self, message: str) -> bool:
        """Queue a moment behind what waits; False, and it is dropped, when the page is too far behind."""
        if len(self._waiting) >= MAX_MOMENTS * 2:
            return False
        self._add(message)
        return True

    def offer(self, frame: bytes, values: Values) -> None:
        """Write changed values at once, or while the page is still busy keep only the latest of each.

        With hundreds of pages, writing one ready frame to each is several times as fast as waking a task for each.
        """
        if not (self._waiting or self._sending) and self._write(frame):
            return
        # What is said before a moment is said before it: an emptying that came later would take its words away.
        last = self._waiting[-1] if self._waiting else None
        if isinstance(last, dict):
            last.update(values)
        else:
            self._add(dict(values))

    def touch(self, topics: Iterable[str]) -> None:
        """Queue what has changed on a desk, together with what is queued of that already."""
        for waiting in self._waiting:
            if isinstance(waiting, set):
                waiting.update(topics)
                return
        self._add(set(topics))

    def _add(self, one: str | dict[str, Json] | set[str]) -> None:
        self._waiting.append(one)
        self._wake.set()

    async def pump(self, seq: Callable[[], int]) -> None:
        """Send what had to be queued, as fast as the page takes it, until cancelled."""
        while True:
            self._wake.clear()
            if not self._waiting:
                await self._wake.wait()
            self._sending = True
            while self._waiting:
                one = self._waiting.popleft()
                if isinstance(one, set):
                    await self._send(json.dumps({"kind": "changed", "topics": sorted(one)}))
                else:
                    await self._send(one if isinstance(one, str) else patch(seq(), one))
            self._sending = False


def patch(seq: int, values: Values) -> str:
    """The message that tells of changed values."""
    return json.dumps({"kind": "patch", "seq": seq, "values": values}, ensure_ascii=False)


@dataclass(slots=True)
class Channel:
    """One overlay on air: its version, what its pieces say, and the pages that show it."""

    overlay_id: int
    token: str
    rev: int
    values: dict[str, Json]
    seq: int = 0
    pages: set[Page] = field(default_factory=set)


@dataclass(frozen=True, slots=True)
class Audience:
    """Who shows an overlay: how many pages, the sizes they report, in pixels, and how many may play no sound."""

    pages: int = 0
    sizes: tuple[tuple[int, int], ...] = ()
    silent: int = 0


class Hub:
    """All overlays' channels and all desks, on this machine. `build` names this very version of Tesoura's pages."""

    def __init__(
        self,
        build: str,
        audience_changed: Callable[[], None] = lambda: None,
        acked: Acked = lambda overlay_id, page, moment: None,
        clock: Callable[[], datetime] = lambda: UNKNOWN,
        troubled: Troubled = lambda overlay_id, of, why: None,
        painted: Painted = lambda overlay_id, page, number, spans: None,
    ) -> None:
        self._troubled, self._painted = troubled, painted
        self.build, self._clock = build, clock
        self._audience_changed, self._acked = audience_changed, acked
        self._channels: dict[int, Channel] = {}
        self._tokens: dict[str, Channel] = {}
        self._desks: set[Page] = set()

    # Overlays

    def put_on_air(self, overlay_id: int, token: str, rev: int, values: Values) -> None:
        """Make this the version that an overlay's pages show; pages that show another are told to fetch it."""
        channel = self._channels.get(overlay_id)
        if channel is None:
            channel = self._channels[overlay_id] = Channel(overlay_id, token, rev, dict(values))
        else:
            self._tokens.pop(channel.token, None)
        changed = channel.rev != rev
        channel.token, channel.rev, channel.values = token, rev, dict(values)
        channel.seq += 1
        self._tokens[token] = channel
        if changed:
            for page in channel.pages:
                page.tell(self._reload(channel))

    def take_off(self, overlay_id: int, why: str = "") -> None:
        """Forget an overlay; its pages are told why, and with no reason keep their last frame."""
        if channel := self._channels.pop(overlay_id, None):
            self._tokens.pop(channel.token, None)
            if why:
                self._end(channel, why)

    def replace_link(self, overlay_id: int, token: str, why: str) -> None:
        """Give an overlay's link another token; pages of the old one stop at once and say why."""
        if channel := self._channels.get(overlay_id):
            self._tokens.pop(channel.token, None)
            channel.token = token
            self._tokens[token] = channel
            self._end(channel, why)

    def _end(self, channel: Channel, why: str) -> None:
        for page in channel.pages:
            page.tell(json.dumps({"kind": "end", "why": why}))
        channel.pages.clear()
        self._audience_changed()

    def change(self, overlay_id: int, values: Values) -> None:
        """Tell an overlay's pages what some of its pieces say now."""
        channel = self._channels.get(overlay_id)
        if channel is None:
            return
        channel.values.update(values)
        channel.seq += 1
        if channel.pages:
            frame = Frame(Opcode.TEXT, patch(channel.seq, values).encode()).serialize(mask=False)
            for page in channel.pages:
                page.offer(frame, values)

    def moment(self, overlay_id: int, moment_id: str, piece_id: str, said: Json, for_s: float) -> int:
        """Show what a piece says once, for so long; by how many viewers' pages it was dropped.

        A page that opens meanwhile has it too. A page that has painted it answers with `moment_id`.
        """
        channel = self._channels.get(overlay_id)
        if channel is None:
            return 0
        channel.values[piece_id] = said
        channel.seq += 1
        told = {"kind": "moment", "id": moment_id, "seq": channel.seq, "piece": piece_id, "text": said, "for_s": for_s}
        message = json.dumps(told, ensure_ascii=False)
        dropped = [page for page in channel.pages if not page.show(message)]
        return sum(not page.preview for page in dropped)

    def heard_ack(self, channel: Channel, page: Page, moment_id: str) -> None:
        """A viewers' page has painted a moment."""
        if not page.preview and page in channel.pages:
            self._acked(channel.overlay_id, page, moment_id)

    def heard_trouble(self, channel: Channel, page: Page, of: str, why: str) -> None:
        """A viewers' page cannot show something."""
        if not page.preview and page in channel.pages:
            self._troubled(channel.overlay_id, of, why)

    def heard_painted(self, channel: Channel, page: Page, number: int, spans: object) -> None:
        """A viewers' page says what it has painted, and since when."""
        if not page.preview and page in channel.pages:
            self._painted(channel.overlay_id, page, number, spans)

    def sound(self, overlay_id: int, source: str) -> None:
        """Let an overlay's pages play a sound, once. Tesoura's own small pictures stay quiet."""
        channel = self._channels.get(overlay_id)
        message = json.dumps({"kind": "sound", "source": source})
        for page in channel.pages if channel else ():
            if not page.preview:
                page.show(message)

    def said(self, overlay_id: int, own: str) -> Json:
        """What a piece of an overlay said last; nothing when it is not on air."""
        channel = self._channels.get(overlay_id)
        return channel.values.get(own, "") if channel else ""

    def values_of(self, overlay_id: int) -> Values:
        """What all pieces of an overlay say; nothing when it is not on air."""
        channel = self._channels.get(overlay_id)
        return dict(channel.values) if channel else {}

    def channel(self, token: str) -> Channel | None:
        """The overlay behind a link's token."""
        return self._tokens.get(token)

    def audience(self, overlay_id: int) -> Audience:
        """Who shows an overlay, not counting Tesoura's own pictures."""
        channel = self._channels.get(overlay_id)
        pages = [page for page in channel.pages if not page.preview] if channel else []
        sizes = {(page.width_px, page.height_px) for page in pages if page.width_px}
        return Audience(len(pages), tuple(sorted(sizes)), sum(page.silent for page in pages))

    def join(self, channel: Channel, page: Page) -> None:
        """A page opens: it is told everything at once."""
        channel.pages.add(page)
        page.tell(
            json.dumps(
                {
                    "kind": "snapshot",
                    "build": self.build,
                    "page": page.id,
                    "rev": channel.rev,
                    "seq": channel.seq,
                    "now_ms": int(self._clock().timestamp() * 1000),
                    "values": channel.values,
                },
                ensure_ascii=False,
            )
        )
        self._audience_changed()

    def leave(self, channel: Channel, page: Page) -> None:
        """A page closes."""
        channel.pages.discard(page)
        self._audience_changed()

    def measured(self, page: Page, width_px: int, height_px: int) -> None:
        """A page says how large it is shown."""
        page.width_px, page.height_px = width_px, height_px
        self._audience_changed()

    def was_silent(self, page: Page, silent: bool) -> None:
        """A page says whether its browser let it play a sound."""
        page.silent = silent
        self._audience_changed()

    def _reload(self, channel: Channel) -> str:
        return json.dumps({"kind": "reload", "build": self.build, "rev": channel.rev})

    # Desks

    def join_desk(self, page: Page) -> None:
        """A desk opens."""
        self._desks.add(page)
        page.tell(json.dumps({"kind": "hello", "build": self.build}))

    def leave_desk(self, page: Page) -> None:
        """A desk closes."""
        self._desks.discard(page)

    def watch(self, page: Page, names: Iterable[str]) -> None:
        """A desk wants to be told of these signals' values as they change."""
        page.watched = frozenset(names)

    def tell_watchers(self, names: Iterable[str], written: Callable[[str], str]) -> None:
        """Signals changed; `written` gives the text of one."""
        for page in self._desks:
            if page.watched and (changed := page.watched.intersection(names)):
                page.offer(b"", {name: written(name) for name in changed})

    def touch_desks(self, topics: Iterable[str]) -> None:
        """Tell every open desk what has changed."""
        for page in self._desks:
            page.touch(topics)

    @property
    def pages(self) -> int:
        """How many overlay pages are connected, pictures included."""
        return sum(len(channel.pages) for channel in self._channels.values())
