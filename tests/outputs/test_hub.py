"""The live hub: latest-wins for slow pages, reloads for other versions, and who is counted."""

from __future__ import annotations

import asyncio
import json
from typing import Any

from tesoura.outputs.hub import Hub, Page


class Reader:
    """A page's other end, which takes messages only when told to."""

    def __init__(self) -> None:
        self.heard: list[dict[str, Any]] = []
        self._may = asyncio.Semaphore(0)

    async def send(self, text: str) -> None:
        await self._may.acquire()
        self.heard.append(json.loads(text))

    async def take(self, count: int) -> list[dict[str, Any]]:
        for _ in range(count):
            self._may.release()
        for _ in range(20):
            await asyncio.sleep(0)
        return self.heard


async def opened(hub: Hub, preview: bool = False) -> tuple[Page, Reader, asyncio.Task[None]]:
    channel = hub.channel("token")
    assert channel is not None
    reader = Reader()
    page = Page(reader.send, preview)
    hub.join(channel, page)
    task = asyncio.create_task(page.pump(lambda: channel.seq))
    return page, reader, task


def on_air(hub: Hub, rev: int = 1, **values: str) -> None:
    hub.put_on_air(1, "token", rev, values)


def test_a_page_gets_everything_then_only_what_changed() -> None:
    async def story() -> list[dict[str, Any]]:
        hub = Hub("b1")
        on_air(hub, a="1,284", b="hello")
        _, reader, task = await opened(hub)
        await reader.take(1)
        hub.change(1, {"a": "1,285"})
        heard = await reader.take(1)
        task.cancel()
        return heard

    assert asyncio.run(story()) == [
        {"kind": "snapshot", "build": "b1", "rev": 1, "seq": 1, "values": {"a": "1,284", "b": "hello"}},
        {"kind": "patch", "seq": 2, "values": {"a": "1,285"}},
    ]


def test_a_slow_page_skips_to_the_latest_and_holds_up_nobody() -> None:
    async def story() -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
        hub = Hub("b1")
        on_air(hub, a="0", b="0")
        _, slow, slow_task = await opened(hub)
        _, quick, quick_task = await opened(hub)
        await slow.take(1)
        await quick.take(1)
        for number in range(1, 101):
            hub.change(1, {"a" if number % 2 else "b": str(number)})
            await quick.take(1)
        heard = await slow.take(9)
        slow_task.cancel()
        quick_task.cancel()
        return heard, quick.heard

    slow_heard, quick_heard = asyncio.run(story())
    assert len(quick_heard) == 101
    values: dict[str, str] = {}
    for message in slow_heard:
        values |= message["values"]
    assert values == {"a": "99", "b": "100"}
    assert len(slow_heard) == 3
    assert slow_heard[-1] == {"kind": "patch", "seq": 101, "values": {"a": "99", "b": "100"}}


def test_a_page_that_can_take_a_ready_frame_gets_it_at_once_and_else_is_queued() -> None:
    async def story() -> tuple[list[bytes], list[dict[str, Any]]]:
        hub = Hub("b1")
        on_air(hub, a="0")
        channel = hub.channel("token")
        assert channel is not None
        reader, frames, free = Reader(), [], [True, False]

        def write(frame: bytes) -> bool:
            if free.pop(0):
                frames.append(frame)
                return True
            return False

        page = Page(reader.send, write=write)
        hub.join(channel, page)
        task = asyncio.create_task(page.pump(lambda: channel.seq))
        await reader.take(1)
        hub.change(1, {"a": "1"})
        hub.change(1, {"a": "2"})
        hub.change(1, {"a": "3"})
        heard = await reader.take(2)
        task.cancel()
        return frames, heard

    frames, heard = asyncio.run(story())
    text = b'{"kind": "patch", "seq": 2, "values": {"a": "1"}}'
    assert frames == [b"\x81" + bytes([len(text)]) + text]
    assert [message["values"] for message in heard] == [{"a": "0"}, {"a": "3"}]


def test_another_version_tells_the_page_to_fetch_it() -> None:
    async def story() -> list[dict[str, Any]]:
        hub = Hub("b1")
        on_air(hub, a="1")
        _, reader, task = await opened(hub)
        await reader.take(1)
        on_air(hub, rev=1, a="2")
        on_air(hub, rev=2, a="2")
        heard = await reader.take(5)
        task.cancel()
        return heard[1:]

    assert asyncio.run(story()) == [{"kind": "reload", "build": "b1", "rev": 2}]


def test_small_pictures_are_not_counted_as_pages() -> None:
    async def story() -> tuple[Any, int]:
        hub = Hub("b1")
        on_air(hub)
        page, _, one = await opened(hub)
        _, _, two = await opened(hub, preview=True)
        hub.measured(page, 1280, 720)
        audience = hub.audience(1)
        one.cancel()
        two.cancel()
        return audience, hub.pages

    audience, pages = asyncio.run(story())
    assert (audience.pages, audience.sizes, pages) == (1, ((1280, 720),), 2)


def test_an_overlay_taken_off_has_no_link_any_more() -> None:
    hub = Hub("b1")
    on_air(hub)
    hub.take_off(1)
    assert hub.channel("token") is None
    hub.change(1, {"a": "2"})
    assert hub.audience(1).pages == 0
