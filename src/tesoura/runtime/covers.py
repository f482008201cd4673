"""Covers: fetched once, beside everything else, checked, made small, coloured; the log tells what became of each.

A player may tell any address. What is asked is a public one, or the very place where the player itself is.
"""

from __future__ import annotations

import asyncio
import base64
import binascii
import ipaddress
import logging
import socket
from collections.abc import Awaitable, Callable, Coroutine, Sequence
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any
from urllib.parse import unquote, urljoin, urlsplit
from urllib.request import url2pathname

from tesoura.core.hosts import is_of_internet
from tesoura.core.tracks.schema import COVER, TYPES
from tesoura.core.tracks.track import cover_key, track_of
from tesoura.core.values import Event
from tesoura.errors import FileRefused
from tesoura.plain_files import open_plain
from tesoura.runtime.journal import Journal
from tesoura.store import covers as kept
from tesoura.store.log import Logged

if TYPE_CHECKING:
    import httpx

log = logging.getLogger(__name__)
MOST_BYTES = 8_000_000
WITHIN_S = 10.0
MOST_HOPS = 3
AGAIN_S = 120.0
"""A cover that could not be had is tried again when its track is told of again so much later."""
MOST_KNOWN, MOST_AT_ONCE = 2_000, 8
Teller = Callable[[str], tuple[str, str] | None]
"""The kind and the address of a feed, by its name."""


class Covers:
    """The way to the covers of tracks."""

    def __init__(
        self,
        folder: Path,
        journal: Journal,
        clock: Callable[[], datetime],
        lasting_s: Callable[[], float],
        client: Callable[[], Awaitable[httpx.AsyncClient]],
        teller: Teller,
        start: Callable[[Coroutine[Any, Any, Any]], object],
    ) -> None:
        self._folder, self._journal, self._clock, self._lasting_s = folder, journal, clock, lasting_s
        self._client, self._teller, self._start = client, teller, start
        self._done: dict[str, float] = {}
        """When each that is known was fetched, or when it failed; for good where it was fetched."""
        self._wanted: dict[str, tuple[str, str]] = {}
        self._busy: set[str] = set()

    def heard(self, logged: Sequence[Logged]) -> None:
        """These events are in the log: the covers that they tell of are wanted."""
        for one in logged:
            if one.event.type in TYPES and one.event.data.get("cover"):
                track = track_of(one.event.data)
                key = cover_key(track)
                if key and self._lasting_s() >= self._done.get(key, 0.0):
                    self._want(one.event.source, key, track.cover)

    def _want(self, source: str, key: str, address: str) -> None:
        if source not in self._busy and len(self._busy) >= MOST_AT_ONCE:
            # A crowd of sources: who is told of again later is heard then.
            return
        # Of many in a second, the last of each source.
        self._wanted[source] = (key, address)
        if source not in self._busy:
            self._busy.add(source)
            self._start(self._fetch_for(source))

    async def _fetch_for(self, source: str) -> None:
        try:
            while (wanted := self._wanted.pop(source, None)) is not None:
                await self._bring(source, *wanted)
        finally:
            self._busy.discard(source)

    async def _bring(self, source: str, key: str, address: str) -> None:
        told: dict[str, Any] = {"of": key}
        try:
            async with asyncio.timeout(WITHIN_S):
                data = await self._data(source, address)
            small, colours = await asyncio.to_thread(_made, data)
            told |= {"file": await asyncio.to_thread(kept.keep, self._folder, small), "colours": colours}
            again = float("inf")
        except FileRefused as error:
            told["why"], again = str(error), self._lasting_s() + AGAIN_S
        except TimeoutError:
            told["why"], again = f"it didn't arrive within {WITHIN_S:.0f} s", self._lasting_s() + AGAIN_S
        except Exception as error:
            log.info("A cover couldn't be loaded: %s", type(error).__name__)
            told["why"], again = "it couldn't be fetched", self._lasting_s() + AGAIN_S
        self._done[key] = again
        while len(self._done) > MOST_KNOWN:
            del self._done[next(iter(self._done))]
        id = f"cover:{key}:{told.get('file') or told['why']}"
        await self._journal.log([Event(id, "tesoura", COVER, self._clock(), told)])

    async def _data(self, source: str, address: str) -> bytes:
        kind, own = self._teller(source.removeprefix("feed:")) or ("", "")
        scheme = address.partition(":")[0].lower()
        if scheme == "data":
            return _inline(address)
        if scheme == "file":
            if kind != "mpris":
                raise FileRefused("only a player on this machine may use a local file")
            return await asyncio.to_thread(_of_file, address)
        if scheme not in ("http", "https"):
            raise FileRefused(f"its address begins with {scheme[:12]}: which can't be used")
        return await self._asked(address, _origin(own) if own else "")

    async def _asked(self, address: str, own: str) -> bytes:
        client = await self._client()
        for _ in range(MOST_HOPS + 1):
            asked, more = (address, {}) if own and _origin(address) == own else await _public(address)
            headers = {"Accept": "image/*", **({"Host": urlsplit(address).netloc} if more else {})}
            async with client.stream("GET", asked, headers=headers, extensions=more) as answer:
                if answer.is_redirect:
                    # Whoever leads elsewhere may not lead to this machine, or the ones beside it.
                    address, own = urljoin(address, answer.headers.get("location", "")), ""
                    continue
                if answer.status_code != 200:
                    raise FileRefused(f"its server answered {answer.status_code}")
                found = bytearray()
                async for part in answer.aiter_bytes():
                    found += part
                    if len(found) > MOST_BYTES:
                        raise FileRefused("it is larger than 8 MB")
                return bytes(found)
        raise FileRefused("it redirects too often")


def _made(data: bytes) -> tuple[bytes, list[str]]:
    """The small cover, and the colours of a card from it."""
    # What reads pictures is loaded for the first cover, not at every start.
    from tesoura.core.tracks.palette import palette, tint
    from tesoura.uploads.covers import small_cover

    small, pixels = small_cover(data)
    made = tint(palette(pixels))
    return small, [made.backing, made.text, made.accent, made.quiet] if made else []


def _origin(address: str) -> str:
    try:
        parts = urlsplit(address)
    except ValueError:
        return ""
    scheme = {"ws": "http", "wss": "https"}.get(parts.scheme.lower(), parts.scheme.lower())
    return f"{scheme}://{parts.netloc.lower()}"


async def _public(address: str) -> tuple[str, dict[str, Any]]:
    """The address by number, as it was found, and the name to prove there; what is asked is what was looked at.

    Raises FileRefused for one of this machine or its own network.
    """
    try:
        parts = urlsplit(address)
        host, port = parts.hostname or "", parts.port or (443 if parts.scheme == "https" else 80)
    except ValueError:
        raise FileRefused("its address can't be read") from None
    if parts.scheme not in ("http", "https") or not host:
        raise FileRefused("its address can't be used")
    try:
        found = await asyncio.get_running_loop().getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except OSError:
        raise FileRefused("its server was not found") from None
    numbers = [ipaddress.ip_address(str(one[4][0]).partition("%")[0]) for one in found]
    if not numbers or not all(is_of_internet(one) for one in numbers):
        raise FileRefused("its address points to this machine or network, which an online player may not use")
    there = f"[{numbers[0]}]" if numbers[0].version == 6 else f"{numbers[0]}"
    return parts._replace(netloc=f"{there}:{port}").geturl(), {"sni_hostname": host}


def _inline(address: str) -> bytes:
    head, _, body = address.partition(",")
    try:
        return base64.b64decode(unquote(body), validate=True) if head.endswith(";base64") else b""
    except (binascii.Error, ValueError):
        raise FileRefused("the response is not a picture") from None


def _of_file(address: str) -> bytes:
    parts = urlsplit(address)
    path = Path(url2pathname(parts.path))
    try:
        if parts.netloc not in ("", "localhost") or not path.is_absolute() or not path.is_file():
            raise FileRefused("the file doesn't exist")
        with open_plain(path) as file:
            found = file.read(MOST_BYTES + 1)
    except (OSError, ValueError):
        raise FileRefused("the file couldn't be read") from None
    if len(found) > MOST_BYTES:
        raise FileRefused("it is larger than 8 MB")
    return found
