"""A sponsor's campaign: its days, its read with points and card, its link in chat; and what is typed wrongly."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.campaign import KIND
from tesoura.core.instruments.campaign.plan import FIELDS, check, make
from tesoura.core.instruments.campaign.state import Campaign, kept
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.items import InstrumentItem
from tesoura.errors import CommandRefused, InvalidField

NOW = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
TEA = {
    "title": "Tea",
    "sponsor": "Cordel Tea",
    "points": "North slope\n\n Ten per cent ",
    "link": "https://tea.example/l",
    "code": "LADDER10",
    "chat": "pier",
    "line": "{sponsor}: {link} with {code}",
    "reads": "2",
}


def campaign(**more: str) -> Campaign:
    filled = fill(FIELDS, {**TEA, **more})
    assert not filled.wrong, filled.wrong
    return Campaign(make("tea", filled.choices))


def do(it: Campaign, name: str, now: datetime, **given: str) -> Campaign:
    """It after a command, with all that it owes in the log."""
    after = it.handle(Command(name, given, 1), now).after
    assert isinstance(after, Campaign)
    for one in after.fires(now):
        after = after.on_event(Occurrence(micros(one.at), 2, one.type, dict(one.data), "instrument:tea"))
    assert not after.debts
    return after


def later(seconds: float) -> datetime:
    return NOW + timedelta(seconds=seconds)


def test_a_read_is_begun_ticked_and_ended_and_kept_with_its_length() -> None:
    it = do(campaign(), "begin_read", NOW)
    told = it.read(later(42))
    assert (told["reading"], told["elapsed"], told["card"], told["point"]) == (True, "0:42", True, "North slope")
    it = do(it, "tick", later(50))
    assert (it.read(later(50))["said"], it.read(later(50))["point"]) == (1, "Ten per cent")
    after = it.handle(Command("end_read", {}, 3), later(65)).after
    assert isinstance(after, Campaign)
    ended, hidden = after.debts
    assert (ended.type, ended.data["seconds"], ended.data["said"], ended.data["points"], ended.data["ended"]) == (
        "tea.read_ended",
        65.0,
        1,
        2,
        "read",
    )
    assert (hidden.type, hidden.data["shown"]) == ("tea.card", False)
    told = after.read(later(65))
    assert (told["reading"], told["reads"], told["card"], told["elapsed"]) == (False, 1, False, "")
    written = after.on_event(Occurrence(micros(ended.at), 4, ended.type, dict(ended.data))).recorded()
    assert [dict(one.data) for one in written] == [{"seconds": 65.0, "said": 1, "points": 2, "ended": "read"}]


def test_one_that_is_broken_off_is_kept_and_does_not_count() -> None:
    it = do(do(campaign(), "begin_read", NOW), "break_off", later(5))
    assert it.read(later(5))["reads"] == 0
    test = do(do(campaign(test="yes"), "begin_read", NOW), "end_read", later(5))
    assert (test.read(later(5))["reads"], test.recorded()) == (0, ())


def test_a_read_that_nobody_ends_is_broken_off_after_two_hours() -> None:
    it = do(campaign(), "begin_read", NOW).advance(later(7_200))
    assert (it.reading, it.debts[0].data["ended"], it.debts[0].at) == (None, "cancelled", later(7_200))
    assert do(campaign(), "begin_read", NOW).advance(later(7_199)).reading is not None


def test_a_point_is_ticked_by_its_number_and_taken_back() -> None:
    it = do(do(campaign(), "begin_read", NOW), "tick", NOW, point="2")
    assert (it.read(NOW)["said"], it.read(NOW)["point"]) == (1, "North slope")
    assert do(it, "tick", NOW, point="2").read(NOW)["said"] == 0
    step = it.handle(Command("tick", {}, 1), NOW)
    assert (step.effect, step.given, step.undo) == ("point 1 is said", {"point": "1"}, ("tick", {"point": "1"}))


@pytest.mark.parametrize(
    ("before", "name", "given", "why"),
    [
        ((), "tick", {}, "Start the read first"),
        ((), "end_read", {}, "No read in progress"),
        (("begin_read",), "begin_read", {}, "End it first"),
        (("begin_read",), "show_card", {}, "The card is already on screen"),
        (("begin_read",), "tick", {"point": "3"}, "Points are numbered 1 to 2"),
        (("begin_read",), "tick", {"point": "x"}, "1 to 2"),
        (("begin_read", "tick", "tick"), "tick", {}, "All points are ticked"),
        ((), "hide_card", {}, "The card is already hidden"),
    ],
)
def test_what_cannot_be_done_is_refused_with_why(
    before: tuple[str, ...], name: str, given: dict[str, str], why: str
) -> None:
    it = campaign()
    for one in before:
        it = do(it, one, NOW)
    with pytest.raises((CommandRefused, InvalidField), match=why):
        it.handle(Command(name, given, 1), NOW)


def test_chat_is_told_the_link_once_in_its_pause_and_why_not_meanwhile() -> None:
    it = campaign(pause_s="90")
    after = it.handle(Command("link", {}, 1), NOW).after
    assert isinstance(after, Campaign)
    (due,) = after.debts
    (effect,) = due.effects
    assert (effect.kind, effect.target, effect.data["line"]) == (
        "say",
        "pier",
        "Cordel Tea: https://tea.example/l with LADDER10",
    )
    it = do(it, "link", NOW)
    assert (it.read(later(0.5))["link_left"], it.read(later(89.5))["link_left"], it.read(later(90))["link_left"]) == (
        90,
        1,
        0,
    )
    with pytest.raises(CommandRefused, match="again in 1 min 5 s"):
        it.handle(Command("link", {}, 1), later(25))
    assert it.handle(Command("link", {}, 1), later(90)).effect.startswith("sends to chat")
    assert it.next_change(later(25.25)) == later(26)


def test_a_link_that_chat_was_not_told_may_be_told_again_at_once_and_says_why() -> None:
    step = campaign().handle(Command("link", {}, 1), NOW)
    assert isinstance(step.after, Campaign)
    (due,) = step.after.debts
    of = due.effects[0].data["of"]

    def ended(it: Campaign, of: object, outcome: str) -> Campaign:
        data = {"of": of, "outcome": outcome, "why": "○ chat not connected"}
        return it.on_event(Occurrence(micros(later(2)), 5, "tesoura.effect_ended", data))

    it = do(campaign(), "link", NOW)
    assert ended(it, "tea.linked:7", "failed") == it
    assert "Just sent to chat" in str(ended(it, of, "done").view(later(3))["why_no_link"])
    failed = ended(it, of, "failed")
    assert (failed.view(later(3))["not_told"], failed.view(later(3))["why_no_link"]) == ("○ chat not connected", "")
    again = failed.handle(Command("link", {}, 6), later(4)).after
    assert again.view(later(4))["not_told"] == ""


@pytest.mark.parametrize(
    ("more", "why"),
    [
        ({"chat": ""}, "No chat chosen"),
        ({"link": "", "code": "", "line": "{sponsor}"}, "No link set"),
        ({"last_day": "2026-11-25"}, "has ended"),
        ({"first_day": "2026-11-27"}, "hasn't started"),
    ],
)
def test_a_link_that_may_not_be_told_says_why(more: dict[str, str], why: str) -> None:
    it = campaign(**more)
    assert why in str(it.view(NOW)["why_no_link"])
    with pytest.raises(CommandRefused, match=why):
        it.handle(Command("link", {}, 1), NOW)


def test_it_ends_at_midnight_of_its_last_day_by_the_users_own_zone() -> None:
    choices = fill(FIELDS, {**TEA, "first_day": "2026-11-25", "last_day": "2026-11-26"}).choices
    it = Campaign(make("tea", choices, ZoneInfo("America/Lima")))
    # Lima is five hours behind: its 26th ends at 05:00 UTC on the 27th.
    end = datetime(2026, 11, 27, 5, 0, tzinfo=UTC)
    before = end - timedelta(microseconds=1)
    assert (it.read(before)["state"], it.read(end)["state"]) == ("on", "over")
    assert (it.next_change(NOW), it.read(end)["items"]) == (end, "[]")
    assert it.next_change(datetime(2026, 11, 24, tzinfo=UTC)) == datetime(2026, 11, 25, 5, 0, tzinfo=UTC)
    with pytest.raises(CommandRefused, match="ended on 2026-11-26"):
        it.handle(Command("begin_read", {}, 1), end)


def test_a_day_of_twenty_three_hours_ends_when_it_ends() -> None:
    choices = fill(FIELDS, {**TEA, "last_day": "2026-03-29"}).choices
    it = Campaign(make("tea", choices, ZoneInfo("Europe/Berlin")))
    assert it.next_change(datetime(2026, 3, 28, 23, 0, tzinfo=UTC)) == datetime(2026, 3, 29, 22, 0, tzinfo=UTC)


def test_its_items_are_told_and_without_any_its_mark_is_seen() -> None:
    values = {"words": "teapot", "picture": "a1.png", "video": "", "text": "", "seconds": 6}
    bare = {"words": "empty", "picture": "", "video": "", "text": " ", "seconds": 6}
    it = campaign(mark="b2.png").with_items([InstrumentItem("i4", values), InstrumentItem("i5", bare)])
    assert json.loads(str(it.read(NOW)["items"])) == [{"id": "tea:i4", **values}]
    (mark,) = json.loads(str(campaign(mark="b2.png").read(NOW)["items"]))
    assert (mark["id"], mark["picture"], mark["text"]) == ("tea:mark", "b2.png", "")
    (words,) = json.loads(str(campaign().read(NOW)["items"]))
    assert (words["picture"], words["text"]) == ("", "Cordel Tea")


def test_it_goes_on_from_where_it_was_stored() -> None:
    it = do(do(campaign(), "begin_read", NOW), "tick", later(3))
    after = it.handle(Command("link", {}, 9), later(4)).after
    assert isinstance(after, Campaign)
    it = replace(after, written=())
    again = Campaign(it.plan, **kept(json.loads(json.dumps(it.saved()))))
    assert again == it


@pytest.mark.parametrize(
    ("given", "name", "why"),
    [
        ({"link": "tea.example"}, "link", "An address starts with https://"),
        ({"link": "javascript:alert(1)"}, "link", "can't be used"),
        ({"link": "ftp://tea.example/x"}, "link", "An address starts with https://"),
        ({"link": "https:///x"}, "link", "The address has no host"),
        ({"link": "https://a b"}, "link", "without spaces"),
        ({"link": "https://mara:pw@tea.example"}, "link", "password"),
        ({"link": "http://[::1"}, "link", "is not an address"),
        ({"line": "{sponsor} {0}"}, "line", "can be used here"),
        ({"first_day": "26.11.2026"}, "first_day", "” is not a date"),
        ({"points": "x" * 201}, "points", "at most 200"),
        ({"points": "\n".join("abcdefghijklmnopqrstuvw")}, "points", "at most 20"),
        ({"sponsor": " "}, "sponsor", "name"),
        ({"minutes": "1441"}, "minutes", "from 0 to 1440"),
        ({"pause_s": "-1"}, "pause_s", "from 0"),
    ],
)
def test_what_is_typed_wrongly_says_what_would_be_right(given: dict[str, str], name: str, why: str) -> None:
    wrong = fill(FIELDS, {**TEA, **given}).wrong
    assert set(wrong) == {name}
    assert why in wrong[name]


def test_choices_that_do_not_go_together_are_told() -> None:
    def wrong(**more: str) -> Any:
        return check(fill(FIELDS, {**TEA, **more}).choices)

    assert wrong() == {}
    assert "before it starts" in wrong(first_day="2026-11-26", last_day="2026-11-25")["last_day"]
    assert "no link is set" in wrong(link="")["link"]
    assert KIND.check is check
