"""Tracks: what players tell becomes events; the colours of a cover; lists of what was played."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tesoura.core.overlays.fit.colours import contrast, rgb
from tesoura.core.tracks.course import PlayerReport, TrackCourse
from tesoura.core.tracks.palette import oklab, palette, tint
from tesoura.core.tracks.track import Track, seconds_of, track_of

WEATHER = {"title": "Paper Weather", "artists": ["The Slow Kettles"], "length_s": 220.0}
LIGHTHOUSE = {"title": "Left of the Lighthouse", "artists": ["Ines & the Ladders"], "length_s": 187.0}
Told = tuple[float, dict[str, Any], bool, float | None]


def course(*told: Told) -> list[tuple[str, float | None]]:
    """The types of the events that follow from reports, each with its place."""
    it = TrackCourse()
    events = [
        one for at, details, playing, place in told for one in it.after(PlayerReport(details, playing, place), at)
    ]
    return [(kind.removeprefix("track."), data.get("position_s")) for kind, data in events]


def test_a_player_that_is_asked_again_and_again_tells_each_thing_once() -> None:
    assert course(
        (0, WEATHER, True, 0.0),
        (1, WEATHER, True, 1.0),
        (2, WEATHER, True, 2.9),
        (3, WEATHER, False, 3.0),
        (9, WEATHER, False, 3.0),
        (10, WEATHER, True, 3.0),
        (11, WEATHER, True, 90.0),
        (12, LIGHTHOUSE, True, 0.4),
        (13, {}, False, None),
        (14, {}, False, None),
    ) == [("start", 0.0), ("pause", 3.0), ("resume", 3.0), ("seek", 90.0), ("start", 0.4), ("stop", None)]


def test_the_same_track_right_after_itself_begins_anew() -> None:
    assert course((0, WEATHER, True, 216.0), (5, WEATHER, True, 0.5)) == [("start", 216.0), ("start", 0.5)]
    # From its middle it was only moved back.
    assert course((0, WEATHER, True, 100.0), (5, WEATHER, True, 0.5)) == [("start", 100.0), ("seek", 0.5)]


def test_what_becomes_known_later_is_told_with_where_it_is() -> None:
    it = TrackCourse("kettle player")
    it.after(PlayerReport({"title": "Paper Weather"}, True, 0.0), 0)
    later = PlayerReport({"title": "Paper Weather", "album": "Eaves", "cover": "http://x/c.png"}, True, 1.0)
    assert it.after(later, 1) == [
        ("track.seek", {"album": "Eaves", "cover": "http://x/c.png", "position_s": 1.0, "player": "kettle player"})
    ]
    assert it.after(later, 1.1) == []


def test_a_track_that_stands_still_at_first_says_so() -> None:
    (event,) = TrackCourse().after(PlayerReport(WEATHER, False, 12.0), 0)
    assert event == ("track.start", {**WEATHER, "position_s": 12.0, "paused": True})


def test_a_players_own_id_tells_two_tracks_of_one_name_apart() -> None:
    one, other = ({**WEATHER, "track": id} for id in ("a", "b"))
    assert course((0, one, True, 3.0), (1, other, True, 4.0)) == [("start", 3.0), ("start", 4.0)]


@pytest.mark.parametrize(
    ("told", "track"),
    [
        ({"title": " Paper\n Weather ", "artists": "The Slow Kettles"}, Track("Paper Weather", ("The Slow Kettles",))),
        ({"title": "x", "artists": ["a", "a", "", None, 3]}, Track("x", ("a", "3"))),
        ({"title": "x", "length_s": -1}, Track("x")),
        ({"title": "x", "length_s": "nan"}, Track("x")),
        ({"title": "x", "length_s": 0}, Track("x")),
        ({"title": "x", "length_s": True}, Track("x")),
        ({"title": "x", "length_s": 1e12}, Track("x")),
        ({"title": "x", "kind": "stream", "length_s": 30}, Track("x", kind="stream")),
        ({"title": "x", "kind": "opera"}, Track("x")),
        ({"title": ["no"], "artists": {"no": 1}}, Track()),
        ({"title": "x", "cover": "http://a/\nb", "link": 7}, Track("x")),
        ({"title": "x", "next_title": "y", "next_artists": ["z", "w"]}, Track("x", next="y – z, w")),
        ({"title": "<b>x</b> 🪁"}, Track("<b>x</b> 🪁")),
    ],
)
def test_what_a_player_tells_is_cleaned(told: dict[str, Any], track: Track) -> None:
    assert track_of(told) == track


def test_a_title_of_two_thousand_characters_is_cut() -> None:
    assert len(track_of({"title": "ä" * 2_000}).title) == 200


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        (Track("Paper Weather", ("The Slow Kettles",)), Track("PAPER WEATHER", ("the slow kettles", "Ines")), True),
        (Track("Paper Weather"), Track("Paper Weather", ("The Slow Kettles",)), True),
        (Track("Paper Weather", ("A",)), Track("Paper Weather", ("B",)), False),
        (Track("Paper Weather", length_s=220), Track("Paper Weather", length_s=224), True),
        (Track("Paper Weather", length_s=220), Track("Paper Weather", length_s=260), False),
        (Track("Cafe\u0301"), Track("Café"), True),
    ],
)
def test_the_same_track_from_two_sources_is_one(one: Track, other: Track, same: bool) -> None:
    assert one.same(other) is same
    assert other.same(one) is same


def test_one_source_fills_what_the_other_does_not_know() -> None:
    known = Track("Paper Weather", cover="http://x/c.png").filled_from(Track("paper weather", ("K",), "Eaves", 220.0))
    assert known == Track("Paper Weather", ("K",), "Eaves", 220.0, "http://x/c.png")


def test_seconds_are_numbers_or_texts_that_are_plainly_some() -> None:
    assert [seconds_of(one) for one in (3, "3.5", 0, "", None, -1, "x", False)] == [
        3,
        3.5,
        0,
        None,
        None,
        None,
        None,
        None,
    ]


# Colours


def test_oklab_is_the_published_one() -> None:
    # Values of white, pure red and pure blue from the description of the space.
    assert oklab((255, 255, 255)) == pytest.approx((1.0, 0.0, 0.0), abs=1e-3)
    assert oklab((255, 0, 0)) == pytest.approx((0.628, 0.225, 0.126), abs=1e-3)
    assert oklab((0, 0, 255)) == pytest.approx((0.452, -0.032, -0.312), abs=1e-3)


def test_a_palette_has_what_there_is_most_of_first() -> None:
    pixels = [(20, 60, 120)] * 60 + [(230, 180, 60)] * 30 + [(250, 250, 250)] * 10
    found = palette(pixels)
    assert [one.share for one in found] == [0.6, 0.3, 0.1]
    # Colours are gathered in steps of eight.
    assert [tuple(channel // 8 for channel in one.rgb) for one in found] == [(2, 7, 15), (28, 22, 7), (31, 31, 31)]
    assert palette([]) == ()
    assert tint(()) is None


def test_one_colour_alone_gives_a_card_that_can_be_read() -> None:
    made = tint(palette([(128, 128, 128)] * 9))
    assert made is not None
    assert contrast(rgb(made.text), rgb(made.backing)) >= 7


_channel = st.integers(0, 255)
_colour = st.tuples(_channel, _channel, _channel)


@given(st.lists(st.tuples(_colour, st.integers(1, 400)), min_size=1, max_size=24))
def test_every_cover_gives_colours_that_can_be_read(areas: list[tuple[tuple[int, int, int], int]]) -> None:
    found = palette(colour for colour, count in areas for _ in range(count))
    assert abs(sum(one.share for one in found) - 1) < 1e-9
    assert 1 <= len(found) <= 6
    made = tint(found)
    assert made is not None
    for words in (made.text, made.accent, made.quiet):
        assert contrast(rgb(words), rgb(made.backing)) >= 4.5
