"""What goes out: lines in chat by their pace, scripts that are told something, and bounds on all of it."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from typing import Any

import pytest

from tesoura.actions.action import Call, Doing
from tesoura.actions.registry import do
from tesoura.errors import NotYours, SourceUnavailable
from tesoura.outputs.lanes import Bounds, Lanes
from tesoura.standins.chat import ChatServer
from tests.conftest import Running, flat, until
from tests.runtime.test_cues import GIFT, new_cue, told


@pytest.fixture
def server() -> Iterator[ChatServer]:
    made = ChatServer(token="open-sesame-9")
    made.start()
    yield made
    made.stop()


def join(running: Running, server: ChatServer, **more: Any) -> None:
    """Connect the chat, and wait until it is joined."""
    choices = {
        "host": "127.0.0.1",
        "port": str(server.port),
        "tls": "no",
        "channel": "windyladder",
        "nick": "mara_helper",
        "streamer": "mara_vane",
        **more,
    }
    call = Call("feed.new", {"kind": "irc", "title": "Chat", "choices": choices, "secrets": {"token": "open-sesame-9"}})
    running.runtime.call(lambda self: do(Doing(self, "desk"), call))
    until(lambda: running.runtime.call(lambda self: self.links.link("chat")))


ASKS = {"when": "chat", "word": "!song", "do_1": "say", "chat_1": "chat", "line_1": "{event.name}: it is {script.song}"}


def test_who_asks_in_chat_is_answered_there_once(running: Running, server: ChatServer) -> None:
    join(running, server)
    running.client.put("/api/signals/song", json={"value": "Paper\nWeather"}, headers=running.auth)
    new_cue(running, **ASKS, rests="1 min")
    server.say("teacup_ana", "!song please", msgid="m1")
    server.say("teacup_ana", "!song please", msgid="m1")
    server.say("bolt_uncle", "!song", msgid="m2")
    until(lambda: len(told(running, "tesoura.cue.")) == 2)
    until(lambda: server.heard == [("mara_helper", "teacup_ana: it is Paper Weather")])
    assert [one["outcome"] for one in told(running, "tesoura.cue.")] == ["fires", "refused"]
    ended = until(lambda: told(running, "tesoura.effect_ended"))
    assert (ended[0]["outcome"], ended[0]["note"]) == ("done", "sent and visible in chat")
    assert [one["name"] for one in told(running, "chat.line")] == ["teacup_ana", "bolt_uncle"]


def test_a_moderators_word_is_not_heard_from_anybody_else(running: Running, server: ChatServer) -> None:
    join(running, server)
    new_cue(running, **{**ASKS, "who": "moderators", "line_1": "{event.name}: a song"})
    for name in ("teacup_ana", "wren_bobbin"):
        server.say(name, "!song")
    until(lambda: server.heard)
    assert server.heard[0][1].startswith("wren_bobbin:")


def test_what_is_too_fast_waits_its_turn_in_order(running: Running, server: ChatServer) -> None:
    join(running, server, pace_lines="1", pace_s="1")
    new_cue(
        running,
        **GIFT,
        do_1="say",
        chat_1="Chat",
        line_1="one {event.amount}",
        do_2="say",
        chat_2="chat",
        line_2="two",
        do_3="set",
        signal_3="script.after",
        value_of_3="1",
    )
    running.event(type="gift", data={"amount": 5})
    until(lambda: running.signal("script.after").get("value") == 1)
    assert len(server.heard) <= 1
    until(lambda: [line for _, line in server.heard] == ["one 5", "two"])


@pytest.mark.parametrize(("choice", "heard"), [("keep", ["hello"]), ("drop", [])])
def test_a_chat_that_is_away_is_waited_for_or_not_by_choice(
    running: Running, server: ChatServer, choice: str, heard: list[str]
) -> None:
    join(running, server, when_away=choice)
    new_cue(running, **GIFT, do_1="say", chat_1="chat", line_1="hello")
    server.stop()
    until(lambda: running.runtime.call(lambda self: self.links.link("chat")) is None)
    running.event(type="gift", data={"amount": 5})
    if choice == "keep":
        until(lambda: told(running, "tesoura.effect"))
    else:
        ended = until(lambda: told(running, "tesoura.effect_ended"))
        assert (ended[0]["outcome"], ended[0]["why"]) == (
            "failed",
            "The chat was disconnected, so the message was dropped, as set.",
        )
    back = ChatServer(server.port, token="open-sesame-9")
    back.start()
    try:
        running.runtime.call(lambda self: self.feeds.ask_now("chat"))
        until(lambda: running.runtime.call(lambda self: self.links.link("chat")))
        until(lambda: [line for _, line in back.heard] == heard)
    finally:
        back.stop()


def test_its_page_proves_that_it_is_joined_and_says_a_line(running: Running, server: ChatServer) -> None:
    join(running, server)
    server.say("teacup_ana", "<b>hello</b>")
    until(lambda: told(running, "chat.line"))
    page = running.client.get("/feeds/chat").text
    assert "Joined" in page
    assert "0 of 20 lines in 30 s used" in flat(page)
    assert "&lt;b&gt;hello&lt;/b&gt;" in page
    assert "open-sesame-9" not in page
    said = running.press("/feeds/chat", "/feeds/chat/say", {"line": "good evening"})
    assert "sent and visible in chat" in said.text
    assert "1 of 20 lines" in flat(said.text)
    empty = running.press("/feeds/chat", "/feeds/chat/say", {"line": "\u200b"})
    assert (empty.status_code, "The message is empty" in empty.text) == (422, True)


def test_a_script_is_told_a_line_that_can_be_no_option(running: Running) -> None:
    scripts = running.folder / "scripts"
    scripts.mkdir(exist_ok=True)
    (scripts / "lamp.py").write_text("import sys\nprint(len(sys.argv), input())\n")
    (scripts / "broken.py").write_text("import sys\nsys.exit(3)\n")
    new_cue(
        running,
        **GIFT,
        do_1="script",
        program_1="lamp.py",
        told_1="--all {event.name}",
        do_2="script",
        program_2="broken.py",
        do_3="script",
        program_3="gone.py",
    )
    running.event(type="gift", data={"amount": 5, "name": "ana\nrm"})
    ended = until(lambda: len(found := told(running, "tesoura.effect_ended")) == 3 and found)
    by_target = {one["target"]: (one["outcome"], one.get("note") or one.get("why")) for one in ended}
    assert by_target == {
        "lamp.py": ("done", "it said “1 --all ana rm”"),
        "broken.py": ("failed", "broken.py ended with exit code 3."),
        "gone.py": ("failed", "There is no gone.py in the scripts folder. Put it there, or choose another."),
    }


def test_only_who_sits_at_this_machine_makes_a_cue_that_runs_a_script(running: Running) -> None:
    choices = {"title": "Lamp", **GIFT, "do_1": "script", "program_1": "lamp.py"}
    call = Call("instrument.new", {"kind": "cue", "choices": choices})
    with pytest.raises(NotYours, match="A cue that runs a script"):
        running.runtime.call(lambda self: do(Doing(self, "desk:10.0.0.7"), call))


def test_a_way_out_has_bounds_and_keeps_its_order() -> None:
    async def run() -> tuple[list[str], list[int]]:
        lanes, began = Lanes({"say": Bounds(1, 2, 0.5)}), list[int]()

        async def job(number: int) -> int:
            began.append(number)
            await asyncio.sleep(0.01)
            return number

        async def go(number: int) -> str:
            try:
                return str(await lanes.run("say", "Chat" if number % 2 else "chat", lambda: job(number)))
            except SourceUnavailable as error:
                return str(error)

        told = await asyncio.gather(*(go(number) for number in range(5)))
        assert lanes.waiting("say", "chat") == 0
        return told, began

    told_, began = asyncio.run(run())
    assert began == [0, 1, 2]
    assert told_[3:] == ["2 wait before it already; it was not begun."] * 2


def test_what_takes_too_long_is_given_up() -> None:
    async def run() -> None:
        with pytest.raises(SourceUnavailable, match=r"longer than 0\.01 s"):
            await Lanes({"call": Bounds(1, 1, 0.01)}).run("call", "x", lambda: asyncio.sleep(5))

    asyncio.run(run())
