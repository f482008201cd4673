"""The live hub: every connected page, what it shows, and what it has yet to be told.

Values are latest-wins for each page: a slow one skips, lags never, and holds up nobody. All of it runs on the one loop.
"""

from __future__ import annotations

import asyncio
import json
import logging
from collections.abc import Awaitable, Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from websockets.frames import Frame, Opcode

log = logging.getLogger(__name__)
MAX_MOMENTS = 20
Send = Callable[[str], Awaitable[None]]
WriteFrame = Callable[[bytes], bool]


class Page:
    """One connection. `preview` pages are Tesoura's own small pictures and are not counted as viewers' pages."""

    __slots__ = (
        "_messages", "_send", "_sending", "_values", "_wake", "_write", "height_px", "preview", "silent", "watched",
        "width_px",
    )  # fmt: skip

    def __init__(self, send: Send, preview: bool = False, write: WriteFrame = lambda frame: False) -> None:
        self._send, self._write = send, write
        self.preview = preview
        self.width_px = self.height_px = 0
        self.silent = False
        """Whether its browser let it play no sound."""
        self.watched: frozenset[str] = frozenset()
        """For a desk: the signals whose values it shows and follows."""
        self._messages: list[str] = []
        self._values: dict[str, str] = {}
        self._sending = False
        self._wake = asyncio.Event()

    def tell(self, message: str) -> None:
        """Queue a message that must arrive, and forget values that came before it."""
        self._values.clear()
        self._messages.append(message)
        self._wake.set()

    def show(self, message: str) -> bool:
        """Queue a moment behind what waits; False, and it is dropped, when the page is too far behind."""
        if len(self._messages) >= MAX_MOMENTS:
            return False
        self._messages.append(message)
        self._wake.set()
        return True

    def offer(self, frame: bytes, values: Mapping[str, str]) -> None:
        """Write changed values at once, or while the page is still busy keep only the latest of each.

        With hundreds of pages, writing one ready frame to each is several times as fast as waking a task for each.
        """
        if not (self._messages or self._values or self._sending) and self._write(frame):
            return
        self._values.update(values)
        self._wake.set()

    async def pump(self, seq: Callable[[], int]) -> None:
        """Send what had to be queued, as fast as the page takes it, until cancelled."""
        while True:
            self._wake.clear()
            if not self._messages and not self._values:
                await self._wake.wait()
            self._sending = True
            while self._messages:
                await self._send(self._messages.pop(0))
            if self._values:
                values, self._values = self._values, {}
                await self._send(patch(seq(), values))
            self._sending = False


def patch(seq: int, values: Mapping[str, str]) -> str:
    """The message that tells of changed values."""
    return json.dumps({"kind": "patch", "seq": seq, "values": values}, ensure_ascii=False)


@dataclass(slots=True)
class Channel:
    """One overlay on air: its version, what its pieces say, and the pages that show it."""

    overlay_id: int
    token: str
    rev: int
    values: dict[str, str]
    seq: int = 0
    pages: set[Page] = field(default_factory=set)


@dataclass(frozen=True, slots=True)
class Audience:
    """Who shows an overlay: how many pages, the sizes they report, in pixels, and how many may play no sound."""

    pages: int = 0
    sizes: tuple[tuple[int, int], ...] = ()
    silent: int = 0


class Hub:
    """All overlays' channels and all desks. `build` names this very version of Tesoura's pages."""

    def __init__(self, build: str, audience_changed: Callable[[], None] = lambda: None) -> None:
        self.build = build
        self._audience_changed = audience_changed
        self._channels: dict[int, Channel] = {}
        self._tokens: dict[str, Channel] = {}
        self._desks: set[Page] = set()

    # Overlays

    def put_on_air(self, overlay_id: int, token: str, rev: int, values: Mapping[str, str]) -> None:
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

    def change(self, overlay_id: int, values: Mapping[str, str]) -> None:
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

    def moment(self, overlay_id: int, piece_id: str, text: str, for_s: float) -> None:
        """Show a piece's words once, for so long. A page that opens meanwhile has them too."""
        channel = self._channels.get(overlay_id)
        if channel is None:
            return
        channel.values[piece_id] = text
        channel.seq += 1
        message = json.dumps(
            {"kind": "moment", "seq": channel.seq, "piece": piece_id, "text": text, "for_s": for_s}, ensure_ascii=False
        )
        for page in channel.pages:
            if not page.show(message):
                log.warning("A page was too far behind for a moment of overlay %d; it was dropped there", overlay_id)

    def sound(self, overlay_id: int, source: str) -> None:
        """Let an overlay's pages play a sound, once. Tesoura's own small pictures stay quiet."""
        channel = self._channels.get(overlay_id)
        message = json.dumps({"kind": "sound", "source": source})
        for page in channel.pages if channel else ():
            if not page.preview:
                page.show(message)

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
                    "rev": channel.rev,
                    "seq": channel.seq,
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

    def tell_desks(self, message: Mapping[str, Any]) -> None:
        """Tell every open desk."""
        if self._desks:
            encoded = json.dumps(message)
            for page in self._desks:
                page.tell(encoded)

    @property
    def pages(self) -> int:
        """How many overlay pages are connected, pictures included."""
        return sum(len(channel.pages) for channel in self._channels.values())
