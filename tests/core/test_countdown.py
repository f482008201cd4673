"""Countdowns, counts up and clocks: what they show, and when it changes."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.effects import Effect
from tesoura.core.forms.durations import duration, signed, time_to_come
from tesoura.core.forms.form import fill
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.countdown import KIND
from tesoura.core.instruments.countdown.commands import Countdown
from tesoura.core.instruments.countdown.state import upcoming, widest_of
from tesoura.core.instruments.countdown.time_text import HOUR, MINUTE, SECOND, Writing, time_of_day
from tesoura.core.language.widths import rough_width
from tesoura.errors import Ambiguous, CommandRefused, InvalidField

T = datetime(2026, 11, 26, 20, 4, 30, tzinfo=UTC)
LISBON = ZoneInfo("Europe/Lisbon")


def at(seconds: float) -> datetime:
    return T + timedelta(seconds=seconds)


def made(almanac: Almanac | None = None, now: datetime = T, **typed: Any) -> Countdown:
    filled = fill(KIND.fields, {"title": "Kettle break", **typed})
    assert not filled.wrong, filled.wrong
    countdown = KIND.begin("kettle_break", filled.choices, almanac or Almanac(), now)
    assert isinstance(countdown, Countdown)
    return countdown


def after(countdown: Countdown, command: str, now: datetime, **given: Any) -> Countdown:
    step = countdown.handle(Command(command, given), now)
    assert isinstance(step.after, Countdown)
    # What goes into the log leads to the same, whoever reads it later.
    again = countdown.handle(Command(command, step.given), now).after
    assert again == step.after
    return step.after


# Typing


@pytest.mark.parametrize(
    ("typed", "seconds"),
    [
        ("10 min", 600),
        ("10:00", 600),
        ("1h 5m", 3_900),
        ("1:05:00", 3_900),
        ("90 s", 90),
        ("5", 300),
        ("1 hour and 30 seconds", 3_630),
        ("2 days", 172_800),
        ("1.5 min", 90),
    ],
)
def test_a_length_of_time_is_understood_as_people_write_it(typed: str, seconds: int) -> None:
    assert duration(typed) == timedelta(seconds=seconds)


@pytest.mark.parametrize("typed", ["ten", "", "10:75", "5 lightyears", "-", "1:2", "nan"])
def test_what_is_no_length_of_time_is_refused_with_examples(typed: str) -> None:
    with pytest.raises(InvalidField, match="Write it as 10 min, 10:00, 90 s or 1h 5m"):
        duration(typed)


def test_no_time_and_400_days_are_refused() -> None:
    with pytest.raises(InvalidField, match="Give at least 1 s"):
        duration("0")
    with pytest.raises(InvalidField, match=r"more than 366 days\. Count down to a date instead"):
        duration("400 days")


def test_a_minus_takes_time_away() -> None:
    assert signed("-3 min") == timedelta(minutes=-3)
    assert signed("\u22123") == timedelta(minutes=-3)
    assert signed("+90 s") == timedelta(seconds=90)


def test_a_time_of_day_that_is_over_asks_for_tomorrow() -> None:
    assert time_to_come("20:15", T, UTC) == datetime(2026, 11, 26, 20, 15, tzinfo=UTC)
    with pytest.raises(Ambiguous, match=r"Today's 19:00 has passed. Do you mean tomorrow's\?") as asked:
        time_to_come("19:00", T, UTC)
    assert asked.value.offers == [("Tomorrow's 19:00", {"to": "tomorrow 19:00"})]
    assert time_to_come("tomorrow 19:00", T, UTC) == datetime(2026, 11, 27, 19, tzinfo=UTC)
    with pytest.raises(InvalidField, match="2026-11-01 19:00 has passed"):
        time_to_come("2026-11-01 19:00", T, UTC)
    with pytest.raises(InvalidField, match="no 2026-02-31 in the calendar"):
        time_to_come("2026-02-31 19:00", T, UTC)


def test_a_time_of_day_across_the_end_of_summer_time_is_the_clock_on_the_wall() -> None:
    evening = datetime(2026, 10, 24, 22, 0, tzinfo=LISBON).astimezone(UTC)
    # That night has 25 hours: from 22:00 to the next 20:00 there are 23, not 22.
    assert time_to_come("tomorrow 20:00", evening.astimezone(UTC), LISBON) - evening.astimezone(UTC) == timedelta(
        hours=23
    )


# Writing


@pytest.mark.parametrize(
    ("choices", "us", "text"),
    [
        ({}, 544 * SECOND, "09:04"),
        ({"leading": False}, 544 * SECOND, "9:04"),
        ({"leading": False}, 4 * SECOND, "0:04"),
        ({"leading": False, "empty": "none"}, 4 * SECOND, "4"),
        ({"empty": "none"}, 4 * SECOND, "04"),
        ({"empty": "all"}, 4 * SECOND, "00:00:04"),
        ({"leading": False, "empty": "all"}, 4 * SECOND, "0:00:04"),
        ({"leading": False}, HOUR, "1:00:00"),
        ({"leading": False, "hours_from_min": 100}, 99 * MINUTE + 59 * SECOND, "99:59"),
        ({"leading": False, "hours_from_min": 100}, 100 * MINUTE, "1:40:00"),
        ({}, 26 * HOUR, "1 d 02:00:00"),
        ({"days": False}, 26 * HOUR, "26:00:00"),
        ({"form": "letters", "leading": False}, HOUR + 5 * MINUTE + 9 * SECOND, "1 h 5 min 9 s"),
        ({"form": "letters", "leading": False, "empty": "none"}, 5 * MINUTE, "5 min"),
        ({"form": "letters", "leading": False, "empty": "none"}, 0, "0 s"),
        ({"form": "letters"}, 5 * MINUTE + 9 * SECOND, "05 min 09 s"),
        ({"tenths": True, "leading": False}, 9_400_000, "0:09.4"),
        ({"tenths": True, "leading": False, "empty": "none"}, 9_400_000, "9.4"),
        ({"tenths": True}, 10 * SECOND, "00:10"),
    ],
)
def test_a_time_is_written_as_chosen(choices: dict[str, Any], us: int, text: str) -> None:
    assert Writing(**choices).time(us) == text


@given(
    st.integers(0, 400 * 24 * HOUR),
    st.booleans(),
    st.sampled_from(["none", "minutes", "all"]),
    st.integers(1, 60_000),
    st.booleans(),
    st.booleans(),
)
def test_a_second_never_stands_alone_behind_a_colon(
    us: int, leading: bool, empty: str, hours: int, days: bool, tenths: bool
) -> None:
    text = Writing("colons", leading, empty, hours, days, tenths).left(us)
    units = text.rpartition(" d ")[2].split(":")
    assert all(len(unit.partition(".")[0]) == 2 for unit in units[1:])


def test_a_clock_is_written_as_chosen() -> None:
    local = datetime(2026, 11, 26, 0, 4, 9)  # noqa: DTZ001
    assert time_of_day(local, "24s", "weekday", True) == "Thursday 26 November · 00:04:09"
    assert time_of_day(local, "12", "none", False) == "12:04 am"
    assert time_of_day(local.replace(hour=19), "24", "iso", False) == "2026-11-26 · 19:04"


# Counting


def test_a_length_counts_down_to_its_last_words_which_then_go() -> None:
    it = made(length="5 min", end_words="Kettle's on, in we go", end_s=10)
    assert it.read(T) == {
        "text": "05:00",
        "time": "05:00",
        "left_s": 300,
        "share": 0.0,
        "state": "ready",
        "ends_at": None,
    }
    it = after(it, "start", T)
    assert it.read(at(1)) == {
        "text": "04:59",
        "time": "04:59",
        "left_s": 299,
        "share": 0.0033,
        "state": "running",
        "ends_at": T.timestamp() + 300,
    }
    assert it.text(at(0.001)) == "05:00"
    assert it.text(at(299.5)) == "00:01"
    assert it.text(at(300)) == "Kettle's on, in we go"
    assert it.state(at(309.9)) == "ended"
    assert it.text(at(310)) == ""
    assert it.next_change(at(310)) is None


def test_the_text_changes_on_the_second_by_the_target() -> None:
    it = after(made(length="5 min"), "start", at(0.35))
    assert it.next_change(at(0.35)) == at(1.35)
    assert it.next_change(at(2.9)) == at(3.35)
    assert it.next_change(at(299.9)) == at(300.35)


def test_minutes_are_added_and_taken_while_it_runs_and_the_effect_is_told_before() -> None:
    it = after(made(length="10 min"), "start", T)
    step = it.handle(Command("add", {"by": "2 min"}), at(60))
    assert step.effect == "ends at 20:14:30 → 20:16:30"
    assert step.after.read(at(60))["text"] == "11:00"
    assert it.handle(Command("add", {"by": "-9 min"}), at(30)).after.read(at(30))["text"] == "00:30"
    with pytest.raises(CommandRefused, match="Only 09:30 is left"):
        it.handle(Command("add", {"by": "-10 min"}), at(30))


def test_a_new_length_or_target_is_set_without_stopping() -> None:
    it = after(made(length="8 min"), "start", T)
    step = it.handle(Command("set", {"length": "11 min"}), at(60))
    assert (step.effect, step.after.read(at(60))["text"]) == ("ends at 20:12:30 → 20:16:30", "11:00")
    step = it.handle(Command("set", {"to": "20:30"}), at(60))
    assert (step.effect, step.after.read(at(60))["text"]) == ("ends at 20:12:30 → 20:30:00", "24:30")
    assert it.handle(Command("set", {"to": "tomorrow 0:10"}), T).effect == "ends at 20:12:30 → 27 Nov 00:10:00"


def test_a_pause_keeps_what_is_left() -> None:
    it = after(after(made(length="5 min"), "start", T), "pause", at(60.4))
    assert (it.text(at(500)), it.next_change(at(500))) == ("04:00", None)
    assert it.handle(Command("add", {"by": "1 min"}), at(500)).effect == "04:00 → 05:00"
    it = after(it, "go_on", at(500))
    assert it.text(at(500)) == "04:00"
    assert it.next_change(at(500)) == at(500.6)


def test_stop_start_again_and_undo() -> None:
    it = after(made(length="5 min"), "start", T)
    assert it.handle(Command("restart"), at(100)).effect == "ends at 20:11:10"
    stopped = after(it, "stop", at(100))
    assert stopped.read(at(100))["state"] == "ready"
    undo = stopped.handle(Command("undo"), at(110))
    assert (undo.effect, undo.after.read(at(110))["text"]) == ("viewers see “03:10”", "03:10")


def test_a_command_that_makes_no_sense_says_why() -> None:
    it = made(length="5 min")
    for command, why in [
        ("pause", "nothing to pause"),
        ("go_on", "Not paused"),
        ("stop", "Not running"),
        ("add", "Start it first"),
        ("dismiss", "it hasn't ended"),
        ("undo", "Nothing to undo"),
    ]:
        with pytest.raises(CommandRefused, match=why):
            it.handle(Command(command, {"by": "1 min"}), T)
    with pytest.raises(CommandRefused, match="Already running"):
        after(it, "start", T).handle(Command("start"), at(1))


@pytest.mark.parametrize(
    ("given_", "why"),
    [
        ({"until": "9999-12-31T23:59:59-12:00"}, "That time has passed or is more than 366 days away"),
        ({"until": "2026-11-26T20:00:00+00:00"}, "That time has passed or is more than 366 days away"),
        ({"until": 7}, "Give `until` as a date and time"),
        ({"to": "9999-12-31 23:59"}, "That time has passed or is more than 366 days away"),
        ({"length": {"a": 1}}, "is not a length of time"),
        ({"by_s": float("nan")}, "Give the seconds as a number"),
        ({"by_s": "1"}, "Give the seconds as a number"),
    ],
)
def test_what_a_script_gives_wrongly_is_refused(given_: dict[str, Any], why: str) -> None:
    it = after(made(Almanac(ZoneInfo("America/Lima")), length="5 min"), "start", T)
    with pytest.raises(InvalidField, match=why):
        it.handle(Command("add" if "by_s" in given_ else "set", given_), T)


def test_words_before_and_after_and_in_the_last_minute() -> None:
    it = after(made(length="2 min", before="Back in ", after=" or so", last_minute="{left} to go"), "start", T)
    assert it.text(at(59)) == "Back in 01:01 or so"
    assert it.text(at(60)) == "01:00 to go"
    assert it.text(at(120)) == "00:00 to go"


def test_last_words_may_stay_until_they_are_dismissed() -> None:
    it = after(made(length="1 min", end_words="In we go", end_s=0), "start", T)
    assert it.text(at(4_000)) == "In we go"
    assert after(it, "dismiss", at(4_000)).text(at(4_000)) == ""


def test_the_next_ten_changes_are_foretold() -> None:
    it = after(made(length="1 min", end_words="In we go", end_s=5, tenths="yes", leading="no"), "start", T)
    changes = upcoming(it, at(50), 10)
    assert changes[0] == (at(50.1), "0:09.9")
    assert changes[9] == (at(51), "0:09.0")
    assert upcoming(it, at(59.8), 10) == [(at(59.9), "0:00.1"), (at(60), "In we go"), (at(65), "")]


def test_one_to_a_time_of_day_and_one_that_is_started_too_late() -> None:
    it = made(counts="time", to="20:15")
    assert after(it, "start", T).text(T) == "10:30"
    with pytest.raises(Ambiguous, match="Today's 20:15 has passed"):
        it.handle(Command("start"), at(3_600))
    assert after(it, "start", at(3_600), to="tomorrow 20:15").text(at(3_600)) == "23:10:30"


def test_one_to_a_calendar_event_follows_the_calendar() -> None:
    it = made(counts="event", signal="shows.starts_at", end_words="Here we are", end_s=30)
    assert it.see({}, T).text(T) is None
    # However often it is read before that is in the log, it's told once.
    pending = [it.see({"shows.starts_at": at(600).timestamp()}, at(second)).fires(at(second)) for second in (0, 1)]
    assert pending[0][0].id == pending[1][0].id
    told = it.see({"shows.starts_at": at(600).timestamp()}, T)
    assert told.text(T) == "10:00"
    (fired,) = told.fires(T)
    assert (fired.type, fired.data["starts_at"]) == ("kettle_break.rescheduled", at(600).timestamp())
    it = it.on_event(Occurrence(micros(T), 1, fired.type, fired.data))
    assert (it.text(T), it.see({"shows.starts_at": at(600).timestamp()}, at(5))) == ("10:00", it)
    # While the calendar can't be read nothing is counted, and nothing is forgotten.
    assert (it.see({}, at(6)).text(at(6)), it.see({}, at(6)).fires(at(6))) == (None, [])
    later = it.see({"shows.starts_at": at(900).timestamp()}, at(10))
    assert later.text(at(10)) == "14:50"
    it = it.on_event(Occurrence(micros(at(10)), 2, "kettle_break.rescheduled", later.fires(at(10))[0].data))
    # The calendar has gone on to the next event; the last words of this one stay as long as they should.
    it = it.see({"shows.starts_at": at(86_400).timestamp()}, at(901))
    assert it.text(at(901)) == "Here we are"
    assert it.see({"shows.starts_at": at(86_400).timestamp()}, at(931)).text(at(931)) == "23:44:29"
    with pytest.raises(CommandRefused, match="runs automatically"):
        it.handle(Command("add", {"by": "1 min"}), T)


def test_counting_up_from_a_start_a_moment_and_the_session() -> None:
    it = after(made(counts="up", leading="no"), "start", T)
    assert (it.text(at(0.9)), it.text(at(65)), it.next_change(at(65))) == ("0:00", "1:05", at(66))
    assert after(it, "add", at(65), by="1 min").text(at(65)) == "2:05"
    assert made(counts="since", since="2026-11-26T18:04:30+00:00").text(T) == "02:00:00"
    assert made(Almanac(session_began=at(-61)), counts="session").text(T) == "01:01"
    assert made(counts="session").text(T) is None


def test_a_clock_shows_the_users_time_and_changes_on_the_minute() -> None:
    it = made(Almanac(LISBON), counts="clock", clock="24", date="short", before="It is ")
    assert it.read(T) == {"text": "It is 26 Nov · 20:04", "state": "running"}
    assert it.next_change(T) == at(30)
    summer = datetime(2026, 10, 25, 0, 59, 30, tzinfo=UTC)
    assert (it.text(summer), it.text(summer + timedelta(seconds=30))) == (
        "It is 25 Oct · 01:59",
        "It is 25 Oct · 01:00",
    )


def test_a_clock_that_was_set_moves_a_length_and_leaves_a_time_of_day() -> None:
    event = Occurrence(micros(at(60)), 9, "tesoura.clock_set", {"by_s": 3_600.0})
    length = after(made(length="10 min"), "start", T).on_event(event)
    assert length.text(at(3_660)) == "09:00"
    time = after(made(counts="time", to="23:00"), "start", T).on_event(event)
    assert time.text(at(3_660)) == "01:54:30"


# Marks, the end shown, the fit check, a restart


def test_marks_and_the_end_are_fired_once_each() -> None:
    it = after(made(length="2 min", mark_1="1 min", sound_1="wood", end_sound="bell", end_scene="Play"), "start", T)
    assert it.fires(at(59)) == []
    [mark] = it.fires(at(60))
    assert (mark.type, mark.at, mark.data["left_s"]) == ("kettle_break.at_1_min", at(60), 60)
    assert mark.effects == [Effect("sound", "kettle_break", {"sound": "wood"}, not_after=at(65))]
    it = it.on_event(Occurrence(micros(at(60)), 5, mark.type, mark.data))
    assert it.fires(at(61)) == []
    [end] = it.fires(at(120))
    assert end.type == "kettle_break.ended"
    assert end.data == {"countdown": "Kettle break", "left_s": 0, "of": end.id}
    assert end.effects == [
        Effect("sound", "kettle_break", {"sound": "bell"}, not_after=at(125)),
        Effect("scene", "Play", not_after=at(125)),
    ]


def test_a_mark_that_was_passed_comes_again_when_time_is_added() -> None:
    it = after(made(length="2 min", mark_1="1 min"), "start", T)
    [mark] = it.fires(at(60))
    it = after(it.on_event(Occurrence(0, 5, mark.type, mark.data)), "add", at(90), by="5 min")
    assert [one.type for one in it.fires(at(360))] == ["kettle_break.at_1_min"]


def test_a_mark_longer_than_the_whole_is_never_fired() -> None:
    it = after(made(length="30 s", mark_1="1 min"), "start", T)
    assert it.fires(at(29)) == []


def test_the_end_is_shown_in_five_seconds_while_it_counts_on_beneath() -> None:
    it = after(made(length="5 min", end_words="In we go", end_s=4, end_sound="bell", end_scene="Play"), "start", T)
    it = after(it, "show_end", at(10))
    assert (it.text(at(10)), it.text(at(14.5)), it.text(at(15))) == ("00:05", "00:01", "In we go")
    [end] = it.fires(at(15))
    assert end.data["trial"] is True
    assert [effect.kind for effect in end.effects] == ["sound"]
    assert it.text(at(19)) == "04:41"


def test_its_widest_text_is_twice_as_long_and_its_last_word_is_known() -> None:
    extremes = made(length="8 min", end_words="Kettle's on, in we go", before="Back in ", leading="no").extremes(T)
    assert extremes["text"].widest == "Back in 88:88"
    assert extremes["text"].last == "Kettle's on, in we go"
    assert extremes["text"].sample == "Back in 4:32"
    assert made(length="45 min", leading="no").extremes(T)["text"].widest == "8:88:88"
    assert (
        made(counts="clock", clock="24", date="weekday").extremes(T)["text"].widest == "Wednesday 88 September · 88:88"
    )


def test_it_goes_on_after_a_restart_as_if_it_had_never_stopped() -> None:
    filled = fill(KIND.fields, {"title": "Kettle break", "length": "5 min", "mark_1": "1 min"})
    it = KIND.begin("kettle_break", filled.choices, Almanac(), T)
    it = it.handle(Command("start"), T).after
    it = it.handle(Command("pause"), at(10)).after
    again = KIND.restore("kettle_break", filled.choices, Almanac(), it.saved() or {})
    assert again == it


FORMS = [
    Writing(form, leading, empty, hours_from, days, tenths, "In ", "", last)
    for form in ("colons", "letters")
    for leading in (True, False)
    for empty in ("none", "minutes", "all")
    for hours_from in (1, 60, 200)
    for days in (True, False)
    for tenths in (True, False)
    for last in ("", "{left}!")
]
LENGTHS_S = (
    1,
    9,
    11,
    59,
    60,
    61,
    599,
    600,
    960,
    3_599,
    3_600,
    3_661,
    35_999,
    86_399,
    86_400,
    90_061,
    900_000,
    8_640_000,
    100_000_000,
)


def test_no_text_of_any_form_is_wider_than_the_widest_that_is_told() -> None:
    rng = random.Random(7)
    for writing in FORMS:
        for longest in rng.sample(LENGTHS_S, 1):
            whole, clock = (rough_width(one) for one in widest_of(writing, longest * SECOND))
            up, _ = (rough_width(one) for one in widest_of(writing, longest * SECOND, up=True))
            for us in (longest * SECOND, *(rng.randrange(longest * SECOND + 1) for _ in range(30))):
                assert rough_width(eights(writing.counting_down(us))) <= whole, (writing, longest, us)
                assert rough_width(eights(writing.left(us))) <= clock, (writing, longest, us)
                assert rough_width(eights(writing.counting_up(us))) <= up, (writing, longest, us)


def eights(text: str) -> str:
    return "".join("8" if char.isdigit() else char for char in text)


def test_the_widest_text_has_a_place_for_each_unit_that_may_appear() -> None:
    letters = Writing("letters", False, "none")
    assert widest_of(letters, 7_200 * SECOND)[0] == "8 h 88 min 88 s"
    # At exactly 60 s the last minute's words have minutes, too.
    assert widest_of(Writing(last_minute="Only {left} left"), 60 * SECOND)[0] == "Only 88:88 left"
    assert rough_width("1\u202f000\u200b e\u0301") == rough_width("1 000 e")
    assert widest_of(letters, 960 * SECOND)[0] == "88 min 88 s"
    assert widest_of(Writing(), 200 * 86_400 * SECOND, up=True)[0] == "888 d 88:88:88"
    assert widest_of(Writing(days=False), 200 * 86_400 * SECOND, up=True)[0] == "8888:88:88"


def test_the_widest_short_date_is_in_may() -> None:
    assert made(counts="clock", clock="none", date="short").extremes(T)["text"].widest == "88 May"


@pytest.mark.parametrize(("clock", "widest"), [("12s", "88:88:88 pm"), ("12", "88:88 pm"), ("24s", "88:88:88")])
def test_a_clock_without_zeros_is_told_with_the_hours_that_have_two_digits(clock: str, widest: str) -> None:
    told = made(counts="clock", clock=clock, leading="no").extremes(T)["text"].widest
    assert eights(str(told)) == widest


def test_one_that_counts_up_from_long_ago_is_told_as_long_as_it_may_become() -> None:
    since = made(counts="since", since=(T - timedelta(days=60)).isoformat())
    assert since.extremes(T)["text"].widest == "888 d 88:88:88"


def test_adding_minutes_at_zero_lets_it_run_again() -> None:
    ended = after(made(length="1 min", end_s="10"), "start", T)
    for after_s in (60, 65, 600):
        now = T + timedelta(seconds=after_s)
        step = ended.handle(Command("add", {"by": "3 min"}), now)
        assert step.after.read(now)["text"] == "03:00"
        assert step.effect.startswith("00:00 → 03:00, ends at ")
        assert step.after.read(now + timedelta(minutes=3))["state"] == "ended"
    with pytest.raises(CommandRefused, match="is left"):
        ended.handle(Command("add", {"by": "-1 min"}), T + timedelta(seconds=61))
    with pytest.raises(CommandRefused, match="Start it first"):
        made(length="1 min").handle(Command("add", {"by": "3 min"}), T)


def test_in_the_hour_that_comes_twice_the_next_of_the_two_is_meant() -> None:
    first = datetime(2026, 10, 25, 0, 10, tzinfo=UTC)
    assert time_to_come("1:30", first, LISBON) == datetime(2026, 10, 25, 0, 30, tzinfo=UTC)
    second = datetime(2026, 10, 25, 0, 40, tzinfo=UTC)
    assert time_to_come("1:30", second, LISBON) == datetime(2026, 10, 25, 1, 30, tzinfo=UTC)
    with pytest.raises(Ambiguous, match="has passed"):
        time_to_come("1:30", datetime(2026, 10, 25, 1, 31, tzinfo=UTC), LISBON)


def heard(countdown: Countdown, now: datetime) -> tuple[Countdown, list[tuple[str, str]]]:
    """What it fires, and it once all of that is in the log."""
    told = []
    for fired in countdown.fires(now):
        told.append((fired.type, fired.id))
        countdown = countdown.on_event(Occurrence(micros(fired.at), 1, fired.type, fired.data))
    return countdown, told


def clock_set(countdown: Countdown, by_s: float) -> Countdown:
    return countdown.on_event(Occurrence(0, 1, "tesoura.clock_set", {"by_s": by_s}))


@pytest.mark.parametrize("by_s", [1.0, -1.0, 3600.0, -3600.0])
def test_a_clock_that_is_set_fires_no_mark_and_no_end_again_and_undo_comes_to_the_same(by_s: float) -> None:
    running = after(made(length="2 min", mark_1="1 min"), "start", T)
    running, told = heard(running, T + timedelta(seconds=61))
    assert [kind for kind, _ in told] == ["kettle_break.at_1_min"]
    running = after(running, "add", T + timedelta(seconds=62), by="10 s")
    shifted, now = clock_set(running, by_s), T + timedelta(seconds=62 + by_s)
    assert shifted.read(now)["left_s"] == 68
    assert [kind for kind, _ in heard(shifted, now)[1]] == []
    assert after(shifted, "undo", now).read(now)["left_s"] == 58
    ended, told = heard(clock_set(running, by_s), T + timedelta(seconds=131 + by_s))
    assert [kind for kind, _ in told] == ["kettle_break.at_1_min", "kettle_break.ended"]
    assert heard(clock_set(ended, by_s), T + timedelta(seconds=131 + 2 * by_s))[1] == []


def test_a_mark_that_was_passed_meanwhile_is_not_told_again_by_undo() -> None:
    running = after(made(length="2 min", mark_1="1 min"), "start", T)
    longer = after(running, "add", T + timedelta(seconds=59), by="1 s")
    longer, told = heard(longer, T + timedelta(seconds=61))
    assert len(told) == 1
    now = T + timedelta(seconds=61.5)
    back, told = heard(after(longer, "undo", now), now)
    assert told == []
    assert [kind for kind, _ in heard(back, T + timedelta(seconds=120))[1]] == ["kettle_break.ended"]


def test_an_end_that_came_meanwhile_is_told_when_it_is_undone() -> None:
    running = after(made(length="1 min"), "start", T)
    longer = after(running, "add", T + timedelta(seconds=50), by="5 min")
    now = T + timedelta(seconds=70)
    assert [kind for kind, _ in heard(after(longer, "undo", now), now)[1]] == ["kettle_break.ended"]
