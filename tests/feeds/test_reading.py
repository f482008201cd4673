"""Reading what came in its several forms, and making events of it."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from tesoura.core.instants import told_instant
from tesoura.errors import ResponseNotUnderstood
from tesoura.feeds.formats import numbers_in, read
from tesoura.feeds.http import KIND as HTTP
from tesoura.feeds.http.ask import matches
from tesoura.feeds.rules import EventRule, check, make_items, news
from tesoura.standins.members import MembersService
from tests.feeds.following import failure, gather


def test_a_table_is_read_by_its_heads_whatever_divides_it() -> None:
    for table in (
        "name,cuts\nmara,12\notto,7\n",
        "name;cuts\r\nmara;12\r\notto;7",
        "\ufeffname\tcuts\nmara\t12\notto\t7",
    ):
        assert read(table, "csv", "it") == {
            "count": 2,
            "rows": [{"name": "mara", "cuts": "12"}, {"name": "otto", "cuts": "7"}],
            "last": {"name": "otto", "cuts": "7"},
        }


def test_a_text_gives_its_lines_and_the_numbers_in_it() -> None:
    assert read("1,284 kite friends\n-3.5 today\n", "text", "it") == {
        "text": "1,284 kite friends\n-3.5 today",
        "lines": ["1,284 kite friends", "-3.5 today"],
        "numbers": [1284, -3.5],
    }
    assert numbers_in("v2 has 1\u202f284 of 3") == [1284, 3]


def test_toml_is_read_with_its_dates_as_texts() -> None:
    assert read("cuts = 3\nday = 2026-11-26\n", "toml", "it") == {"cuts": 3, "day": "2026-11-26"}


@pytest.mark.parametrize(
    ("text", "form", "words"),
    [
        ("", "json", "empty response"),
        ("a = ", "toml", "ot valid TOML"),
        ('name,cuts\n"mara,12', "csv", "is not valid CSV:"),
        ("<p>hello</p>", "html", "matches “.count”"),
    ],
)
def test_what_does_not_read_says_so(text: str, form: str, words: str) -> None:
    with pytest.raises(ResponseNotUnderstood, match=words):
        read(text, form, "counts.example", ".count")


def test_a_selector_that_is_none_is_refused() -> None:
    with pytest.raises(ResponseNotUnderstood, match="” is not a CSS selector:"):
        read("<p>hello</p>", "html", "counts.example", ":::")


def test_the_count_service_is_read_in_every_form(members: MembersService) -> None:
    def value(path: str, **choices: str) -> object:
        [came] = gather(HTTP, {"address": f"{members.address}{path}", **choices})
        return came.payload

    assert value("/channels/mara_vane/text", form="text")["numbers"] == [1284]  # type: ignore[index]
    page = value("/channels/mara_vane/page", form="html", selector=".count")
    assert (page["text"], page["numbers"]) == ("1,284", [1284])  # type: ignore[index]
    assert value("/table.csv", form="csv")["rows"][0]["members"] == "1284"  # type: ignore[index]


def test_what_has_not_changed_is_not_sent_again(members: MembersService) -> None:
    first, second = gather(HTTP, {"address": f"{members.address}/channels/mara_vane"}, 2)
    assert (first.unchanged, second.unchanged, members.unchanged) == (False, True, 1)
    members.put("mara_vane", 1285)
    [third] = gather(HTTP, {"address": f"{members.address}/channels/mara_vane"})
    assert third.payload["channel"]["members"] == 1285  # type: ignore[index]


def test_a_name_is_looked_up_and_its_id_goes_into_the_address(members: MembersService) -> None:
    found = matches(
        {"found": 2, "channels": [{"name": "mara_vane", "members": 5}, {"name": "otto_knot", "members": 7}]}
    )
    assert [(one.id, one.about) for one in found] == [("mara_vane", "5"), ("otto_knot", "7")]
    assert matches({"player": {"id": 42, "display_name": "Mara"}})[0].id == "42"
    assert matches({"problem": True}) == []
    [came] = gather(HTTP, {"address": f"{members.address}/channels/{{id}}", "id": "otto_knot"})
    assert came.payload["channel"]["name"] == "otto_knot"  # type: ignore[index]
    assert "(404)" in str(failure(HTTP, {"address": f"{members.address}/channels/{{id}}", "id": "a/b"}))


# Events out of payloads

FOLLOWERS = {"followers": [{"id": 2, "user": {"name": "tuck"}, "at": 1795719720}, {"id": 1, "user": {"name": "Ana"}}]}
RULE = EventRule(7, "follow", "followers", "id", "at", {"name": "user.name"})


def test_each_new_entry_of_a_list_makes_one_event() -> None:
    seen: set[str] = set()
    new, keys, first = news([RULE], FOLLOWERS, False, seen)
    assert (new, keys, first) == ([], ["7:2", "7:1"], [7])
    seen |= set(keys)
    primed = EventRule(7, "follow", "followers", "id", "at", {"name": "user.name"}, primed=True)
    grown = {"followers": [{"id": 3, "user": {"name": "Bolt"}, "at": "2026-11-26T19:02:00Z"}, *FOLLOWERS["followers"]]}
    new, keys, first = news([primed], grown, False, seen)
    assert [(one.id, one.data, one.time) for one in new] == [
        ("3", {"name": "Bolt"}, datetime(2026, 11, 26, 19, 2, tzinfo=UTC))
    ]
    assert (keys, first) == (["7:3", "7:2", "7:1"], [])


def test_without_an_id_an_entry_is_known_by_all_that_it_says() -> None:
    rule = EventRule(1, "song", "songs", primed=True)
    a, b = make_items(rule, {"songs": [{"title": "Paper Weather"}, {"title": "Rope Trick at Noon"}]}, False)
    assert a.id != b.id
    assert make_items(rule, {"songs": [{"title": "Paper Weather"}]}, False)[0].id == a.id


def test_each_streamed_message_is_news() -> None:
    rule = EventRule(1, "gift")
    [one] = make_items(rule, {"name": "Ana", "spools": 5}, True)
    assert (one.id, one.data) == (None, {"name": "Ana", "spools": 5})
    assert make_items(rule, {"name": "Ana"}, True, "msg_1")[0].id == "msg_1:0"
    assert [item.data for item in make_items(rule, "hello", True)] == [{"value": "hello"}]


def test_a_rule_that_cannot_be_read_says_why() -> None:
    assert "Not a valid JMESPath:" in (check(EventRule(1, "x", "a..b"), FOLLOWERS) or "")
    assert check(RULE, FOLLOWERS) is None
    assert news([EventRule(1, "x", "a..b")], FOLLOWERS, False, set()) == ([], [], [1])


@pytest.mark.parametrize(
    ("given", "seconds"),
    [
        (1795719720, 1795719720),
        (1795719720500, 1795719720.5),
        ("1795719720", 1795719720),
        ("2026-11-26T19:02:00+00:00", 1795719720),
        ("2026-11-26T19:02:00", 1795719720),
    ],
)
def test_times_are_read_as_services_write_them(given: object, seconds: float) -> None:
    at = told_instant(given)
    assert at
    assert at.timestamp() == seconds


@pytest.mark.parametrize("given", ["soon", None, -5, True, 1e30, {"at": 1}])
def test_what_is_no_time_is_none(given: object) -> None:
    assert told_instant(given) is None
