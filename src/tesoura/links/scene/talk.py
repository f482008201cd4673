"""One open scene link: coming in, asking, being told, and what it remembers of the other program."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncGenerator, AsyncIterator, Mapping
from datetime import datetime, timedelta
from typing import Any
from urllib.parse import urlsplit

from tesoura.core.instants import iso_instant
from tesoura.core.nearest import nearest, same_name
from tesoura.errors import CredentialsRejected, Gone, ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched, FoundClip, Item
from tesoura.feeds.paths import allowed
from tesoura.links import rpc
from tesoura.links.rpc import Garbled, RequestObject, ResponseObject
from tesoura.links.scene import protocol
from tesoura.links.scene.coming_in import come_in, let_in
from tesoura.links.scene.door import Arrived, Wire
from tesoura.links.scene.wires import connected

ANSWER_S, CLIP_S, PROVE_S = 5.0, 60.0, 10.0
MOST_GARBLED = 50
"""After so many messages that are none, it is no scene link."""
NOTICES = {
    "streaming.started": "stream.started",
    "streaming.stopped": "stream.stopped",
    "recording.started": "recording.started",
    "recording.stopped": "recording.stopped",
    "clip.saved": "clip.saved",
}
"""What is told, and the event that it becomes."""


class SceneLink:
    """The program that composes the picture, as it is talked with.

    `names` are the scenes that are called otherwise there than here: there's name, and here's.
    """

    def __init__(self, context: FetchContext, wire: Wire) -> None:
        self._clock, self._wire = context.clock, wire
        self._context = context
        self.scenes: tuple[str, ...] = ()
        self.current = ""
        self.streaming_since: datetime | None = None
        self.recording_since: datetime | None = None
        self.names: dict[str, str] = {str(one): str(here) for one, here in context.memory.get("names", {}).items()}
        self.odd = 0
        self.took_ms = 0.0
        self._number = 0
        self._asked: dict[int | str, asyncio.Future[Any]] = {}
        self._switching = ""
        self._news: list[Item] = []
        self._changed = asyncio.Event()

    # Asking

    async def ask(self, method: str, params: Mapping[str, Any] | None = None, within_s: float = ANSWER_S) -> Any:
        """Ask something; what is answered. Raises SourceUnavailable, Gone, and ResponseNotUnderstood."""
        self._number += 1
        number, answered = self._number, asyncio.get_running_loop().create_future()
        self._asked[number] = answered
        began = asyncio.get_running_loop().time()
        try:
            await self._wire.send(rpc.request(number, method, params or {}))
            async with asyncio.timeout(within_s):
                came: ResponseObject = await answered
        except TimeoutError:
            raise SourceUnavailable(f"The program didn't answer {method} within {within_s:g} s.") from None
        finally:
            self._asked.pop(number, None)
        self.took_ms = (asyncio.get_running_loop().time() - began) * 1000
        if came.code is None:
            return came.result
        words = came.words or f"error {came.code}"
        if came.code in (protocol.NO_SUCH_SCENE, protocol.NO_SUCH_SOURCE):
            raise Gone(f"The program reports: {words}.".replace("..", "."))
        raise SourceUnavailable(f"The program refused: {words}.".replace("..", "."))

    async def look(self) -> None:
        """Ask which scenes there are, and which is the present one."""
        told = await self.ask("scene.list")
        scenes = protocol.scenes_in(told)
        if scenes is None:
            raise ResponseNotUnderstood("The response to scene.list has no scenes.", str(told)[:300])
        self.scenes = scenes
        self.current = protocol.scene_name(told.get("current"))
        if not self.current:
            answer = await self.ask("scene.current")
            self.current = protocol.scene_name(answer.get("scene") if isinstance(answer, Mapping) else None)
        for what in ("streaming", "recording"):
            since = self._instant(told.get(f"{what}_since")) if told.get(f"{what}_since") else None
            setattr(self, f"{what}_since", since)

    async def switch(self, scene: str) -> str:
        """Make a scene the present one; its name here. Raises SourceUnavailable, and Gone with the nearest name."""
        there = self.there(scene)
        if there is None:
            near = nearest(scene, self.here_names())
            raise Gone(
                f"There is no scene {scene[:60]} in the streaming software."
                + (f" The nearest is {near}." if near else "")
            )
        self._switching = there
        try:
            await self.ask("scene.switch", {"scene": there})
        except SourceUnavailable:
            # An answer may be lost that was told by a notice.
            if self.current != there:
                raise
        finally:
            self._switching = ""
        self.current = there
        return self.here(there)

    async def set_visible(self, source: str, visible: bool, scene: str = "") -> None:
        """Show or hide a source of the picture there. Raises SourceUnavailable, and Gone."""
        where = {"scene": self.there(scene) or scene} if scene else {}
        await self.ask("source.visible", {"source": source, "visible": visible, **where})

    async def save_clip(self, length_s: float) -> Mapping[str, Any]:
        """Let it write the last seconds of the picture to a file; what it says of that file: `path`, `ends_at`."""
        told = await self.ask("clip.save", {"seconds": length_s}, CLIP_S)
        if not isinstance(told, Mapping) or not isinstance(told.get("path"), str):
            raise ResponseNotUnderstood("The response to clip.save names no file.", str(told)[:300])
        return told

    async def clip(self, begin: datetime, end: datetime) -> FoundClip:
        """What was seen between two instants, written by the program. Raises SourceError."""
        if (wait_s := (end - self._clock()).total_seconds()) > 0:
            await asyncio.sleep(wait_s)
        told = await self.save_clip(round(max((self._clock() - begin).total_seconds(), 0) + 1, 1))
        path = allowed(str(told["path"]), self._context.folders)
        return FoundClip(path, self._instant(told.get("ends_at")))

    # Names

    def here(self, there: str) -> str:
        """What a scene of the other program is called here."""
        return self.names.get(there, there)

    def there(self, here: str) -> str | None:
        """What a scene is called there, whatever its case; None when there is none of that name."""
        called = {name: there for there, name in self.names.items() if there in self.scenes}
        return called.get(same_name(here, called) or "") or same_name(here, self.scenes)

    def here_names(self) -> tuple[str, ...]:
        """All scenes, as they are called here."""
        return tuple(self.here(one) for one in self.scenes)

    def call(self, there: str, here: str) -> None:
        """From now on a scene of the other program is called so here; by its own name when they are the same.

        Raises Gone when another scene is called so.
        """
        if any(self.here(one) == here for one in self.scenes if one != there):
            raise Gone(f"There is already a scene {here[:60]} here. Choose another name.")
        self.names = {one: name for one, name in self.names.items() if one != there and name != here}
        if there != here:
            self.names[there] = here
        self._changed.set()

    # Being told

    async def hear(self) -> None:
        """Take in what the other program says, until it goes. Raises SourceError."""
        while True:
            await self._take(rpc.read(await self._wire.hear()))

    async def _take(self, said: ResponseObject | RequestObject | Garbled) -> None:
        if isinstance(said, ResponseObject):
            answered = self._asked.get(said.id) if said.id is not None else None
            if answered is None or answered.done():
                # Of something that was not asked, or of what we have given up: nobody waits for it.
                self._odd()
            else:
                answered.set_result(said)
        elif isinstance(said, Garbled):
            self._odd()
            await self._wire.send(rpc.refusal(None, said.code, said.words))
        elif said.id is not None:
            await self._wire.send(
                rpc.refusal(said.id, rpc.NO_SUCH_METHOD, f"{said.method[:60]} is not a method of Tesoura.")
            )
        else:
            self._notice(said)

    def _odd(self) -> None:
        self.odd += 1
        if self.odd > MOST_GARBLED:
            raise ResponseNotUnderstood("The other side is not a scene link.", "")

    def _notice(self, said: RequestObject) -> None:
        params = said.params
        if said.method == "scene.changed":
            scene = protocol.scene_name(params.get("scene"))
            if not scene:
                self._odd()
                return
            self.current = scene
            if scene not in self.scenes and len(self.scenes) < protocol.MOST_SCENES:
                self.scenes = (*self.scenes, scene)
            if scene != self._switching:
                self._changed.set()
        elif said.method == "scene.listed":
            self._listed(params)
        elif said.method in NOTICES:
            self._told_of(said.method, params)
        else:
            self._odd()

    def _listed(self, params: Mapping[str, Any]) -> None:
        scenes, renamed = protocol.scenes_in(params), params.get("renamed")
        if scenes is None:
            self._odd()
            return
        self.scenes = scenes
        if isinstance(renamed, Mapping):
            before, after = protocol.scene_name(renamed.get("from")), protocol.scene_name(renamed.get("to"))
            if before and after in scenes:
                # All that names it here goes on: only what it is called there has changed.
                self.call(after, self.here(before))
                self.names.pop(before, None)
                self.current = after if self.current == before else self.current
        self._changed.set()

    def _told_of(self, method: str, params: Mapping[str, Any]) -> None:
        at = self._instant(params.get("at"))
        what, _, turned = method.partition(".")
        if what in ("streaming", "recording"):
            setattr(self, f"{what}_since", at if turned == "started" else None)
        data = {name: value for name, value in params.items() if name != "at" and isinstance(value, str | int | float)}
        self._news.append(Item(NOTICES[method], {**data, "at": at.isoformat()}, time=at))
        self._changed.set()

    def _instant(self, told: object) -> datetime:
        """When something was, as the other program tells; now, where it does not, or tells of times to come."""
        now = self._clock()
        at = iso_instant(told)
        return min(at, now) if at is not None and at <= now + timedelta(seconds=2) else now

    async def news(self) -> AsyncIterator[Fetched]:
        """What is new, whenever something is."""
        while True:
            await self._changed.wait()
            self._changed.clear()
            yield self.fetched()

    def fetched(self) -> Fetched:
        """What is known of the other program now."""
        items, self._news = tuple(self._news), []
        payload = {
            "scene": self.here(self.current),
            "scenes": list(self.here_names()),
            "streaming": self.streaming_since is not None,
            "recording": self.recording_since is not None,
        }
        memory = {"scenes": list(self.here_names()), "names": dict(self.names)}
        return Fetched(payload, items=items, memory=memory, note=self.note(), scene=self.here(self.current))

    # How it stands

    def note(self) -> str:
        """That it is open, and what it says, in a sentence."""
        count = len(self.scenes)
        odd = f" {self.odd} messages were not understood." if self.odd else ""
        return (
            f"{count} {'scene' if count == 1 else 'scenes'}, current: "
            f"{self.here(self.current) or 'not known'}; response time {self.took_ms:.0f} ms.{odd}"
        )

    def standing(self) -> Mapping[str, Any]:
        """How it stands, for its page."""
        return {
            "scenes": self.here_names(),
            "current": self.here(self.current),
            "note": self.note(),
            "odd": self.odd,
            "streaming_since": self.streaming_since,
            "recording_since": self.recording_since,
            "took_ms": self.took_ms,
            "called": {self.here(one): one for one in self.scenes},
        }


async def talk(context: FetchContext) -> AsyncIterator[Fetched]:
    """Be linked, say so, and tell what is told, until it breaks. Raises SourceError, which holds no password."""
    if context.choices.get("way") == "listen":
        if context.trying:
            yield Fetched(note="After saving, it waits for the program to connect.")
            return
        arrivals: asyncio.Queue[Arrived] = context.scratch.setdefault("arrivals", asyncio.Queue(1))
        wire = await arrivals.get()
        reason = ""
        try:
            async with contextlib.aclosing(_talk(context, wire)) as told:
                async for came in told:
                    yield came
        except CredentialsRejected as error:
            reason = str(error)
            raise
        finally:
            wire.end(reason)
        return
    address = str(context.choices["address"])
    where = urlsplit(address).netloc
    async with connected(address, where) as socket, contextlib.aclosing(_talk(context, socket)) as told:
        async for came in told:
            yield came


async def _talk(context: FetchContext, wire: Wire) -> AsyncGenerator[Fetched, None]:
    password = context.secrets.get("password", "")
    try:
        async with asyncio.timeout(PROVE_S):
            await (let_in if isinstance(wire, Arrived) else come_in)(wire, password)
    except TimeoutError:
        raise SourceUnavailable(f"The program didn't finish connecting within {PROVE_S:.0f} s.") from None
    link = SceneLink(context, wire)
    hearing = asyncio.create_task(link.hear(), name="reading a scene link")
    try:
        await _before(hearing, link.look())
        context.link = link
        yield link.fetched()
        news = link.news()
        while True:
            yield await _before(hearing, anext(news))
    finally:
        context.link = None
        hearing.cancel()
        await asyncio.gather(hearing, return_exceptions=True)


async def _before(hearing: asyncio.Task[None], job: Any) -> Any:
    """What a job gives, unless hearing ends before; then why it did."""
    doing = asyncio.ensure_future(job)
    try:
        await asyncio.wait((doing, hearing), return_when=asyncio.FIRST_COMPLETED)
        if not doing.done():
            hearing.result()
        return await doing
    finally:
        if not doing.done():
            doing.cancel()
            await asyncio.gather(doing, return_exceptions=True)
