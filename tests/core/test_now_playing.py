"""Now playing: who speaks, what viewers see, what counts, what is left out, and going on after a crash."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.now_playing import KIND
from tesoura.core.instruments.now_playing.commands import NowPlaying
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.core.tracks.track import cover_key, track_of
from tesoura.core.values import Scalar
from tesoura.errors import CommandRefused, InvalidField

T = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
WEATHER: dict[str, Any] = {"title": "Paper Weather", "artists": ["The Slow Kettles"], "length_s": 220}
LIGHTHOUSE: dict[str, Any] = {"title": "Left of the Lighthouse", "artists": ["Ines & the Ladders"], "length_s": 187}


def at(seconds: float) -> datetime:
    return T + timedelta(seconds=seconds)


class Evening:
    """An instrument in a runner, as the engine drives it: each event at its place, what fires logged at once."""

    def __init__(self, scene: str = "", session: datetime | None = None, **typed: str) -> None:
        filled = fill(KIND.fields, typed)
        assert not filled.wrong
        self.setup = Setup("now_playing", "music", filled.choices)
        self.almanac = Almanac(session_began=session)
        self.runner = Runner(self.setup, self.almanac, T)
        self.log: list[Occurrence] = []
        self.values: dict[str, Scalar] = {"scene.present": scene} if scene else {}
        self.now = T

    @property
    def it(self) -> NowPlaying:
        assert isinstance(self.runner.instrument, NowPlaying)
        return self.runner.instrument

    def tell(self, seconds: float, kind: str, source: str = "feed:kettle", /, **data: Any) -> None:
        self.pass_to(seconds)
        self._log(kind, data, source)

    def _log(self, kind: str, data: dict[str, Any], source: str, when: datetime | None = None) -> None:
        event = Occurrence(micros(when or self.now), len(self.log) + 1, kind, data, source)
        self.log.append(event)
        self.runner.take(event, self.now)
        self._ask()

    def _ask(self) -> None:
        self.runner.read(self.now, self.values)
        for one in self.runner.fires(self.now):
            self._log(one.type, dict(one.data), "instrument:music", one.at)

    def pass_to(self, seconds: float) -> None:
        """Let time go by, asked when it wished to be."""
        while (due := self.runner.next_change(self.now)) is not None and due <= at(seconds):
            assert due > self.now
            self.now = due
            self._ask()
        self.now = at(seconds)
        self._ask()

    def do(self, seconds: float, command: str, **given: Any) -> str:
        self.pass_to(seconds)
        step = self.runner.attempt(Command(command, given), self.now)
        self._log("tesoura.command.music", {"command": command, **step.given}, "tesoura")
        return step.effect

    def read(self, seconds: float, *names: str) -> Any:
        self.pass_to(seconds)
        told = self.it.read(self.now)
        found = tuple(told[name] for name in names)
        return found if len(found) > 1 else found[0]

    def played(self) -> list[str]:
        return [str(one.data["title"]) for one in self.log if one.type == "music.played"]


def test_a_song_is_told_as_far_as_it_is_known() -> None:
    evening = Evening()
    assert evening.read(0, "state", "title", "there", "played_count") == ("nothing", None, False, 0)
    evening.tell(1, "track.start", **WEATHER, album="Eaves", position_s=10, next_title="Rope Trick at Noon")
    told = evening.it.read(at(63))
    names = ("text", "album", "position", "left", "time", "left_time", "share", "next")
    assert {name: told[name] for name in names} == {
        "text": "Paper Weather – The Slow Kettles",
        "album": "Eaves",
        "position": 72,
        "left": 148,
        "time": "1:12",
        "left_time": "2:28",
        "share": 0.3273,
        "next": "Rope Trick at Noon",
    }
    assert (told["source"], told["state"], told["there"]) == ("Kettle", "playing", True)


def test_the_bar_is_told_once_and_again_only_when_somebody_touches_the_song() -> None:
    evening = Evening()
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    moves = f"0.000|220|1|{micros(T) // 1_000}"
    assert [evening.read(one, "motion") for one in (0.5, 30, 100)] == [moves] * 3
    evening.tell(101, "track.pause", position_s=101)
    assert evening.read(102, "motion") == f"101.000|220|0|{micros(at(101)) // 1_000}"


def test_it_leaves_some_seconds_after_a_pause_and_comes_back_with_the_music() -> None:
    evening = Evening(leaves_after_s="6")
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    evening.tell(50, "track.pause")
    assert evening.read(55.9, "there", "state", "position") == (True, "paused", 50)
    assert evening.read(56, "there", "title") == (False, "Paper Weather")
    evening.tell(200, "track.resume")
    assert evening.read(203, "there", "position") == (True, 53)


def test_nothing_is_told_of_music_that_was_stopped() -> None:
    evening = Evening(leaves_after_s="6")
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    evening.tell(50, "track.stop")
    assert evening.read(52, "there", "title") == (True, "Paper Weather")
    assert evening.read(56, "there", "title", "state", "motion") == (False, None, "nothing", None)


def test_on_change_it_is_shown_for_a_while() -> None:
    evening = Evening(when="change", change_s="10")
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    assert [evening.read(one, "there") for one in (9.9, 10, 100)] == [True, False, False]
    evening.tell(110, "track.start", **LIGHTHOUSE, position_s=0)
    assert evening.read(111, "there") is True


def test_when_asked_it_is_shown_for_a_while_and_only_then() -> None:
    evening = Evening(when="asked", asked_s="15")
    with pytest.raises(CommandRefused, match="Nothing is playing, so there is nothing to show"):
        evening.do(0, "show")
    evening.tell(1, "track.start", **WEATHER, position_s=0)
    assert evening.read(2, "there") is False
    assert evening.do(3, "show") == "on screen for 15 s"
    assert [evening.read(one, "there") for one in (17.9, 18)] == [True, False]


def test_what_holds_may_differ_by_scene() -> None:
    evening = Evening("Play", when="change", always_in="Talk, Break", never_in="wheel")
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    assert evening.read(60, "there") is False
    for scene, there in (("talk", True), ("Wheel", False), ("Play", False), ("Break", True)):
        evening.values["scene.present"] = scene
        assert evening.read(61, "there") is there


def test_a_scene_that_stands_under_two_choices_is_refused() -> None:
    choices = fill(KIND.fields, {"always_in": "Talk", "asked_in": "talk"}).choices
    assert KIND.check(choices) == {"asked_in": "The scene talk is already under “while music plays” already."}


# What counts


def test_a_track_counts_after_half_its_length() -> None:
    evening = Evening()
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    assert evening.read(109.9, "played_count") == 0
    assert evening.read(110, "played_count", "before") == (1, None)
    evening.tell(215, "track.start", **LIGHTHOUSE, position_s=0)
    assert evening.read(216, "before") == "Paper Weather – The Slow Kettles"
    (record,) = evening.runner.new_records
    assert (record.record.kind, record.record.at) == ("played", T)
    assert record.record.data == {
        "title": "Paper Weather",
        "artists": "The Slow Kettles",
        "length_s": 220.0,
        "source": "Kettle",
    }


def test_a_long_one_and_one_without_an_end_count_after_four_minutes() -> None:
    for length in ({"length_s": 3_600}, {}, {"kind": "stream"}):
        evening = Evening()
        evening.tell(0, "track.start", title="Kettle Radio", **length)
        assert [evening.read(one, "played_count") for one in (239.9, 240)] == [0, 1]


def test_time_that_stood_still_or_was_jumped_over_was_not_played() -> None:
    evening = Evening()
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    evening.tell(10, "track.seek", position_s=200)
    evening.tell(12, "track.pause")
    evening.tell(600, "track.resume", position_s=20)
    # 12 s were heard, so 98 are missing.
    assert [evening.read(one, "played_count") for one in (697.9, 698)] == [0, 1]


def test_what_was_joined_near_its_end_does_not_count_though_nothing_is_said_after_it() -> None:
    evening = Evening()
    evening.tell(0, "track.start", title="Short", length_s=40, position_s=25)
    # 15 s of it were left, and half of it are 20.
    assert evening.read(100, "played_count", "title") == (0, None)


def test_what_counted_in_the_last_breath_is_counted_though_the_next_has_begun() -> None:
    evening = Evening()
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    # Both come in one batch: nobody asked in between.
    evening.runner.take(
        Occurrence(micros(at(111)), 2, "track.start", {**LIGHTHOUSE, "position_s": 0}, "feed:kettle"), at(111)
    )
    (counted, changed) = evening.runner.fires(at(111))
    assert (counted.type, counted.data["title"], counted.at) == ("music.played", "Paper Weather", at(110))
    assert (changed.type, changed.data["title"]) == ("music.changed", "Left of the Lighthouse")


def test_a_session_counts_its_own() -> None:
    evening = Evening(session=at(300))
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    evening.tell(220, "track.stop")
    evening.tell(400, "track.start", **LIGHTHOUSE, position_s=0)
    assert evening.read(560, "played_count") == 1
    assert evening.played() == ["Paper Weather", "Left of the Lighthouse"]


def test_the_same_track_right_after_itself_is_played_twice() -> None:
    evening = Evening()
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    evening.tell(220, "track.start", **WEATHER, position_s=0)
    evening.pass_to(400)
    assert evening.played() == ["Paper Weather"] * 2


def test_a_source_that_is_only_opened_anew_begins_no_track() -> None:
    evening = Evening()
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    evening.tell(50, "track.start", **WEATHER, position_s=51)
    evening.pass_to(115)
    assert evening.played() == ["Paper Weather"]
    evening.pass_to(219)
    assert evening.played() == ["Paper Weather"]


# Sources


def test_the_first_in_the_order_that_plays_speaks() -> None:
    evening = Evening()
    evening.tell(0, "track.start", "feed:radio", **LIGHTHOUSE, position_s=0)
    evening.tell(5, "track.start", "feed:kettle", **WEATHER, position_s=0)
    assert evening.read(6, "source") == "Radio"
    assert evening.do(7, "prefer", source="KETTLE", at="0") == "Kettle is first"
    assert evening.read(8, "source") == "Kettle"
    assert evening.it.why(at(8)) == "Current source: Kettle, the first of 2 that are playing."
    evening.tell(9, "track.pause", "feed:kettle")
    assert evening.read(10, "source", "there") == ("Radio", True)
    assert evening.it.why(at(10)) == "Current source: Radio. Nothing else is playing."
    evening.tell(11, "track.pause", "feed:radio")
    assert evening.read(12, "source", "state") == ("Radio", "paused")
    assert evening.it.why(at(12)) == "Radio is paused and nothing else is playing."


def test_several_players_of_one_source_are_told_apart() -> None:
    evening = Evening()
    evening.tell(0, "track.start", "feed:here", **WEATHER, position_s=0, player="Kettle")
    evening.tell(2, "track.start", "feed:here", **LIGHTHOUSE, position_s=0, player="Ladder")
    assert [one["label"] for one in evening.it.view(at(3))["sources"]] == ["Kettle", "Ladder"]
    evening.do(4, "prefer", source="ladder", at=0)
    assert evening.read(5, "title") == "Left of the Lighthouse"


def test_the_same_track_from_two_sources_is_one_and_counts_once() -> None:
    evening = Evening()
    evening.tell(
        0, "track.start", "feed:history", title="Paper weather", artists=["The Slow Kettles"], cover="http://x/c"
    )
    evening.tell(3, "track.start", "feed:kettle", **WEATHER, position_s=3)
    assert evening.do(4, "prefer", source="kettle", at=0) == "Kettle is first"
    evening.tell(5, "track.stop", "feed:kettle")
    evening.pass_to(400)
    assert evening.played() == ["Paper weather"]
    assert [one.type for one in evening.log].count("music.changed") == 1


def test_what_only_another_knows_who_tells_of_the_same_is_told_too() -> None:
    evening = Evening()
    evening.tell(0, "track.start", "feed:kettle", title="Paper Weather", position_s=0)
    evening.tell(1, "track.start", "feed:history", **WEATHER, album="Eaves")
    assert evening.read(2, "source", "album", "artists", "length") == ("Kettle", "Eaves", "The Slow Kettles", 220)


def test_a_source_can_be_left_unheard() -> None:
    evening = Evening()
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    assert evening.do(1, "silence", source="kettle") == "Kettle is ignored"
    assert evening.it.why(at(2)) == "Kettle plays, and is ignored."
    assert evening.read(20, "title") is None
    evening.do(21, "hear", source="kettle")
    assert evening.read(22, "title") == "Paper Weather"
    with pytest.raises(InvalidField, match="Known ones: Kettle"):
        evening.do(23, "prefer", source="nobody")


def test_by_hand_counts_like_any_other() -> None:
    evening = Evening()
    said = evening.do(0, "play", title="Borrowed Umbrella", artists="Kilometre Club, Ines", length="3:20")
    assert said == "Borrowed Umbrella – Kilometre Club, Ines plays"
    assert evening.read(60, "artists", "left_time", "source") == ("Kilometre Club, Ines", "2:20", "by hand")
    evening.do(150, "stop")
    assert evening.played() == ["Borrowed Umbrella"]
    for wrong, words in (({"title": " "}, "Give the title"), ({"title": "x", "length": "long"}, "” is not a length")):
        with pytest.raises(InvalidField, match=words):
            evening.do(151, "play", **wrong)
    with pytest.raises(CommandRefused, match="No track is set by hand"):
        evening.do(152, "stop")


def test_a_player_that_vanishes_in_mid_song_is_gone_like_one_that_paused() -> None:
    evening = Evening(leaves_after_s="6")
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    evening.tell(20, "tesoura.feed", "somebody", feed="kettle", state="down")
    assert evening.read(21, "state") == "playing"
    evening.tell(50, "tesoura.feed", "tesoura", feed="kettle", state="down", why="No answer")
    evening.tell(51, "tesoura.feed", "feed:other", feed="radio", state="down")
    assert evening.read(54, "there", "state", "position") == (True, "paused", 50)
    assert evening.read(57, "there", "title") == (False, None)
    assert evening.it.why(at(57)) == "Kettle can't be reached now."
    # Back, it tells where it is: the song goes on, and what was heard before counts.
    evening.tell(58, "track.start", **WEATHER, position_s=58)
    assert evening.read(60, "there", "position") == (True, 60)


def test_a_song_whose_source_says_nothing_past_its_end_is_over() -> None:
    evening = Evening(leaves_after_s="6")
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    assert evening.read(230, "position", "left", "share") == (220, 0, 1.0)
    assert evening.read(241.5, "title", "state") == (None, "nothing")
    assert evening.it.view(at(242))["why"] == "The track of Kettle has ended and no other track was reported."
    # It was longer than was told: whoever touches it brings it back.
    evening.tell(250, "track.seek", position_s=215)
    assert evening.read(251, "title", "position", "there") == ("Paper Weather", 216, True)


def test_many_changes_in_a_second_show_the_first_at_once_and_then_the_last() -> None:
    evening = Evening()
    shown = []
    for number in range(50):
        evening.tell(number * 0.02, "track.start", title=f"Song {number}", position_s=0)
        shown.append(evening.read(number * 0.02, "title"))
    assert set(shown) == {"Song 0"}
    assert evening.read(1.0, "title") == "Song 49"
    assert [one.data["title"] for one in evening.log if one.type == "music.changed"] == ["Song 0", "Song 49"]


# What is left out


@pytest.mark.parametrize(
    ("data", "why"),
    [
        ({"title": "Buy tea", "kind": "advertisement", "length_s": 30}, "it's an advertisement"),
        ({"title": "Skips jingles and clips", "length_s": 12}, "it is shorter than 30 s"),
        ({"title": "Paper Weather (KARAOKE)"}, "it has the word “karaoke”"),
    ],
)
def test_what_is_left_out_by_rule_is_neither_shown_nor_counted(data: dict[str, Any], why: str) -> None:
    evening = Evening(words="karaoke, live recording")
    evening.tell(0, "track.start", **data, position_s=0)
    assert evening.read(300, "title", "played_count") == (None, 0)
    evening.tell(301, "track.start", **data, position_s=0)
    assert evening.it.why(at(302)) == f"Kettle plays “{data['title']}”, which is ignored: {why}."


def test_not_this_one_is_remembered_and_can_be_taken_back() -> None:
    evening = Evening(leaves_after_s="0")
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    assert evening.do(5, "not_this") == "“Paper Weather – The Slow Kettles” is now ignored"
    assert evening.read(6, "there", "title") == (False, None)
    evening.tell(300, "track.start", "feed:other", **WEATHER, position_s=0)
    assert evening.read(301, "title") is None
    assert evening.do(302, "allow") == "“Paper Weather – The Slow Kettles” is shown again"
    assert evening.read(303, "there", "title") == (True, "Paper Weather")


# Covers


def test_a_cover_joins_when_it_has_come_and_colours_with_it() -> None:
    evening = Evening()
    evening.tell(0, "track.start", **WEATHER, position_s=0, cover="http://127.0.0.1:9/c.png")
    assert evening.read(1, "cover", "tint") == (None, None)
    told = {"of": "of another", "file": "a.webp", "colours": ["#102030", "#FFFFFF", "#FFCC00", "#DDDDDD"]}
    evening.tell(2, "tesoura.cover", "tesoura", **told)
    assert evening.read(3, "cover") is None
    mine = {**told, "of": cover_key(track_of({**WEATHER, "cover": "http://127.0.0.1:9/c.png"}))}
    evening.tell(4, "tesoura.cover", "feed:kettle", **mine)
    assert evening.read(5, "cover") is None
    evening.tell(6, "tesoura.cover", "tesoura", **mine)
    assert evening.read(7, "cover", "tint") == ("a.webp", "#102030 #FFFFFF #FFCC00 #DDDDDD")


# The log, the clock, a crash


def test_after_a_start_nothing_is_taken_for_true_until_it_is_heard_again() -> None:
    evening = Evening(leaves_after_s="6")
    evening.tell(0, "track.start", **WEATHER, position_s=0)
    evening.tell(60, "track.seek", position_s=60)
    evening.tell(100, "tesoura.started", "tesoura")
    assert evening.read(107, "there", "title") == (False, None)
    evening.tell(120, "track.start", **WEATHER, position_s=120)
    # 60 s are known to have been heard, so 50 are missing.
    assert [evening.read(one, "played_count") for one in (169.9, 170)] == [0, 1]


def test_a_clock_that_was_set_back_moves_nothing() -> None:
    evening = Evening()
    evening.tell(100, "track.start", **WEATHER, position_s=0)
    evening.pass_to(110)
    evening.now = at(50)
    evening._log("tesoura.clock_set", {"by_s": -60.0}, "tesoura", at(50))
    assert evening.it.read(at(55))["position"] == 15
    assert evening.it.read(at(55))["there"] is True


def test_what_comes_late_changes_nothing_that_came_after_it() -> None:
    evening = Evening()
    evening.tell(100, "track.start", **WEATHER, position_s=0)
    evening.pass_to(110)
    evening._log("track.start", {**LIGHTHOUSE, "position_s": 0}, "feed:kettle", at(50))
    assert evening.read(111, "title") == "Paper Weather"


def test_an_unknown_command_is_refused_with_those_there_are() -> None:
    with pytest.raises(CommandRefused, match="Choose one of these: allow, hear, not_this"):
        Evening().do(0, "sing")


@pytest.mark.parametrize("seed", range(40))
def test_it_comes_to_the_same_live_from_the_log_and_from_a_snapshot(seed: int) -> None:
    chance, evening = random.Random(seed), Evening(leaves_after_s="6", words="karaoke")
    saved: tuple[int, dict[str, Any]] | None = None
    now = 0.0
    for step in range(60):
        now += chance.choice((0, 0.02, 0.4, 3, 30, 130, 400))
        source = chance.choice(("feed:kettle", "feed:radio", "feed:history"))
        data: dict[str, Any] = chance.choice((WEATHER, LIGHTHOUSE, {"title": "Karaoke"}, {"title": "Radio"}))
        place = chance.choice(({}, {"position_s": chance.choice((0, 3, 100, 219, 999))}))
        if (kind := chance.randrange(9)) < 3:
            evening.tell(now, "track.start", source, **data, **place)
        elif kind < 6:
            evening.tell(
                now, chance.choice(("track.pause", "track.resume", "track.seek", "track.stop")), source, **place
            )
        elif kind == 6:
            evening.tell(now, "tesoura.feed", "tesoura", feed="radio", state="down")
        elif kind == 7 and evening.it.sources:
            evening.do(now, "prefer", source=chance.choice(list(evening.it.sources)), at=0)
        else:
            evening.tell(now, "tesoura.started", "tesoura")
        if step == 30:
            saved = (len(evening.log), evening.it.saved())
    anew = Runner(evening.setup, evening.almanac, T)
    for event in evening.log:
        anew.take(event, evening.now)
    again = Runner(evening.setup, evening.almanac, T)
    assert saved is not None
    again.restore(saved[1])
    for event in evening.log[saved[0] :]:
        again.take(event, evening.now)
    told = evening.it.read(evening.now)
    for runner in (anew, again):
        assert runner.instrument.read(evening.now) == told
        assert runner.instrument.view(evening.now) == evening.it.view(evening.now)
        ids = {one.id for one in runner.fires(evening.now)}
        assert not {one for one in ids if one.startswith("played:")}
