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
        message = json.loads(text)
        # Each page has a name of its own, which nobody can foretell.
        if message["kind"] == "snapshot":
            assert len(message.pop("page")) == 12
        self.heard.append(message)

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
        {"kind": "snapshot", "build": "b1", "rev": 1, "seq": 1, "now_ms": 0, "values": {"a": "1,284", "b": "hello"}},
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


def test_a_stalled_page_has_an_emptying_before_the_next_moment() -> None:
    async def story() -> list[dict[str, Any]]:
        hub = Hub("b1")
        on_air(hub, alert="")
        _, reader, task = await opened(hub)
        hub.moment(1, "m1", "alert", "ana", 5)
        hub.change(1, {"alert": ""})
        hub.change(1, {"count": "1"})
        hub.moment(1, "m2", "alert", "bolt", 5)
        hub.change(1, {"count": "2"})
        heard = await reader.take(9)
        task.cancel()
        return heard[1:]

    said = [(one["kind"], one.get("text", one.get("values"))) for one in asyncio.run(story())]
    assert said == [
        ("moment", "ana"),
        ("patch", {"alert": "", "count": "1"}),
        ("moment", "bolt"),
        ("patch", {"count": "2"}),
    ]


def test_a_desk_that_is_behind_loses_no_value_when_topics_come() -> None:
    async def story() -> list[dict[str, Any]]:
        hub = Hub("b1")
        reader = Reader()
        page = Page(reader.send)
        hub.join_desk(page)
        hub.watch(page, ["reach.members"])
        task = asyncio.create_task(page.pump(lambda: 0))
        hub.tell_watchers(["reach.members"], lambda name: "1,284")
        hub.touch_desks(["log"])
        hub.touch_desks(["signals", "log"])
        heard = await reader.take(9)
        task.cancel()
        return heard[1:]

    assert asyncio.run(story()) == [
        {"kind": "patch", "seq": 0, "values": {"reach.members": "1,284"}},
        {"kind": "changed", "topics": ["log", "signals"]},
    ]


def test_what_a_page_has_painted_is_told_and_a_picture_is_no_viewer() -> None:
    acked: list[tuple[int, str, str]] = []

    async def story() -> str:
        hub = Hub("b1", acked=lambda overlay_id, page, moment: acked.append((overlay_id, page.id, moment)))
        on_air(hub)
        channel = hub.channel("token")
        assert channel is not None
        page, _, one = await opened(hub)
        picture, _, two = await opened(hub, preview=True)
        hub.heard_ack(channel, page, "m1")
        hub.heard_ack(channel, picture, "m1")
        hub.leave(channel, page)
        hub.heard_ack(channel, page, "m2")
        one.cancel()
        two.cancel()
        return page.id

    name = asyncio.run(story())
    assert acked == [(1, name, "m1")]
