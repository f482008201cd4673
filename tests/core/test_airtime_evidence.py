"""Airtime out of the log: what was sent, what pages painted of it, and what a count by hand comes to."""

from __future__ import annotations

import random
from typing import Any

import pytest

from tesoura.core.sponsors.airtime import AirtimeGap
from tesoura.core.sponsors.evidence import Evidence, LoggedFact

S = 1_000_000
NONE: dict[str, Any] = {}


def slot(item: str, sponsor: str = "Cordel Tea", test: bool = False) -> dict[str, Any]:
    return {"id": item, "campaign": item.partition(":")[0], "sponsor": sponsor, "words": "teapot", "test": test}


def shown(at: float, *slots: dict[str, Any]) -> LoggedFact:
    return LoggedFact(round(at * S), "turns.shown", {"slots": list(slots)})


def painted(at: float, *spans: list[Any], page: str = "a") -> LoggedFact:
    told = [[one[0], one[1] * 1000, one[2] * 1000, *one[3:]] for one in spans]
    return LoggedFact(round(at * S), "tesoura.painted", {"pages": [{"page": page, "overlay": "O", "spans": told}]})


def air(at: float, pages: int, overlay: str = "o") -> LoggedFact:
    return LoggedFact(round(at * S), "tesoura.air", {"signal": f"air.{overlay}", "value": pages})


def took(*facts: LoggedFact, until: float = 100) -> Any:
    evidence = Evidence(["turns"], ["tea"])
    for fact in facts:
        assert fact.type in evidence.types
        evidence.take(fact)
    return {one.item: one for one in evidence.airtime(0, round(until * S))}


def test_what_two_pages_painted_counts_once_and_only_while_it_was_sent() -> None:
    found = took(
        air(0, 2),
        shown(10, slot("tea:1")),
        shown(20, slot("moon:1", "Halfmoon")),
        shown(30, NONE),
        painted(40, ["tea:1", 8, 15], ["moon:1", 21, 40]),
        painted(41, ["tea:1", 12, 22], page="b"),
    )
    assert (found["tea:1"].sent_s, found["tea:1"].seen_s, found["tea:1"].gaps) == (10, 10, ())
    assert (found["moon:1"].sent_s, found["moon:1"].seen_s) == (10, 9)
    assert found["moon:1"].gaps == (AirtimeGap(20 * S, 21 * S, "no page said that it painted it"),)


def test_a_gap_says_that_no_page_was_there_or_what_lay_over_it() -> None:
    spans = (["tea:1", 0, 20], ["tea:1", 20, 30, "another piece lay over it"], ["tea:1", 45, 60])
    found = took(air(0, 1), shown(0, slot("tea:1")), air(30, 0), air(45, 1), shown(60, NONE), painted(60, *spans))
    assert found["tea:1"].seen_s == 35
    assert found["tea:1"].gaps == (
        AirtimeGap(20 * S, 30 * S, "another piece lay over it"),
        AirtimeGap(30 * S, 45 * S, "no page showed the overlay"),
    )


def test_a_page_adds_no_airtime_that_was_not_sent_to_it() -> None:
    found = took(air(0, 1), shown(10, slot("tea:1")), shown(12, NONE), painted(90, ["tea:1", 0, 90], ["glue:1", 0, 90]))
    assert (list(found), found["tea:1"].seen_s) == (["tea:1"], 2)


def test_the_card_of_a_read_is_sent_while_it_is_shown_and_what_is_still_shown_ends_with_the_span() -> None:
    def card(at: float, is_shown: bool) -> LoggedFact:
        return LoggedFact(round(at * S), "tea.card", {"shown": is_shown, "sponsor": "Cordel Tea", "test": False})

    found = took(
        air(0, 1),
        card(10, True),
        card(25, False),
        card(80, True),
        painted(99, ["tea:card", 10, 25], ["tea:card", 80, 99]),
        until=95,
    )
    assert (found["tea:card"].sent_s, found["tea:card"].seen_s, found["tea:card"].words) == (30, 30, "its card")


def test_one_more_page_is_no_page_that_came_back() -> None:
    found = took(air(0, 1), shown(0, slot("tea:1")), air(50, 2), air(55, 1), shown(60, NONE))
    assert [one.why for one in found["tea:1"].gaps] == ["no page said that it painted it"]


def test_what_is_sent_after_the_span_is_none_of_it() -> None:
    later = (shown(40, slot("moon:1", "Halfmoon")), shown(50, NONE))
    found = took(air(0, 1), shown(10, slot("tea:1")), shown(20, NONE), *later, until=30)
    assert (found["tea:1"].sent_s, found["moon:1"].sent, found["moon:1"].sent_s) == (10, (), 0)


@pytest.mark.parametrize("seed", range(60))
def test_it_is_what_a_count_second_by_second_says(seed: int) -> None:
    chance = random.Random(seed)
    facts: list[LoggedFact] = []
    sent: dict[str, set[int]] = {}
    seen: dict[str, set[int]] = {}
    present: list[str] = ["", ""]
    for at in range(0, 120, 1):
        if chance.random() < 0.15:
            present = [chance.choice(["", "tea:1", "tea:2", "moon:1"]), chance.choice(["", "glue:1"])]
            facts.append(shown(at, *[slot(one) if one else {} for one in present]))
        for one in present:
            if one:
                sent.setdefault(one, set()).add(at)
        if chance.random() < 0.3:
            item = chance.choice(["tea:1", "tea:2", "moon:1", "glue:1", "who:1"])
            begin = chance.randrange(max(at, 1))
            why = chance.choice(["", "", "it had not loaded"])
            facts.append(painted(at, [item, begin, at, why] if why else [item, begin, at]))
            if not why:
                seen.setdefault(item, set()).update(range(begin, at))
    found = took(*facts, until=120)
    assert set(found) == set(sent)
    for item, one in found.items():
        assert {at for b, e in one.sent for at in range(b // S, e // S)} == sent[item]
        assert {at for b, e in one.seen for at in range(b // S, e // S)} == sent[item] & seen.get(item, set())
        gone = {at for gap in one.gaps for at in range(gap.begin // S, gap.end // S)}
        assert gone == sent[item] - seen.get(item, set())
