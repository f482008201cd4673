"""A calendar, and a channel service that one signs in to."""

from __future__ import annotations

import asyncio
import gzip
import json
import re
import secrets
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, urlsplit
from zoneinfo import ZoneInfo

import httpx
import pytest
from starlette.responses import JSONResponse, PlainTextResponse, Response, StreamingResponse

from tesoura.errors import CredentialsRejected, ResponseNotUnderstood, TooMuch
from tesoura.feeds.calendar import KIND as CALENDAR
from tesoura.feeds.calendar.read import is_plain, payload_at, read
from tesoura.feeds.channel import KIND as CHANNEL
from tesoura.settings import wall_clock
from tesoura.standins.channel import CLIENT_ID, ChannelService
from tesoura.standins.members import CALENDAR as CUP
from tesoura.standins.members import MembersService
from tesoura.workers import Worker
from tests.feeds.following import context, failure, gather

LISBON = ZoneInfo("Europe/Lisbon")
HEAD, FOOT = "BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:x\n", "END:VCALENDAR\n"


def event(**fields: str) -> str:
    lines = [f"{name.replace('_', ';TZID=', 1) if '_' in name else name}:{value}" for name, value in fields.items()]
    return "\n".join(["BEGIN:VEVENT", "UID:a@b", "DTSTAMP:20260101T000000Z", *lines, "END:VEVENT", ""])


def test_the_next_show_keeps_its_hour_when_clocks_change() -> None:
    october = datetime(2026, 10, 24, 12, tzinfo=UTC)
    shows = read(CUP, LISBON, october)
    cups = [show.starts_at for show in shows if show.title == "The Windy Ladder" and show.starts_at > october]
    # In Lisbon it is summer time until 25 October: before, 19:00 is 18:00 UTC; after, it is 19:00 UTC.
    assert cups[0] == datetime(2026, 10, 29, 19, 0, tzinfo=UTC)
    before = [show.starts_at for show in read(CUP, LISBON, datetime(2026, 10, 21, 12, tzinfo=UTC))]
    assert datetime(2026, 10, 22, 18, 0, tzinfo=UTC) in before


def test_what_is_on_what_comes_and_in_how_many_seconds() -> None:
    thursday = datetime(2026, 11, 26, 18, 59, 30, 500_000, tzinfo=UTC)
    shows = read(CUP, LISBON, thursday)
    told = payload_at(shows, thursday)
    assert (told["now"], told["next"]["title"], told["next"]["in_s"]) == (None, "The Windy Ladder", 30)
    on = payload_at(shows, thursday + timedelta(minutes=31))
    assert (on["now"]["title"], on["now"]["left_s"]) == ("The Windy Ladder", 8969)
    assert on["next"]["starts_at"] == datetime(2026, 12, 3, 19, 0, tzinfo=UTC).timestamp()


def test_days_and_times_without_a_zone_are_the_users() -> None:
    text = HEAD + event(DTSTART="20261127T200000", SUMMARY="Floating") + FOOT
    [show] = read(text, LISBON, datetime(2026, 11, 26, tzinfo=UTC))
    assert show.starts_at == datetime(2026, 11, 27, 20, 0, tzinfo=UTC)
    [there] = read(text, ZoneInfo("Asia/Tokyo"), datetime(2026, 11, 26, tzinfo=UTC))
    assert there.starts_at == datetime(2026, 11, 27, 11, 0, tzinfo=UTC)


def test_a_show_that_was_called_off_does_not_come() -> None:
    text = HEAD + event(DTSTART="20261127T200000Z", SUMMARY="Off", STATUS="CANCELLED") + FOOT
    assert read(text, UTC, datetime(2026, 11, 26, tzinfo=UTC)) == []
    assert payload_at([], datetime(2026, 11, 26, tzinfo=UTC)) == {"now": None, "next": None, "coming": []}


ENDLESS = HEAD + event(DTSTART="20261126T190000Z", SUMMARY="Tick", RRULE="FREQ=SECON\r\n DLY") + FOOT


@pytest.mark.parametrize(
    ("rule", "began", "plain"),
    [
        ("FREQ=WEEKLY;BYDAY=TH", "20261126", True),
        ("FREQ=DAILY", "19700101", True),
        ("FREQ=DAILY", "19691231", False),
        ("FREQ=DAILY", "00010101", False),
        ("freq=minutely", "20261126", False),
        ("FREQ=HOURLY", "20261126", False),
        ("FREQ=DAILY;BYSEC\r\n OND=1,2,3", "20261126", False),
    ],
)
def test_what_may_repeat_without_end_is_read_within_bounds(rule: str, began: str, plain: bool) -> None:
    assert is_plain(HEAD + event(DTSTART=f"{began}T190000Z", RRULE=rule) + FOOT) is plain


def test_a_calendar_of_very_many_rules_or_bytes_is_read_within_bounds() -> None:
    one = event(DTSTART="20261126T190000Z", RRULE="FREQ=DAILY")
    assert (is_plain(HEAD + 50 * one + FOOT), is_plain(HEAD + 51 * one + FOOT)) == (True, False)
    assert not is_plain(HEAD + "X-NOTE:" + "x" * 50_000 + "\n" + FOOT)


def test_a_calendar_without_end_is_held_and_one_that_repeats_by_the_hour_is_read(tmp_path: Path) -> None:
    where = tmp_path / "ticks.ics"
    where.write_text(ENDLESS)
    with pytest.raises(TooMuch, match="the calendar"):
        gather(CALENDAR, {"where": str(where)}, folder=tmp_path, worker=Worker(limit_s=0.5))
    hourly = event(DTSTART="20261126T190000Z", SUMMARY="Bell", RRULE="FREQ=HOURLY;COUNT=3")
    where.write_text(HEAD + hourly + FOOT)
    at = datetime(2026, 11, 26, 19, 30, tzinfo=UTC)
    worker = Worker()
    try:
        [came] = gather(CALENDAR, {"where": str(where)}, folder=tmp_path, clock=lambda: at, worker=worker)
    finally:
        worker.stop()
    assert came.payload["next"]["starts_at"] == datetime(2026, 11, 26, 20, 0, tzinfo=UTC).timestamp()  # type: ignore[index]


def test_what_is_no_calendar_says_so() -> None:
    with pytest.raises(ResponseNotUnderstood, match=r"This is not a calendar \("):
        read("hello", UTC, datetime(2026, 11, 26, tzinfo=UTC))


def test_a_calendar_comes_from_an_address_or_a_file(members: MembersService, tmp_path: Path) -> None:
    [came] = gather(CALENDAR, {"where": f"{members.address}/cup.ics"}, zone=LISBON)
    assert came.payload["next"]["title"] in ("The Windy Ladder", "Kite mending")  # type: ignore[index]
    (tmp_path / "cup.ics").write_text(CUP)
    [same] = gather(CALENDAR, {"where": str(tmp_path / "cup.ics")}, folder=tmp_path, zone=LISBON)
    assert same.payload["coming"] == came.payload["coming"]  # type: ignore[index]


def test_when_a_show_begins_it_is_told_once(tmp_path: Path) -> None:
    before, then = datetime(2026, 11, 26, 18, 59, 59, 990_000, tzinfo=UTC), datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
    clock = iter([before] * 2 + [then] * 9)
    (tmp_path / "cup.ics").write_text(CUP)
    came = gather(CALENDAR, {"where": str(tmp_path / "cup.ics")}, 2, tmp_path, zone=LISBON, clock=lambda: next(clock))
    assert [[item.type for item in one.items] for one in came] == [[], ["show.start"]]
    assert came[1].items[0].data["title"] == "The Windy Ladder"


# Signing in


@pytest.fixture
def service() -> Iterator[ChannelService]:
    made = ChannelService()
    made.start()
    yield made
    made.stop()


def choices(service: ChannelService, **more: Any) -> dict[str, Any]:
    return {"address": service.address, "client_id": CLIENT_ID, "scope": "channel:read", "period_s": 0.2, **more}


BACK = "http://127.0.0.1:8765/feeds/signed-in"


def signed_in(service: ChannelService, allow: bool = True, **more: Any) -> dict[str, str]:
    """Sign in as a user would, in their browser."""

    async def go() -> dict[str, str]:
        sign_in = CHANNEL.sign_in
        assert sign_in
        async with httpx.AsyncClient(trust_env=False) as client:
            given = await context(client, choices(service, **more))
            verifier = secrets.token_urlsafe(48)
            address = await sign_in.begin(given, BACK, "state-1", verifier)
            assert "Allow" in (await client.get(address)).text
            answer = await client.post(address, content="answer=allow" if allow else "answer=no")
            came_back = parse_qs(urlsplit(answer.headers["location"]).query)
            assert came_back["state"] == ["state-1"]
            return dict(await sign_in.finish(given, BACK, came_back["code"][0], verifier))

    return asyncio.run(go())


def test_signing_in_brings_counts_and_events(service: ChannelService) -> None:
    tokens = signed_in(service)
    service.members = 1500

    def after(number: int, _: object) -> None:
        if number == 1:
            service.happen("follow", "before anybody hears")

    counts, *_ = gather(CHANNEL, choices(service), 1, after=after, secrets=tokens)
    assert counts.payload["members"] == 1500  # type: ignore[index]

    def hear(number: int, _: object) -> None:
        if number == 2:
            service.happen("gift", "teacup_ana", 5, "for the kettle")

    came = gather(CHANNEL, choices(service, period_s=60.0), 2, after=hear, secrets=tokens, memory={"last_id": "0"})
    items = [item for one in came for item in one.items]
    assert (items[0].type, items[0].id, items[0].data) == (
        "follow",
        "follow-1",
        {"name": "before anybody hears", "amount": 1, "text": ""},
    )


def test_a_permission_is_renewed_before_it_ends(service: ChannelService) -> None:
    service.token_s = 30.0
    tokens = signed_in(service)
    came = gather(CHANNEL, choices(service), 2, secrets=tokens)
    renewed = json.loads((came[0].secrets or {})["tokens"])
    assert renewed["access"] != json.loads(tokens["tokens"])["access"]
    assert service.renewals == 1
    assert came[1].payload["members"] == 1284  # type: ignore[index]


def test_a_permission_that_was_taken_back_asks_to_sign_in_again(service: ChannelService) -> None:
    tokens = signed_in(service)
    service.revoke()
    error = failure(CHANNEL, choices(service), CredentialsRejected, secrets=tokens)
    assert "revoked the permission. Press “Sign in again”" in str(error)
    old = json.dumps({**json.loads(tokens["tokens"]), "until": wall_clock().timestamp()})
    again = failure(CHANNEL, choices(service), CredentialsRejected, secrets={"tokens": old})
    assert "revoked the permission (permission taken back)" in str(again)
    assert re.search(json.loads(tokens["tokens"])["refresh"], str(again)) is None


def test_nobody_has_signed_in_yet(service: ChannelService) -> None:
    assert "Not signed in yet" in str(failure(CHANNEL, choices(service), CredentialsRejected))


def test_a_service_that_does_not_know_the_program_or_is_none(service: ChannelService, members: MembersService) -> None:
    tokens = signed_in(service)
    old = {"tokens": json.dumps({**json.loads(tokens["tokens"]), "until": 0})}
    wrong = failure(CHANNEL, choices(service, client_id="other"), CredentialsRejected, secrets=old)
    assert "doesn't know this app" in str(wrong)
    assert "(404)" in str(failure(CHANNEL, choices(service, address=members.address), secrets=tokens))


@pytest.mark.parametrize(
    ("answer", "words"),
    [
        (lambda: StreamingResponse(b"x" * 8_000 for _ in range(1_000)), "sent too much data for a sign-in"),
        (
            lambda: Response(gzip.compress(b" " * 5_000_000), headers={"content-encoding": "gzip"}),
            "compressed response: “gzip”",
        ),
        (lambda: JSONResponse({"access_token": ["x"]}), "returned no valid token"),
        (lambda: JSONResponse({"access_token": "", "token_type": "Bearer"}), "returned no valid token"),
        (lambda: JSONResponse(["access_token"]), "returned no valid token"),
        (lambda: PlainTextResponse("[" * 60_000), "returned no valid token"),
    ],
)
def test_a_sign_in_that_answers_oddly_is_held(service: ChannelService, answer: Any, words: str) -> None:
    service.answers_with = answer()
    with pytest.raises(ResponseNotUnderstood, match=words):
        signed_in(service)


@pytest.mark.parametrize(
    ("lasts", "taken_s"),
    [
        ("60", 60),
        (0, 3_600),
        (-5, 3_600),
        (None, 3_600),
        (1e300, 315_360_000),
        ("1e3", None),
        ("soon", None),
        ([60], None),
    ],
)
def test_a_permission_lasts_as_long_as_can_be_believed(
    service: ChannelService, lasts: Any, taken_s: int | None
) -> None:
    body = json.dumps({"access_token": "paper-kite-4711", "token_type": "Bearer", "expires_in": lasts})
    service.answers_with = Response(body, media_type="application/json")
    if taken_s is None:
        with pytest.raises(ResponseNotUnderstood, match="returned no valid token"):
            signed_in(service)
    else:
        until = json.loads(signed_in(service)["tokens"])["until"] - wall_clock().timestamp()
        assert taken_s - 20 < until <= taken_s
