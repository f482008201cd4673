"""Names as lists, ranks, lengths and times of day in wordings; moments in their turn; texts at their longest."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest

from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.forms.form import fill
from tesoura.core.language.numbers import ENGLISH
from tesoura.core.language.scope import Scope
from tesoura.core.language.wording import compile_wording
from tesoura.core.overlays.document import from_document
from tesoura.core.overlays.moments import GAP, MAX_WAITING, Moments
from tesoura.core.signals.engine import Engine, LogEntry
from tesoura.core.signals.texts import Say
from tesoura.core.values import Event, Reading, Scalar, from_json

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
VALUES: dict[str, Scalar] = {
    "g.who": "Ana\nBolt\ntuck\nPip",
    "g.count": 7,
    "g.one": "Ana",
    "g.title": "Left of the Lighthouse",
}
LISBON_SUMMER = 1782900000  # 1 July 2026, 10:00 UTC


def says(wording: str, zone: str = "Europe/Lisbon") -> str | None:
    style = replace(ENGLISH, zone=ZoneInfo(zone))
    return compile_wording(wording).render(Scope(VALUES, style)).text


@pytest.mark.parametrize(
    ("wording", "text"),
    [
        ("{names(g.who)}", "Ana, Bolt, tuck and Pip"),
        ("{names(g.who, 2)}", "Ana, Bolt and 2 more"),
        ("{names(g.who, 2, g.count)}", "Ana, Bolt and 5 more"),
        ("{names(g.who, 9)}", "Ana, Bolt, tuck and Pip"),
        ("{names(g.one, 3)}", "Ana"),
        ("{line(g.who, 2)}", "Bolt"),
        ("{ordinal(1)} {ordinal(2)} {ordinal(3)} {ordinal(4)}", "1st 2nd 3rd 4th"),
        ("{ordinal(11)} {ordinal(12)} {ordinal(13)} {ordinal(21)} {ordinal(112)}", "11th 12th 13th 21st 112th"),
        ("{cut(g.title, 8)}|{cut(g.one, 8)}", "Left of…|Ana"),
        ("{0:duration} {59:duration} {60:duration} {3840:duration}", "0 s 59 s 1 min 1 h 4 min"),
        ("{90061:duration} {-61:duration}", "1 d 1 h -1 min 1 s"),
        (
            f"{{{LISBON_SUMMER}:time}} {{{LISBON_SUMMER}:date}} {{{LISBON_SUMMER}:weekday}}",
            "11:00 2026-07-01 Wednesday",
        ),
    ],
)
def test_wordings_help_with_lists_ranks_and_times(wording: str, text: str) -> None:
    assert says(wording) == text


@pytest.mark.parametrize(
    "wording", ["{names(g.who, 0)}", "{line(g.who, 9)}", "{cut(g.title, 0)}", "{1e15:time}", "{g.title:duration}"]
)
def test_what_cannot_be_said_says_nothing(wording: str) -> None:
    assert says(wording) is None


def test_a_time_is_told_in_the_users_zone() -> None:
    assert says(f"{{{LISBON_SUMMER}:time}}", "Asia/Tokyo") == "19:00"


# Moments


def test_moments_follow_one_another_on_each_piece() -> None:
    moments = Moments()
    for key, text in (("1/a", "one"), ("1/a", "two"), ("1/b", "other")):
        moments.add(key, text, 5, 1, "gift")
    begun = {key: moment.text for key, moment in moments.step(SEVEN) if moment}
    assert begun == {"1/a": "one", "1/b": "other"}
    assert [one.text for one in moments.waiting()] == ["two"]
    assert moments.next_change() == SEVEN + timedelta(seconds=5)
    assert list(moments.step(SEVEN + timedelta(seconds=4))) == []
    assert dict(moments.step(SEVEN + timedelta(seconds=5))) == {"1/a": None, "1/b": None}
    then = SEVEN + timedelta(seconds=5) + GAP
    assert [moment.text for _, moment in moments.step(then) if moment] == ["two"]


def test_what_waits_is_skipped_and_what_shows_ends_at_once() -> None:
    moments = Moments()
    first, second = moments.add("1/a", "one", 5, 1, "gift"), moments.add("1/a", "two", 5, 2, "gift")
    assert first
    assert second
    assert list(moments.step(SEVEN)) == [("1/a", first)]
    assert moments.skip(second.number, SEVEN) == second
    assert moments.skip(second.number, SEVEN) is None
    assert (moments.waiting(), moments.showing()) == ([], [first])
    soon = SEVEN + timedelta(seconds=1)
    assert moments.skip(first.number, soon) == first
    assert (list(moments.step(soon)), moments.showing()) == ([("1/a", None)], [])
    third = moments.add("1/a", "three", 5, 3, "gift")
    assert list(moments.step(soon + GAP)) == [("1/a", third)]
    moments.forget(["1/a"])
    assert moments.showing() == []


def test_a_line_that_is_too_long_takes_no_more() -> None:
    moments = Moments()
    taken = [moments.add("1/a", str(n), 5, n, "gift") for n in range(MAX_WAITING + 3)]
    assert sum(one is None for one in taken) == 3


# Texts


@pytest.fixture
def engine() -> Engine:
    made = Engine()
    made.add_feed("reach", 5)
    for name in ("reach.members", "reach.name"):
        made.add_signal("reach", name)
    return made


def test_a_text_at_its_longest_has_longer_names_and_more_digits(engine: Engine) -> None:
    say = Say(compile_wording("{reach.name}: {reach.members:,}"), "nobody yet")
    assert engine.texts.longest(say).text == "nobody yet"
    engine.feed_ok("reach", [Reading("reach.members", 12, SEVEN), Reading("reach.name", "Ana", SEVEN)], {}, SEVEN)
    assert engine.texts.longest(say).text == "Bartholomew Quillfeather: 1,200"
    assert engine.texts.empty(say).text == "nobody yet"


def test_late_and_down_are_answered_each_in_its_way(engine: Engine) -> None:
    engine.texts.show("1/a", Say(compile_wording("{reach.members}"), "—", "with_age", "instead", "back soon"))
    engine.feed_ok("reach", [Reading("reach.members", 12, SEVEN)], {}, SEVEN)
    assert engine.tick(SEVEN + timedelta(seconds=12)).texts["1/a"].text == "12 · 10 s ago"
    assert engine.feed_failed("reach", "gone", SEVEN + timedelta(seconds=13)).texts["1/a"].text == "back soon"


def test_a_piece_that_was_stored_before_late_and_down_differed_keeps_its_choice() -> None:
    stored = {"width_px": 10, "height_px": 10, "pieces": [{"id": "a", "when_stale": "hide"}]}
    piece = from_document(stored).pieces[0]
    assert (piece["when_late"], piece["when_down"], piece["appears"]) == ("hide", "hide", "always")


def test_a_fault_with_one_event_leaves_the_others_of_its_batch(engine: Engine) -> None:
    good, bad = (Event(str(n), "x", "gift", SEVEN, {"n": n}) for n in (1, 2))
    broken = replace(bad, data=None)  # type: ignore[arg-type]
    changes = engine.apply_events([LogEntry(1, broken, SEVEN), LogEntry(2, good, SEVEN)], SEVEN)
    assert "gift.n" in changes.signals
    assert [what for what, _ in engine.take_faults()] == ["Event 1 of the log"]


def test_types_of_our_own_become_no_signals(engine: Engine) -> None:
    changes = engine.apply_event(Event("1", "tesoura", "tesoura.skipped", SEVEN, {"seq": 1}), SEVEN)
    assert changes.signals == ()
    assert engine.event_types() == []


def test_forms_of_computed_signals_fill_in_what_is_not_given() -> None:
    filled = fill(COMPUTED["window"].fields, {"types": "gift, tip", "stats": "sum"})
    assert filled.wrong == {}
    assert (filled.choices["types"], filled.choices["over"], filled.choices["top"]) == (["gift", "tip"], "session", 3)


@pytest.mark.parametrize(
    "body",
    [
        '"a\\ud83d"',
        '"a\ud83d"',
        '"a\ud83d"'.encode("utf-8", "surrogatepass"),
        '"a\\ud83d"'.encode("utf-16"),
        '"a\ud83d"'.encode("utf-16-le", "surrogatepass"),
        '"a\\udfff"'.encode("utf-32"),
    ],
)
def test_half_a_character_pair_in_json_is_replaced_however_it_is_written(body: str | bytes) -> None:
    assert from_json(body) == "a\ufffd"


@pytest.mark.parametrize("body", [b"\xff\xfe\xfa", b'"\xff"', "[" * 100_000, "", "nul", b"\x00"])
def test_what_is_no_json_is_a_value_error(body: str | bytes) -> None:
    with pytest.raises(ValueError, match=r"decode|Expecting|deep"):
        from_json(body)


def test_whole_pairs_stay_and_names_are_mended_too() -> None:
    assert from_json('["\\ud83d\\ude00", {"\\ud83d": NaN}]') == ["😀", {"\ufffd": None}]
