"""The scene link: coming in, switching, being told, and a program on the other side that does anything but that."""

from __future__ import annotations

import asyncio
import contextlib
import json
from collections.abc import Awaitable, Callable, Iterator, Sequence
from datetime import UTC, datetime
from typing import Any

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.errors import CredentialsRejected, Gone, ResponseNotUnderstood, SourceError, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.links import rpc
from tesoura.links.rpc import Garbled, RequestObject, ResponseObject
from tesoura.links.scene import protocol
from tesoura.links.scene.coming_in import come_in, let_in
from tesoura.links.scene.protocol import Challenge
from tesoura.links.scene.talk import SceneLink, talk
from tesoura.settings import wall_clock
from tesoura.standins.compositor import Compositor
from tests.conftest import until

WORD = "kites-in-the-wind"


@pytest.fixture
def program() -> Iterator[Compositor]:
    made = Compositor(password=WORD)
    made.start()
    yield made
    made.stop()


Following = Callable[[], Awaitable[Fetched]]


def meet(
    program: Compositor,
    then: Callable[[SceneLink, Following], Awaitable[Any]],
    password: str = WORD,
    memory: dict[str, Any] | None = None,
) -> Any:
    """Be linked and do something; `then` is given the link and how to wait for what is told next."""

    async def run() -> Any:
        async with httpx.AsyncClient(trust_env=False) as client, asyncio.timeout(15):
            choices = {"way": "connect", "address": program.link_address}
            context = FetchContext(client, wall_clock, choices, {"password": password}, memory=memory or {})
            async with contextlib.aclosing(talk(context)) as stream:  # type: ignore[type-var]
                first = await anext(stream)
                assert isinstance(context.link, SceneLink)
                assert first.scene is not None

                async def following() -> Fetched:
                    return await anext(stream)

                result = await then(context.link, following)
            assert context.link is None
            return result

    return asyncio.run(run())


def test_a_link_knows_the_scenes_and_the_present_one(program: Compositor) -> None:
    async def look(link: SceneLink, following: Following) -> Any:
        return link.standing()["scenes"], link.fetched().scene, link.note()

    scenes, scene, note = meet(program, look)
    assert (scenes, scene) == (("Play", "Talk", "Break", "Starting", "Wheel"), "Play")
    assert note.startswith("5 scenes, current: Play; response time ")


def test_it_switches_whatever_the_case_and_says_what_is_nearest_to_what_is_not_there(program: Compositor) -> None:
    async def switch(link: SceneLink, following: Following) -> str:
        with pytest.raises(Gone, match=r"There is no scene Brake .* The nearest is Break\."):
            await link.switch("Brake")
        return await link.switch("tALK")

    assert meet(program, switch) == "Talk"
    assert program.current == "Talk"


def test_a_scene_that_is_changed_there_is_told(program: Compositor) -> None:
    async def wait(link: SceneLink, following: Following) -> str | None:
        program.switch("Wheel")
        return (await following()).scene

    assert meet(program, wait) == "Wheel"


def test_streaming_and_recording_are_told_with_their_times(program: Compositor) -> None:
    program.stream(True, "2026-03-05T19:02:00+00:00")

    async def wait(link: SceneLink, following: Following) -> Any:
        before = link.streaming_since
        program.stream(False)
        over = await following()
        program.record(True)
        return before, [one.type for one in (*over.items, *(await following()).items)], link.streaming_since

    before, types, since = meet(program, wait)
    assert before == datetime(2026, 3, 5, 19, 2, tzinfo=UTC)
    assert (types, since) == (["stream.stopped", "recording.started"], None)


def test_a_scene_that_is_renamed_there_keeps_its_name_here(program: Compositor) -> None:
    async def rename(link: SceneLink, following: Following) -> Any:
        program.rename("Play", "Arena")
        came = await following()
        await link.switch("Talk")
        await link.switch("Play")
        return came.scene, came.memory, link.standing()["scenes"][0]

    remembered = {"scenes": ["Play", "Talk", "Break", "Starting", "Wheel"], "names": {"Arena": "Play"}}
    assert meet(program, rename) == ("Play", remembered, "Play")
    assert program.current == "Arena"

    async def after(link: SceneLink, following: Following) -> Any:
        program.rename("Arena", "Play")
        came = await following()
        return came.scene, came.memory["names"] if came.memory else None

    assert meet(program, after, memory={"names": {"Arena": "Play"}}) == ("Play", {})


def test_a_scene_is_called_as_its_user_says(program: Compositor) -> None:
    async def call(link: SceneLink, following: Following) -> Any:
        with pytest.raises(Gone, match="already a scene Play here"):
            link.call("Wheel", "Play")
        link.call("Wheel", "Tea wheel")
        await following()
        await link.switch("tea wheel")
        return link.fetched().scene

    assert meet(program, call) == "Tea wheel"
    assert program.current == "Wheel"


@pytest.mark.parametrize(
    ("prepare", "error", "words"),
    [
        (lambda one: setattr(one, "refuses", True), SourceUnavailable, "A transition is in progress"),
        (lambda one: setattr(one, "mute", True), SourceUnavailable, r"didn't answer scene\.switch within 0\.3 s"),
        (lambda one: setattr(one, "slow_s", 5.0), SourceUnavailable, "didn't answer"),
    ],
)
def test_a_switch_that_is_refused_or_not_answered_says_so(
    program: Compositor,
    monkeypatch: pytest.MonkeyPatch,
    prepare: Callable[[Compositor], None],
    error: type[Exception],
    words: str,
) -> None:
    monkeypatch.setattr("tesoura.links.scene.talk.ANSWER_S", 0.3)
    ask = SceneLink.ask

    async def soon(self: SceneLink, method: str, params: Any = None, within_s: float = 0.3) -> Any:
        # Only the switch is asked impatiently: what comes before it may take its time on a busy machine.
        return await ask(self, method, params, 0.3 if method == "scene.switch" else 10.0)

    monkeypatch.setattr(SceneLink, "ask", soon)

    async def switch(link: SceneLink, following: Following) -> str:
        prepare(program)
        with pytest.raises(error, match=words):
            await link.switch("Talk")
        return link.current

    assert meet(program, switch) == "Play"


def test_a_switch_whose_answer_is_lost_counts_when_the_notice_came(
    program: Compositor, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def switch(link: SceneLink, following: Following) -> str:
        program.mute = True
        asked = asyncio.ensure_future(link.ask("scene.switch", {"scene": "Talk"}, 0.3))
        monkeypatch.setattr(link, "ask", lambda method, params: asked)
        program.switch("Talk")
        return await link.switch("Talk")

    assert meet(program, switch) == "Talk"


def test_a_source_is_shown_and_hidden_there_and_a_clip_that_nobody_keeps_is_refused(program: Compositor) -> None:
    program.overlays = {"Cup": "http://127.0.0.1:9/o/x"}

    async def ask(link: SceneLink, following: Following) -> tuple[bool, bool]:
        await link.set_visible("Cup", False, "play")
        hidden = ("Play", "Cup") in program.hidden
        await link.set_visible("Cup", True)
        with pytest.raises(Gone, match="There is no source Nobody"):
            await link.set_visible("Nobody", True)
        with pytest.raises(SourceUnavailable, match="No picture stored"):
            await link.save_clip(24.0)
        return hidden, ("Play", "Cup") in program.hidden

    assert meet(program, ask) == (True, False)


ODD = (
    '{"jsonrpc": "2.0", "id": 999, "result": {}}',
    '{"jsonrpc": "2.0", "met',
    "[]",
    '{"id": 1}',
    "null",
    '{"jsonrpc": "2.0", "method": "scene.changed", "params": {"scene": 7}}',
    '{"jsonrpc": "2.0", "method": "scene.listed", "params": {"scenes": "Play"}}',
    '{"jsonrpc": "2.0", "method": "weather.changed"}',
    '{"jsonrpc": "2.0", "id": true, "result": 1}',
    '{"jsonrpc": "2.0", "method": "scene.changed", "params": ["Talk"]}',
)


def test_answers_to_nothing_half_a_message_and_anothers_are_passed_over_and_counted(program: Compositor) -> None:
    async def listen(link: SceneLink, following: Following) -> Any:
        program.nonsense(*ODD)
        program.switch("Break")
        return (await following()).scene, link.odd

    assert meet(program, listen) == ("Break", len(ODD))


def test_one_that_speaks_nothing_but_nonsense_is_given_up(program: Compositor) -> None:
    async def listen(link: SceneLink, following: Following) -> None:
        program.nonsense(*ODD * 8)
        await following()

    with pytest.raises(ResponseNotUnderstood, match="The other side is not a scene link"):
        meet(program, listen)


def test_what_is_asked_of_us_is_refused_by_the_protocols_rules(program: Compositor) -> None:
    async def listen(link: SceneLink, following: Following) -> int:
        program.nonsense('{"jsonrpc": "2.0", "id": 4, "method": "desk.open"}')
        program.switch("Talk")
        await following()
        return link.odd

    assert meet(program, listen) == 0


def test_a_program_that_vanishes_is_told(program: Compositor) -> None:
    async def wait(link: SceneLink, following: Following) -> None:
        program.drop()
        await following()

    with pytest.raises(SourceUnavailable, match="disconnected"):
        meet(program, wait)


@pytest.mark.parametrize(
    ("given_", "words"), [("another-password", "refused the password"), ("", "The program requires a password")]
)
def test_a_wrong_password_and_none_are_asked_for_again(program: Compositor, given_: str, words: str) -> None:
    async def nothing(link: SceneLink, following: Following) -> None:
        return None

    with pytest.raises(CredentialsRejected, match=words) as error:
        meet(program, nothing, given_)
    assert WORD not in str(error.value)


def test_one_without_a_password_lets_in_who_is_on_this_machine() -> None:
    program = Compositor()
    program.start()
    try:

        async def look(link: SceneLink, following: Following) -> str:
            return link.current

        assert meet(program, look, "") == "Play"
    finally:
        program.stop()


class Scripted:
    """A connection whose other side says what it was told to say."""

    def __init__(self, *says: Any) -> None:
        self._says, self.heard = list(says), list[dict[str, Any]]()

    async def send(self, text: str) -> None:
        self.heard.append(json.loads(text))

    async def hear(self) -> str:
        said = self._says.pop(0)
        return json.dumps(said(self.heard) if callable(said) else said)


def prove(password: str, role: str = "opener") -> Callable[[Sequence[dict[str, Any]]], dict[str, Any]]:
    def say(heard: Sequence[dict[str, Any]]) -> dict[str, Any]:
        asked = heard[0]["params"]
        shown = protocol.proof(password, Challenge(asked["salt"], asked["nonce"]), role)
        params = {"version": 1, "proof": shown, "salt": "theirs", "nonce": "a nonce of theirs"}
        return {"jsonrpc": "2.0", "id": 1, "method": "link.prove", "params": params}

    return say


def test_who_connects_to_us_proves_the_password_and_so_do_we() -> None:
    wire = Scripted(prove(WORD))
    asyncio.run(let_in(wire, WORD))
    assert wire.heard[1]["result"]["proof"] == protocol.proof(
        WORD, Challenge("theirs", "a nonce of theirs"), "listener"
    )
    assert WORD not in json.dumps(wire.heard)


@pytest.mark.parametrize(
    "says",
    [
        prove("another-password"),
        prove(WORD, "listener"),
        {"jsonrpc": "2.0", "id": 1, "method": "link.prove"},
        {"jsonrpc": "2.0", "method": "scene.changed", "params": {"scene": "Play"}},
    ],
)
def test_who_does_not_know_it_hands_a_proof_back_or_skips_it_is_not_let_in(says: Any) -> None:
    with pytest.raises(CredentialsRejected):
        asyncio.run(let_in(Scripted(says), WORD))


def test_without_a_password_nobody_is_let_in() -> None:
    with pytest.raises(CredentialsRejected, match="Set the same one here and in the program"):
        asyncio.run(let_in(Scripted(prove("")), ""))


def test_no_challenge_is_asked_twice() -> None:
    assert len({protocol.new_challenge() for _ in range(200)}) == 200


def test_a_listener_that_does_not_know_the_password_is_told_nothing(monkeypatch: pytest.MonkeyPatch) -> None:
    challenge = {"jsonrpc": "2.0", "method": "link.challenge", "params": {"salt": "s", "nonce": "n" * 24}}
    wire = Scripted(challenge, {"jsonrpc": "2.0", "id": 0, "result": {"proof": "made up"}})
    with pytest.raises(CredentialsRejected, match="The other side doesn't know the password, so nothing was sent"):
        asyncio.run(come_in(wire, WORD))
    assert len(wire.heard) == 1


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('{"jsonrpc": "2.0", "id": 3, "result": null}', ResponseObject(3, None)),
        (
            '{"jsonrpc": "2.0", "id": 3, "error": {"code": 1, "message": "No\\nscene"}}',
            ResponseObject(3, None, 1, "No scene"),
        ),
        (
            '{"jsonrpc": "2.0", "method": "scene.changed", "params": {"scene": "Play"}}',
            RequestObject("scene.changed", {"scene": "Play"}),
        ),
        ("{", Garbled(-32700, "Not JSON.")),
        ('{"jsonrpc": "2.0", "id": 1, "result": NaN}', Garbled(-32700, "Not JSON.")),
        ('{"jsonrpc": "1.0", "id": 1}', Garbled(-32600, "Not a JSON-RPC 2.0 message.")),
        ('{"jsonrpc": "2.0", "method": "x", "params": [1]}', Garbled(-32602, "Parameters must be named.")),
        ('"' + "x" * 64_000 + '"', Garbled(-32600, "A message of over 64,000 characters.")),
    ],
)
def test_a_message_is_an_answer_a_notice_or_none(text: str, said: object) -> None:
    assert rpc.read(text) == said


KEYS = st.sampled_from(["jsonrpc", "id", "method", "params", "result", "error", "code", "message", "scenes", "name"])
ANYTHING = st.recursive(
    st.none() | st.booleans() | st.floats() | st.text(), lambda inner: st.lists(inner) | st.dictionaries(KEYS, inner)
)


@given(ANYTHING)
def test_no_message_whatever_breaks_the_reader(said: Any) -> None:
    for text in (json.dumps(said), json.dumps({"jsonrpc": "2.0", "id": said, "result": said, "method": said})):
        assert isinstance(rpc.read(text), ResponseObject | RequestObject | Garbled)
    assert protocol.scenes_in(said) is None or isinstance(protocol.scenes_in(said), tuple)


def test_nothing_that_listens_and_what_is_no_link_say_what_to_look_at() -> None:
    async def run(address: str) -> str:
        async with httpx.AsyncClient(trust_env=False) as client:
            context = FetchContext(client, wall_clock, {"way": "connect", "address": address}, {})
            with pytest.raises(SourceError) as error:
                await anext(talk(context))
            return str(error.value)

    assert "No answer at 127.0.0.1:1" in asyncio.run(run("ws://127.0.0.1:1/link"))
    program = Compositor()
    program.start()
    try:
        assert "is not a scene link" in asyncio.run(run(program.address.replace("http", "ws") + "/elsewhere"))
        until(lambda: program.links == 0)
    finally:
        program.stop()
