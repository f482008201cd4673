"""Lines of chat: strangers' names and texts made harmless, what goes out kept to one line, and the pace."""

from __future__ import annotations

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.chat import MODERATOR, STREAMER, SUBSCRIBER, Pace, emotes_in, name_of_line, outgoing, roles_of, tidy


@pytest.mark.parametrize(
    ("said", "shown"),
    [
        ("good evening", "good evening"),
        ("  two   blanks\tand a tab ", "two blanks and a tab"),
        ("\x0304,01red\x03 and \x02loud\x02 and \x1dslanted\x0f", "red and loud and slanted"),
        ("\u202edesrever", "desrever"),
        ("a\u200bb\u2060c\ufeffd", "abcd"),
        ("line one\u2028line two", "line one line two"),
        ("one\r\nQUIT :two", "one QUIT :two"),
        ("z" + "\u0335" * 9 + "!", "z" + "\u0335" * 3 + "!"),
        ("cafe\u0301", "café"),
        ("نص عربي", "نص عربي"),
        ("👩\u200d🚒 up", "👩\u200d🚒 up"),
        ("\x00\x07", ""),
    ],
)
def test_what_is_not_seen_is_taken_out_of_a_line_and_what_is_read_stays(said: str, shown: str) -> None:
    assert tidy(said) == shown


def test_a_line_too_long_ends_in_an_ellipsis() -> None:
    assert tidy("a" * 501) == "a" * 499 + "…"
    assert tidy("a" * 500) == "a" * 500


def test_a_name_of_five_hundred_characters_has_sixty_and_one_of_nothing_is_somebody() -> None:
    assert name_of_line("n" * 500) == "n" * 59 + "…"
    assert name_of_line("\u200b\x02") == "somebody"


@given(st.text(max_size=700))
def test_no_line_whatever_was_typed_has_a_break_or_a_mark_that_turns_it_around(said: str) -> None:
    for text in (tidy(said), outgoing(said, 400)):
        kinds = {unicodedata.category(char) for char in text.removeprefix("\u2060")} - {"Cf"}
        assert "Cc" not in kinds
        assert not set(text) & set("\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069\u200e\u200f\u2028\u2029")
        assert len(tidy(said)) <= 500
        assert len(outgoing(said, 400).encode()) <= 400


def test_what_goes_out_is_cut_at_a_character_and_never_a_command_of_the_chat() -> None:
    assert outgoing("ä" * 10, 11) == "ä" * 4 + "…"
    assert outgoing("/ban mara_vane", 400) == "\u2060/ban mara_vane"
    assert outgoing(".w somebody", 400) == "\u2060.w somebody"
    assert outgoing("thanks,\r\nJOIN #pier", 400) == "thanks, JOIN #pier"


WORDS = {MODERATOR: "moderator, mod", SUBSCRIBER: "subscriber", STREAMER: "streamer broadcaster"}


@pytest.mark.parametrize(
    ("told", "marks", "is_streamer", "roles"),
    [
        ("", "", False, ()),
        ("Subscriber/12,Mod/1", "", False, (MODERATOR, SUBSCRIBER)),
        ("submariner", "", False, ()),
        ("", "@+", False, (MODERATOR, SUBSCRIBER)),
        ("", "~", False, (STREAMER,)),
        ("", "", True, (STREAMER,)),
    ],
)
def test_roles_come_from_words_of_a_tag_signs_in_the_channel_and_the_streamers_own_name(
    told: str, marks: str, is_streamer: bool, roles: tuple[str, ...]
) -> None:
    assert roles_of(told, marks, WORDS, is_streamer) == roles


def test_emotes_are_words_that_the_chat_names_or_places_and_those_between_colons() -> None:
    assert emotes_in("hi :kite: and Kitey", "Kitey,Other") == (":kite:", "Kitey")
    assert emotes_in("Kitey up Kitey", "25:0-4,9-13") == ("Kitey",)
    assert emotes_in("short", "7:0-99") == ()
    assert emotes_in("12:30: not one", "") == ()


def test_the_pace_lets_three_lines_through_in_thirty_seconds_and_the_fourth_when_the_first_is_past() -> None:
    pace = Pace(3, 30.0)
    for at in (100.0, 101.0, 110.0):
        assert pace.wait_s(at) == 0.0
        pace = pace.spoken(at)
    assert pace.used(112.0) == 3
    assert pace.wait_s(112.0) == 18.0
    assert pace.wait_s(130.0) == 0.0
    assert pace.used(131.5) == 1


def test_when_the_chat_says_it_was_too_much_a_whole_stretch_passes() -> None:
    assert Pace(5, 30.0).held(50.0).wait_s(60.0) == 20.0


@given(st.integers(1, 6), st.lists(st.floats(0, 40), max_size=60))
def test_never_more_lines_than_the_pace_within_any_stretch(lines: int, gaps: list[float]) -> None:
    pace, now, said = Pace(lines, 30.0), 0.0, list[float]()
    for gap in gaps:
        now += gap
        if pace.wait_s(now) == 0.0:
            pace = pace.spoken(now)
            said.append(now)
    for at in said:
        assert sum(at <= other < at + 30.0 for other in said) <= lines
