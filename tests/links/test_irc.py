"""A chat: joining it, what is said there, saying something, and every way in which it goes wrong."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Awaitable, Callable, Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
import pytest
from irctokens.line import tokenise

from tesoura.core.chat import LINE, STREAMER
from tesoura.core.computed.occurrence import Occurrence
from tesoura.core.cues.happenings import ChatWord
from tesoura.core.forms.form import fill
from tesoura.errors import CredentialsRejected, InvalidPiece, SourceError, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.links.irc import KIND
from tesoura.links.irc.session import Session, within
from tesoura.links.irc.talk import Chat, talk
from tesoura.settings import wall_clock
from tesoura.standins.chat import ChatServer
from tests.conftest import Running, until
from tests.runtime.test_clips import act


@pytest.fixture
def server() -> Iterator[ChatServer]:
    made = ChatServer()
    made.start()
    yield made
    made.stop()


def choices(server: ChatServer, **more: str) -> dict[str, Any]:
    typed = {
        "host": "127.0.0.1",
        "port": str(server.port),
        "tls": "no",
        "channel": "#windyladder",
        "nick": "mara_helper",
        "streamer": "mara_vane",
        **more,
    }
    filled = fill(KIND.fields, typed)
    assert not filled.wrong, filled.wrong
    return dict(filled.choices)


def meet(
    server: ChatServer,
    then: Callable[[Chat, Callable[[], Awaitable[Fetched]]], Awaitable[Any]],
    token: str = "",
    **more: str,
) -> Any:
    """Join a channel and do something there; `then` is given the chat and how to wait for what is told next."""

    async def run() -> Any:
        async with httpx.AsyncClient(trust_env=False) as client, asyncio.timeout(15):
            context = FetchContext(client, wall_clock, choices(server, **more), {"token": token})
            async with contextlib.aclosing(talk(context)) as stream:  # type: ignore[type-var]
                await anext(stream)
                assert isinstance(context.link, Chat)

                async def following() -> Fetched:
                    return await anext(stream)

                result = await then(context.link, following)
            assert context.link is None
            return result

    return asyncio.run(run())


def problem(server: ChatServer, token: str = "", **more: str) -> SourceError:
    """Why one could not join, or could not stay."""

    async def stay(chat: Chat, following: Callable[[], Awaitable[Fetched]]) -> None:
        while True:
            await following()

    with pytest.raises(SourceError) as error:
        meet(server, stay, token, **more)
    return error.value


def heard(server: ChatServer, say: Callable[[], None], count: int = 1, **more: str) -> list[dict[str, Any]]:
    async def listen(chat: Chat, following: Callable[[], Awaitable[Fetched]]) -> list[dict[str, Any]]:
        say()
        found: list[dict[str, Any]] = []
        while len(found) < count:
            found += [{**one.data, "_id": one.id} for one in (await following()).items]
        return found

    return meet(server, listen, **more)  # type: ignore[no-any-return]


def test_a_joined_channel_says_so_with_the_lines_used(server: ChatServer) -> None:
    async def look(chat: Chat, following: object) -> str:
        return chat.note()

    assert meet(server, look) == "Joined #windyladder as mara_helper, may speak; 0 of 20 lines in 30 s used."


def test_a_line_is_told_with_its_name_text_roles_and_id(server: ChatServer) -> None:
    (line,) = heard(server, lambda: server.say("teacup_ana", "good \x02evening\x02 :kite:", msgid="m1"))
    assert line == {
        "name": "teacup_ana",
        "text": "good evening :kite:",
        "roles": ["subscriber"],
        "id": "m1",
        "action": False,
        "emotes": [":kite:"],
        "login": "teacup_ana",
        "_id": "m1",
    }


def test_who_has_a_sign_in_the_channel_has_its_role_without_any_tag(server: ChatServer) -> None:
    server.caps = "multi-prefix"

    def say() -> None:
        for one in ("wren_bobbin", "mara_vane", "tuck"):
            server.say(one, "hm")

    lines = heard(server, say, 3)
    assert [one["roles"] for one in lines] == [["moderator"], ["streamer"], []]


def test_an_action_is_told_as_one_and_other_hidden_questions_are_not_told(server: ChatServer) -> None:
    def say() -> None:
        server.say("tuck", "\x01VERSION\x01")
        server.act("tuck", "waves")

    (line,) = heard(server, say)
    assert (line["text"], line["action"]) == ("waves", True)


def test_a_name_of_five_hundred_characters_and_a_shown_one_with_marks_come_in_order(server: ChatServer) -> None:
    def say() -> None:
        server.say("n" * 500, "hi")
        server.say("tuck", "hi", **{"display-name": "\u202eTuck\x03"})

    lines = heard(server, say, 2)
    assert [one["name"] for one in lines] == ["n" * 59 + "…", "Tuck"]


def test_what_is_said_comes_back_is_known_as_ours_and_is_no_event(server: ChatServer) -> None:
    async def speak(chat: Chat, following: Callable[[], Awaitable[Fetched]]) -> tuple[str, list[str]]:
        became = await chat.say("thank you,\r\nQUIT everybody")
        server.say("tuck", "you are welcome")
        return became, [str(one.data["text"]) for one in (await following()).items]

    assert meet(server, speak) == ("sent and visible in chat", ["you are welcome"])
    assert server.heard == [("mara_helper", "thank you, QUIT everybody")]


def test_our_own_line_that_comes_back_unasked_is_no_event_and_what_we_type_elsewhere_is_one(server: ChatServer) -> None:
    server.caps = "message-tags"

    async def speak(chat: Chat, following: Callable[[], Awaitable[Fetched]]) -> tuple[str, list[str]]:
        saying = asyncio.ensure_future(chat.say("!song"))
        await asyncio.to_thread(until, lambda: server.heard)
        server.say("mara_helper", "!song")
        became = await saying
        server.say("mara_helper", "typed by hand")
        return became, [str(one.data["text"]) for one in (await following()).items]

    assert meet(server, speak) == ("sent and visible in chat", ["typed by hand"])


def test_a_line_that_the_chat_refuses_says_why_and_the_pace_waits(server: ChatServer) -> None:
    server.most = 0

    async def speak(chat: Chat, following: object) -> float:
        with pytest.raises(SourceUnavailable, match="You speak too often"):
            await chat.say("hello")
        return chat.wait_s()

    assert 29 < meet(server, speak) <= 30


def test_a_channel_that_hears_only_those_with_a_voice_is_told(server: ChatServer) -> None:
    server.moderated = True

    async def speak(chat: Chat, following: object) -> str:
        with pytest.raises(SourceUnavailable, match="has none"):
            await chat.say("hello")
        return chat.note()

    assert "may not speak" in meet(server, speak)


@pytest.mark.parametrize("way", ["pass", "sasl"])
def test_a_token_opens_the_door_and_a_wrong_one_is_asked_for_again_without_being_told(
    server: ChatServer, way: str
) -> None:
    server.token = "open-sesame-9"

    async def inside(chat: Chat, following: object) -> bool:
        return chat.session.joined

    assert meet(server, inside, "open-sesame-9", sign_in=way)
    error = problem(server, "wrong-word-7", sign_in=way)
    assert isinstance(error, CredentialsRejected)
    assert "mara_helper" in str(error)
    assert "wrong-word-7" not in str(error)


def test_what_cannot_be_joined_says_what_to_look_at(server: ChatServer) -> None:
    assert "the channel doesn't exist" in str(problem(server, channel="#elsewhere"))
    closed = ChatServer(port=1)
    assert "No answer at 127.0.0.1:1" in str(problem(closed))
    assert "doesn't use TLS" in str(problem(server, tls="yes"))


def test_a_name_that_is_taken_is_told(server: ChatServer) -> None:
    async def second(chat: Chat, following: object) -> str:
        async with httpx.AsyncClient(trust_env=False) as client:
            context = FetchContext(client, wall_clock, choices(server), {})
            with pytest.raises(SourceUnavailable) as error:
                await anext(talk(context))
        return str(error.value)

    assert "The name mara_helper is taken" in meet(server, second)


@pytest.mark.parametrize(
    ("do", "words"),
    [
        (lambda server: server.drop(), "closed the connection"),
        (lambda server: server.kick("mara_helper"), "removed the account from #windyladder: “a short rest”"),
        (lambda server: server.raw(b"x" * 20_000 + b"\r\n"), "over 16,000 bytes"),
        (lambda server: server.raw(b"ERROR :closing link\r\n"), "closing link"),
    ],
)
def test_a_chat_that_breaks_says_how(server: ChatServer, do: Callable[[ChatServer], None], words: str) -> None:
    async def stay(chat: Chat, following: Callable[[], Awaitable[Fetched]]) -> None:
        do(server)
        await following()

    with pytest.raises(SourceError, match=words):
        meet(server, stay)


def test_a_silent_server_is_asked_whether_it_is_there_and_given_up(
    server: ChatServer, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tesoura.links.irc.talk.QUIET_S", 0.1)
    monkeypatch.setattr("tesoura.links.irc.talk.ANSWER_S", 0.1)

    async def stay(chat: Chat, following: Callable[[], Awaitable[Fetched]]) -> None:
        server.silent = True
        await following()

    with pytest.raises(SourceUnavailable, match="stopped answering"):
        meet(server, stay)


def test_what_is_no_line_is_passed_over(server: ChatServer) -> None:
    def say() -> None:
        for data in (b"\r\n", b":\r\n", b"@a=b\r\n", b"@\xff=x :a PRIVMSG\r\n", b":a!b@c PRIVMSG\r\n", b"\x00\xfe\r\n"):
            server.raw(data)
        server.say("tuck", "still here")

    assert heard(server, say)[0]["text"] == "still here"


def test_of_a_flood_so_many_lines_a_second_are_taken_in_and_the_rest_is_counted(server: ChatServer) -> None:
    async def listen(chat: Chat, following: Callable[[], Awaitable[Fetched]]) -> int:
        server.flood(10_000)
        await asyncio.to_thread(until, lambda: chat.let_go >= 6_000)
        return len((await following()).items)

    assert 0 < meet(server, listen) <= 400


NOW = datetime(2026, 3, 5, 20, 0, tzinfo=UTC)


def test_a_line_counts_as_said_when_the_server_says_unless_that_is_still_to_be() -> None:
    assert within(NOW - timedelta(minutes=3), NOW) == NOW - timedelta(minutes=3)
    assert within(NOW + timedelta(hours=1), NOW) == NOW
    assert within(None, NOW) == NOW


@pytest.mark.parametrize(
    ("typed", "field", "words"),
    [
        ({"host": "irc://chat"}, "host", "host name"),
        ({"channel": "two words"}, "channel", "Give the channel's name without spaces or commas, such as #windyladder"),
        ({"nick": "9lives"}, "nick", "Use letters, digits, - and _, starting with a letter, such as mara_helper"),
        ({"port": "70000"}, "port", "65535"),
        ({"roles_tag": "a=b"}, "roles_tag", "Give tag names, such as roles"),
    ],
)
def test_a_form_filled_in_wrong_says_what_would_be_right(typed: dict[str, str], field: str, words: str) -> None:
    filled = fill(KIND.fields, {"host": "chat.example", "channel": "a", "nick": "b", **typed})
    assert words in filled.wrong[field]


@pytest.mark.parametrize(
    ("nick", "is_streamer"),
    [("Mara_Kite", True), ("mara_kite", True), ("mara_\u212aite", False), ("mara_kıte", False), ("MARA_KITE", True)],
)
def test_a_nick_that_only_looks_like_the_streamers_has_no_role(nick: str, is_streamer: bool) -> None:
    given = {"host": "chat.example", "channel": "a", "nick": "b", "streamer": "mara_kite"}
    session = Session(fill(KIND.fields, given).choices, "")
    came = session.take(tokenise(f":{nick}!u@h PRIVMSG #a :hello"))
    assert came.said is not None
    assert (STREAMER in came.said.roles) is is_streamer


@pytest.mark.parametrize(("mapping", "same"), [("rfc1459", True), ("strict-rfc1459", False), ("ascii", False)])
def test_nicks_are_compared_as_the_server_says(mapping: str, same: bool) -> None:
    given = {"host": "chat.example", "channel": "a", "nick": "b", "streamer": "kite~"}
    session = Session(fill(KIND.fields, given).choices, "")
    session.take(tokenise(f":chat.example 005 b CASEMAPPING={mapping} :are supported"))
    came = session.take(tokenise(":KITE^!u@h PRIVMSG #a :hello"))
    assert came.said is not None
    assert (STREAMER in came.said.roles) is same


def test_limits_for_each_person_go_by_the_account_and_not_by_the_name_shown() -> None:
    given = {"host": "chat.example", "channel": "a", "nick": "b"}
    session = Session(fill(KIND.fields, given).choices, "")
    lines = [
        session.take(tokenise(f"@account=tuck7;display-name={name} :Tuck!u@h PRIVMSG #a :!spin")).said
        for name in ("One", "Two")
    ]
    told = [Occurrence(0, number, LINE, one.data()) for number, one in enumerate(lines, 1) if one is not None]
    causes = [ChatWord("!spin").of_event(one) for one in told]
    assert [one.person for one in causes if one is not None] == ["tuck7", "tuck7"]
    assert [one.words for one in causes if one is not None] == ["One said “!spin”", "Two said “!spin”"]


def test_a_token_never_goes_over_an_open_way(running: Running, server: ChatServer) -> None:
    typed = {"title": "Chat", "host": "chat.example", "port": "6667", "tls": "no", "channel": "a", "nick": "b"}
    refused = running.press("/", "/feeds/new/irc", {**typed, "token": "lantern", "keep_anyway": "yes"})
    assert (refused.status_code, "could read the token" in refused.text) == (422, True)
    with pytest.raises(InvalidPiece, match="could read the token"):
        act(running, "feed.new", kind="irc", title="Chat", choices=typed, secrets={"token": "lantern"})
    # Nor does one that is kept: the address is changed, and the token stays.
    here = {**typed, "host": "127.0.0.1", "port": str(server.port)}
    act(running, "feed.new", kind="irc", title="Chat", choices=here, secrets={"token": "lantern"})
    with pytest.raises(InvalidPiece, match="could read the token"):
        act(running, "feed.change", feed="chat", choices=typed, secrets={})
    assert not KIND.check({**typed, "host": "127.1"}, {"token": "x"}), "that is this machine"


def test_a_token_of_an_earlier_set_up_is_not_sent_over_an_open_way_either() -> None:
    choices = fill(KIND.fields, {"host": "192.0.2.7", "port": "6667", "tls": "no", "channel": "a", "nick": "b"}).choices
    context = FetchContext(httpx.AsyncClient(), wall_clock, choices, {"token": "lantern"}, trying=True)
    with pytest.raises(SourceUnavailable, match="could read the token"):
        asyncio.run(anext(talk(context)))  # type: ignore[arg-type]


def test_a_try_finds_the_channel_and_leaves_it_again(server: ChatServer) -> None:
    async def run() -> str:
        from tesoura.feeds.probe import try_once

        async with httpx.AsyncClient(trust_env=False) as client:
            context = FetchContext(client, wall_clock, choices(server), {}, trying=True)
            return (await try_once(KIND, context)).note

    assert asyncio.run(run()).startswith("Joined #windyladder")
    until(lambda: not server.guests)
