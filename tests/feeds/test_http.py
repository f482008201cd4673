"""The HTTP feed against every way in which the count service can fail."""

from __future__ import annotations

import asyncio
import gzip
import logging
import unicodedata
from typing import Any

import httpx
import pytest

from tesoura.core.forms.form import fill
from tesoura.core.values import Wanted
from tesoura.errors import (
    CredentialsRejected,
    InvalidField,
    NothingPicked,
    ResponseNotUnderstood,
    SourceError,
    SourceUnavailable,
)
from tesoura.feeds.api import FetchContext, Fetched, Item
from tesoura.feeds.echo import error_without_echo, without_echo
from tesoura.feeds.http import KIND
from tesoura.feeds.http.address import checked_address, place
from tesoura.feeds.http.ask import _if_changed, fetch
from tesoura.feeds.picks import Pick, pick, pick_value
from tesoura.feeds.poller import Poller
from tesoura.settings import wall_clock
from tesoura.standins.members import DEFAULT_KEY, MembersService

PAYLOAD = {"channel": {"name": "mara_vane", "members": 1284, "tags": ["kites"], "count": "1,284"}}


def ask(address: str, secrets: dict[str, str] | None = None, **choices: Any) -> Fetched:
    async def once() -> Fetched:
        async with httpx.AsyncClient(trust_env=False) as client:
            return await fetch(FetchContext(client, wall_clock, {"address": address, **choices}, secrets or {}))

    return asyncio.run(once())


def failure(kind: type[SourceError], address: str, secrets: dict[str, str] | None = None, **choices: Any) -> Any:
    with pytest.raises(kind) as caught:
        ask(address, secrets, **choices)
    return caught.value


def test_it_brings_the_payload_that_really_came(members: MembersService) -> None:
    fetched = ask(f"{members.address}/channels/mara_vane")
    assert pick_value(fetched.payload, "channel.members", Wanted.NUMBER) == 1284


def test_a_look_up_by_public_name(members: MembersService) -> None:
    fetched = ask(f"{members.address}/channels?name=MARA")
    assert pick_value(fetched.payload, "channels[0].members", Wanted.NUMBER) == 1284


@pytest.mark.parametrize("key_in", ["header", "query"])
def test_a_key_opens_the_exact_count(members: MembersService, key_in: str) -> None:
    name = {"header": "X-Key", "query": "key"}[key_in]
    fetched = ask(f"{members.address}/channels/mara_vane/exact", {"key": DEFAULT_KEY}, key_in=key_in, key_name=name)
    assert pick_value(fetched.payload, "exact.members", Wanted.NUMBER) == 1284


def test_without_a_key_it_says_that_one_is_wanted(members: MembersService) -> None:
    error = failure(CredentialsRejected, f"{members.address}/channels/mara_vane/exact")
    assert "needs a key (401)" in str(error)


def test_a_wrong_key_is_refused_and_never_shown(members: MembersService) -> None:
    address = f"{members.address}/channels/mara_vane/exact"
    error = failure(CredentialsRejected, address, {"key": "s3cret-s3cret"}, key_in="query", key_name="key")
    assert "(403)" in str(error)
    assert "s3cret" not in str(error)


@pytest.mark.parametrize(
    ("how", "kind", "words"),
    [
        ("500", SourceUnavailable, "a server error (500)"),
        ("half", ResponseNotUnderstood, "stopped in the middle"),
        ("html", ResponseNotUnderstood, "sent a web page, not JSON"),
        ("429", SourceUnavailable, "asks to wait 7 s"),
        ("closed", SourceUnavailable, "the connection was refused"),
    ],
)
def test_each_failure_says_what_happened(
    members: MembersService, how: str, kind: type[SourceError], words: str
) -> None:
    members.fail(how)
    error = failure(kind, f"{members.address}/channels/mara_vane")
    assert words in str(error)


def test_silence_ends_by_itself(members: MembersService, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("tesoura.feeds.http.ask.TIMEOUT_S", 0.2)
    members.fail("silence")
    assert "No answer from 127.0.0.1" in str(failure(SourceUnavailable, f"{members.address}/channels/mara_vane"))


def test_too_often_carries_how_long_to_wait(members: MembersService) -> None:
    members.fail("429")
    assert failure(SourceUnavailable, f"{members.address}/channels/mara_vane").retry_after_s == 7.0


def test_what_was_not_understood_is_shown(members: MembersService) -> None:
    members.fail("html")
    assert "Please sign in" in failure(ResponseNotUnderstood, f"{members.address}/channels/mara_vane").payload


def test_nothing_at_the_address(members: MembersService) -> None:
    assert "nothing at this address (404)" in str(failure(SourceUnavailable, f"{members.address}/channels/nobody"))


def answering(respond: Any) -> SourceError:
    async def once() -> SourceError:
        async with httpx.AsyncClient(transport=httpx.MockTransport(respond)) as client:
            with pytest.raises(SourceError) as caught:
                await fetch(FetchContext(client, wall_clock, {"address": "http://counts.example/x?private=1"}))
            return caught.value

    return asyncio.run(once())


def test_it_does_not_follow_to_another_place_by_itself() -> None:
    there = {"location": "https://elsewhere.example/y"}
    error = answering(lambda _: httpx.Response(302, headers=there, stream=httpx.ByteStream(b"")))
    assert "redirects to elsewhere.example" in str(error)
    assert "private" not in str(error)


def test_an_answer_without_end_is_cut_off() -> None:
    assert "more than 2 MB" in str(answering(lambda _: sent(b"[" + b"1," * 2_000_000)))


def sent(body: bytes, **heads: str) -> httpx.Response:
    return httpx.Response(200, headers=heads, stream=httpx.ByteStream(body))


def test_an_answer_that_unpacks_to_more_than_may_be_is_cut_off() -> None:
    bomb = gzip.compress(b"0" * 200_000_000)
    assert "more than 2 MB" in str(answering(lambda _: sent(bomb, **{"content-encoding": "gzip"})))
    assert "compressed response: “br”" in str(answering(lambda _: sent(b"x", **{"content-encoding": "br"})))
    assert "sent can't be unpacked" in str(answering(lambda _: sent(b"no gzip", **{"content-encoding": "gzip"})))


def test_what_cannot_stand_in_a_question_is_not_asked_with() -> None:
    told = [(b"etag", "“kite”".encode()), (b"last-modified", b"Thu, 26 Nov 2026 19:02:00 GMT")]
    assert _if_changed(httpx.Response(200, headers=told)) == {"If-Modified-Since": "Thu, 26 Nov 2026 19:02:00 GMT"}


@pytest.mark.parametrize(
    ("body", "words"), [(b"", "empty response"), (b"hello", "other than JSON"), (b"[" * 100_000, "JSON")]
)
def test_bodies_that_are_no_json(body: bytes, words: str) -> None:
    assert words in str(answering(lambda _: sent(body)))


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("", "Give the address"),
        ("counts", "” is not a full address"),
        ("127.0.0.1:5050/x", "” is not a full address"),
        ("ftp://counts.example/x", "can't be used"),
        ("file:///etc/passwd", "can't be used"),
        ("http://", "has no host"),
        ("http://counts.example:99999/", "not an address"),
        ("http://[::1/x", "not an address"),
        ("http://counts .example/", "no spaces"),
        ("http://me:pw@counts.example/", "Use a key instead"),
        ("http://" + "x" * 2001, "2,000 characters"),
    ],
)
def test_addresses_that_are_none(typed: str, words: str) -> None:
    with pytest.raises(InvalidField, match=words):
        checked_address(typed)


def test_an_address_is_shown_without_its_parameters() -> None:
    assert place("https://counts.example/channels/x?token=abc") == "counts.example/channels/x"


def test_the_form_is_checked_as_a_whole() -> None:
    filled = fill(KIND.fields, {"address": "x", "key_in": "header", "key_name": "X Key", "key": "", "period_s": "0.5"})
    assert sorted(filled.wrong) == ["address", "key", "key_name", "period_s"]
    assert "Give 1 to 86,400 seconds (one day)" in filled.wrong["period_s"]


def test_a_key_left_empty_keeps_the_one_there_was_and_no_key_forgets_it() -> None:
    typed = {"address": "http://a.example/", "key_in": "header", "key_name": "X-Key", "key": ""}
    assert fill(KIND.fields, typed, {"key": "old"}).secrets == {"key": "old"}
    assert fill(KIND.fields, {**typed, "key_in": "none"}, {"key": "old"}).secrets == {"key": ""}


@pytest.mark.parametrize(
    ("path", "wanted", "words"),
    [
        ("channel.nobody", None, "matches nothing"),
        ("channel.name", Wanted.NUMBER, "“mara_vane” is text"),
        ("channel.count", Wanted.NUMBER, "“1,284” is text"),
        ("channel", None, "a group"),
        ("channel.tags", None, "a list"),
        ("channel..", None, "Not a valid JMESPath:"),
        ("", None, "click a value"),
    ],
)
def test_paths_that_give_nothing_a_signal_can_hold(path: str, wanted: Wanted | None, words: str) -> None:
    with pytest.raises(NothingPicked, match=words):
        pick_value(PAYLOAD, path, wanted)


def test_one_path_that_fails_does_not_keep_the_others_away() -> None:
    picks = [Pick("a.good", "channel.members", Wanted.NUMBER), Pick("a.bad", "channel.name", Wanted.NUMBER)]
    picked = pick(PAYLOAD, picks, wall_clock())
    assert [(one.name, one.value) for one in picked.readings] == [("a.good", 1284)]
    assert list(picked.problems) == ["a.bad"]


def test_an_outage_is_logged_once_and_backs_off(members: MembersService, caplog: pytest.LogCaptureFixture) -> None:
    members.fail("500")
    reports: list[object] = []

    async def report(came: object) -> None:
        reports.append(came)

    async def run() -> list[float]:
        async with httpx.AsyncClient(trust_env=False) as client:
            choices = {"address": f"{members.address}/channels/mara_vane", "period_s": 5.0}
            poller = Poller("reach", KIND, FetchContext(client, wall_clock, choices), report, lambda: 0.5)
            delays = [await poller.ask() for _ in range(3)]
            members.fail(None)
            return [*delays, await poller.ask()]

    with caplog.at_level(logging.INFO, logger="tesoura.feeds.poller"):
        assert asyncio.run(run()) == [10.0, 20.0, 40.0, 5.0]
    assert [record.levelname for record in caplog.records] == ["WARNING", "INFO"]
    assert isinstance(reports[-1], Fetched)


def test_a_payload_that_cannot_be_taken_in_does_not_end_the_feed(
    members: MembersService, caplog: pytest.LogCaptureFixture
) -> None:
    async def report(_: object) -> None:
        raise ZeroDivisionError

    async def run() -> float:
        async with httpx.AsyncClient(trust_env=False) as client:
            choices = {"address": f"{members.address}/channels/mara_vane", "period_s": 5.0}
            return await Poller("reach", KIND, FetchContext(client, wall_clock, choices), report, lambda: 0.5).ask()

    assert asyncio.run(run()) == 5.0
    assert "its data couldn't be processed" in caplog.text


def test_a_fault_of_ours_does_not_end_the_feed(caplog: pytest.LogCaptureFixture) -> None:
    class Broken:
        fetch = staticmethod(lambda *_: 1 / 0)

    reports: list[object] = []

    async def report(came: object) -> None:
        reports.append(came)

    async def run() -> float:
        async with httpx.AsyncClient() as client:
            context = FetchContext(client, wall_clock, {"period_s": 5.0})
            return await Poller("reach", Broken(), context, report, lambda: 0.5).ask()  # type: ignore[arg-type]

    assert asyncio.run(run()) == 10.0
    assert "An error in Tesoura" in str(reports[0])
    assert "a fault in Tesoura" in caplog.text


# A service that says a key back


def test_a_key_that_a_service_says_back_is_covered_before_anything_is_made_of_it(members: MembersService) -> None:
    members.fail("echo")
    address = f"{members.address}/channels/mara_vane/exact"
    came: list[Fetched | SourceError] = []

    async def once() -> None:
        async with httpx.AsyncClient(trust_env=False) as client:
            choices = {"address": address, "key_in": "query", "key_name": "key", "period_s": 1.0}
            context = FetchContext(client, wall_clock, choices, {"key": DEFAULT_KEY})

            async def report(outcome: Fetched | SourceError) -> None:
                came.append(outcome)

            await Poller("exact", KIND, context, report, lambda: 0.5).ask()

    asyncio.run(once())
    assert isinstance(came[0], Fetched)
    assert came[0].payload == {
        "exact": {"members": 1284, "hidden_members": 41, "key": "••••••••", "asked": f"{address}?key=••••••••"}
    }


def context_with(secrets: dict[str, str], **choices: Any) -> FetchContext:
    return FetchContext(httpx.AsyncClient(trust_env=False), wall_clock, choices, secrets)


def test_an_error_says_no_key_not_even_the_beginning_of_one() -> None:
    error = ResponseNotUnderstood("It says paper-kite-4711.", '{"you": "paper-kite-4711", "again": "paper-ki')
    told = error_without_echo(error, context_with({"key": "paper-kite-4711"}))
    assert str(told) == "It says ••••••••."
    assert told.payload == '{"you": "••••••••", "again": "••••••••'


def test_keys_are_covered_in_events_in_renewed_tokens_and_when_they_stand_in_an_address() -> None:
    context = context_with(
        {"tokens": '{"access": "kite/tail+4711"}', "pin": "4711"}, address="https://x.example/?token=ladder9876"
    )
    came = Fetched(
        items=(Item("kill", {"by": ["kite/tail+4711", "kite%2Ftail%2B4711"], "ladder9876": "4711"}),),
        secrets={"tokens": '{"access": "spool-of-9-lines"}'},
        note="now spool-of-9-lines",
    )
    told = without_echo(came, context)
    assert told.items[0].data == {"by": ["••••••••", "••••••••"], "••••••••": "4711"}
    assert told.note == "now ••••••••"
    assert told.secrets == came.secrets
    assert without_echo(came, context_with({})).items == came.items


@pytest.mark.parametrize(
    ("address", "shown"),
    [
        ("https://calendars.example/ical/private-7c3e9a1b2d4f/cup.ics", "calendars.example/ical/••••••••/cup.ics"),
        ("https://counts.example/channels/mara_vane?key=paper4711", "counts.example/channels/mara_vane"),
    ],
)
def test_a_place_is_shown_without_what_looks_like_a_key(address: str, shown: str) -> None:
    assert place(address) == shown


def test_what_a_service_says_of_a_failure_operates_no_terminal_and_turns_no_text_around() -> None:
    said = "Taken \x1b[2J\x1b]0;owned\x07\u202egnihton\u202c\r\nFeed reach is live"
    error = SourceUnavailable(f"The name is taken ({said}).")
    error.payload = f"first\x1b[31m\n{said}"
    told = error_without_echo(error, context_with({}))
    for text in (str(told), told.payload or ""):
        assert not [one for one in text if unicodedata.category(one) in ("Cc", "Cf") and one != "\n"]
    assert "\n" not in str(told)
    assert (told.payload or "").startswith("first")
