"""Replays: what deserves one, what is asked for, what waits for the right moment, and what is told when it passes."""

from __future__ import annotations

import json
import random
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.base import Fired
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.replay import KIND
from tesoura.core.instruments.replay.commands import Replays
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.core.instruments.statistics import KIND as STATISTICS
from tesoura.core.values import Scalar
from tesoura.errors import CommandRefused, InvalidField

T0 = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
S = 1_000_000
MINE = {"actor": "mara_vane", "target": "otto_knot", "means": "glass line"}
GAME = fill(STATISTICS.fields, {"title": "Game", "player": "mara_vane", "without_tags": "gust bonus"}).choices


class Again:
    """Replays, and the time of day. With `comes`, a clip of all that is wished for is there a second later."""

    def __init__(self, comes: bool = True, **choices: Any) -> None:
        given = {
            "title": "Again",
            "counted_by": "game",
            "source": "picture",
            "kills": "3",
            "within_s": "8",
            "before_s": "4",
            "after_s": "2",
            "shown": "at once",
            "gap_s": "0",
            **choices,
        }
        filled = fill(KIND.fields, given)
        assert filled.wrong == {}
        self.almanac = Almanac(shared={"game": GAME})
        self.setup = Setup("replay", "again", filled.choices)
        self.runner, self.now, self.seq = Runner(self.setup, self.almanac, T0), T0, 0
        self.values: dict[str, Scalar] = {"scene.present": "Play"}
        self.log: list[Occurrence] = []
        self.told: list[Fired] = []
        self.comes = comes
        self.due: list[tuple[datetime, Mapping[str, Any]]] = []

    @property
    def it(self) -> Replays:
        """Them as they stand."""
        return self.runner.instrument  # type: ignore[return-value]

    def hear(self, kind: str, after_s: float = 0, source: str = "", **data: Any) -> Again:
        """An event comes."""
        self.wait(after_s)
        self.seq += 1
        event = Occurrence(micros(self.now), self.seq, kind, data, source)
        self.log.append(event)
        self.runner.take(event, self.now)
        self.runner.read(self.now, self.values)
        return self

    def kills(self, *after_s: float) -> Again:
        """The streamer's kills, each so long after the one before."""
        for one in after_s:
            self.hear("kill", one, **MINE)
        return self

    def do(self, command: str, **given: Any) -> str:
        """A command: tried, then heard from the log; its words."""
        step = self.runner.attempt(Command(command, given), self.now)
        self.hear("tesoura.command.again", command=command, **step.given)
        self.wait(0)
        return step.effect

    def sees(self, **values: Scalar) -> Again:
        """The scene or another signal is so from now on."""
        self.values |= {name.replace("__", "."): value for name, value in values.items()}
        self.runner.read(self.now, self.values)
        self.wait(0)
        return self

    def clip(self, of: str, begin: int, end: int) -> Again:
        """The clip that was asked for has come: it shows from one instant to another."""
        return self.hear(
            "tesoura.clip", instrument="again", of=of, clip=7, file="f.mp4", length=end - begin, shows_from=begin
        )

    def wait(self, seconds: float) -> Again:
        """Time passes; what they tell comes into the log, and clips come."""
        until = self.now + timedelta(seconds=seconds)
        while True:
            for one in self.runner.fires(self.now):
                self._log(one)
            due = [at for at, _ in self.due]
            change = self.runner.next_change(self.now)
            following = min((at for at in (*due, *((change,) if change else ()))), default=None)
            if following is None or following > until:
                break
            self.now = max(following, self.now)
            self.runner.read(self.now, self.values)
            came, self.due = ([one for one in self.due if (one[0] <= self.now) is due] for due in (True, False))
            for _, wish in came:
                self.clip(wish["of"], wish["parts"][0][0], wish["parts"][-1][1])
        self.now = until
        self.runner.read(self.now, self.values)
        return self

    def _log(self, one: Fired) -> None:
        self.told.append(one)
        self.hear(one.type, 0, "instrument:again", **one.data)
        if one.type == "again.wanted" and self.comes:
            self.due.append((self.now + timedelta(seconds=1), one.data))

    def what(self, kind: str) -> list[Mapping[str, Any]]:
        """What was told of a kind."""
        return [one.data for one in self.told if one.type == f"again.{kind}"]

    def reasons(self) -> list[str]:
        """Why those that passed did."""
        return [str(one["why"]) for one in self.what("passed")]

    def motion(self) -> Mapping[str, Any]:
        """How what is seen goes."""
        told: Mapping[str, Any] = json.loads(str(self.it.read(self.now)["motion"]))
        return told


def at(seconds: float) -> int:
    return micros(T0) + round(seconds * S)


def test_three_kills_ask_for_their_seconds_once_no_fourth_can_belong_to_them() -> None:
    again = Again(comes=False).kills(10, 3, 3)
    assert again.wait(7.9).what("wanted") == []
    (wish,) = again.wait(0.2).what("wanted")
    assert (wish["kills"], wish["seconds"], wish["caption"]) == (3, 6, "3 cuts in 6 s")
    # 4 s before the first to 2 s after the last: the kills are so close that nothing between is left out.
    assert wish["parts"] == [[at(6), at(18)]]
    (fired,) = again.told
    assert [(one.kind, one.target, one.data["from"], one.data["until"]) for one in fired.effects] == [
        ("clip", "picture", at(6), at(18))
    ]
    assert fired.cause == 3


def test_which_kills_count_is_the_statistics_own_rule() -> None:
    again = Again()
    for _ in range(3):
        again.hear("kill", 1, actor="otto_knot", target="mara_vane")
        again.hear("kill", 1, **MINE, tags=["gust bonus"])
        again.hear("kill", 1, **MINE, warm_up=True)
    assert again.wait(60).what("wanted") == []
    assert again.kills(1, 1, 1).wait(60).what("wanted")[0]["kills"] == 3


def test_an_event_with_conditions_deserves_one_too() -> None:
    again = Again(when="gift", kills="1", counted_by="", field_1="amount", how_1="at least", value_1="50")
    again.hear("gift", 1, amount=20).hear("gift", 30, amount=60)
    assert [one["kills"] for one in again.wait(30).what("wanted")] == [1]


def test_what_is_told_of_long_after_it_happened_deserves_none() -> None:
    again = Again().wait(200)
    for ago in (99, 98, 97):
        again.seq += 1
        event = Occurrence(at(200 - ago), again.seq, "kill", MINE)
        again.runner.take(event, again.now)
    assert again.wait(60).told == []


def test_two_runs_of_two_kills_are_no_run_of_three() -> None:
    assert Again().kills(1, 5, 30, 5).wait(60).what("wanted") == []


def test_a_replay_is_shown_once_its_clip_is_there_and_says_how_it_goes() -> None:
    again = Again(caption="{kills} in {seconds} s, {means}", slow_pct="50", around_s="1", closer_pct="200", x_pct="30")
    again.kills(10, 4, 4).wait(9.2)
    (begun,) = again.what("begun")
    assert (begun["clip"], begun["kills"], begun["caption"]) == (7, 3, "3 in 8 s, glass line")
    told = again.motion()
    # Of 14 s the 6 s around three kills are shown at half the speed: 8 + 12.
    assert (told["clip"], told["ms"], told["closer"], told["x"]) == ("/clips/file/f.mp4", 20_000, 2.0, 0.3)
    assert told["stretches"] == [
        [0, 0, 3000, 100],
        [3000, 3000, 5000, 50],
        [7000, 5000, 7000, 100],
        [9000, 7000, 9000, 50],
        [13000, 9000, 11000, 100],
        [15000, 11000, 13000, 50],
        [19000, 13000, 14000, 100],
    ]
    assert again.it.read(again.now)["there"] is False
    assert again.wait(0.7).it.read(again.now)["there"] is True
    assert again.it.read(again.now)["kills"] == 3
    assert again.wait(20).it.read(again.now)["state"] == "nothing"


def test_closer_only_for_those_that_are_so_and_toward_where_the_game_tells() -> None:
    far: dict[str, Any] = {
        "closer_pct": "300",
        "closer_field": "distance",
        "closer_how": "at least",
        "closer_value": "40",
        "x_field": "x",
        "y_field": "y",
        "kills": "1",
    }
    again = Again(**far)
    again.hear("kill", 1, **MINE, distance=39).hear("kill", 40, **MINE, distance=41, x=0.2, y=0.9)
    again.hear("kill", 40, **MINE, distance=90, x=700)
    wishes = [(one["closer"], one["x"], one["y"]) for one in again.wait(60).what("wanted")]
    # Where the game is 700 pixels from the left is no share of the picture: then it is the point that was chosen.
    assert wishes == [(1.0, 0.5, 0.5), (3.0, 0.2, 0.9), (3.0, 0.5, 0.5)]


def test_held_until_the_player_is_down() -> None:
    again = Again(shown="held")
    again.hear("match.start").kills(1, 1, 1).wait(30)
    assert (again.what("begun"), again.it.read(again.now)["waiting"]) == ([], 1)
    assert again.it.view(again.now)["why_not"] == "the game is running"
    again.hear("death", 0, target="otto_knot").wait(1)
    assert again.what("begun") == []
    again.hear("death", 0, target="mara_vane").wait(0)
    assert len(again.what("begun")) == 1


@pytest.mark.parametrize(
    ("frees", "goes_on"), [("round.end", "round.start"), ("match.pause", "match.resume"), ("match.end", "match.start")]
)
def test_held_until_the_round_is_over_the_match_paused_or_ended(frees: str, goes_on: str) -> None:
    again = Again(shown="held", down="no")
    again.hear("match.start").hear(frees, 1).hear(goes_on, 1).kills(1, 1, 1).wait(30)
    assert again.what("begun") == []
    again.hear(frees).wait(0)
    assert len(again.what("begun")) == 1


def test_a_game_that_does_not_tell_when_the_player_is_back_has_him_back_by_itself() -> None:
    again = Again(shown="held").hear("match.start").hear("death", 0, target="mara_vane")
    again.wait(8.5).kills(0, 0.1, 0.1).wait(30)
    assert again.what("begun") == []


def test_held_in_the_scenes_in_which_the_game_is_played() -> None:
    again = Again(shown="held", game_scenes="Play, Duel").kills(1, 1, 1).wait(20)
    assert again.what("begun") == []
    assert again.sees(scene__present="duel").what("begun") == []
    assert len(again.sees(scene__present="Talk").what("begun")) == 1


def test_one_waits_no_longer_than_it_may_and_that_is_told() -> None:
    again = Again(shown="held", longest_wait_s="60").hear("match.start").kills(1, 1, 1).wait(120)
    assert (again.what("begun"), again.reasons()) == ([], ["it waited too long"])
    assert again.it.view(again.now)["passed"][0]["why"] == "it waited too long"


def test_never_while_something_else_is_seen() -> None:
    again = Again(never_with="Cup / Wheel\nCup / Song").sees(seen__cup_wheel=True).kills(1, 1, 1).wait(20)
    assert (again.what("begun"), again.it.view(again.now)["why_not"]) == ([], "Cup / Wheel is on screen")
    assert len(again.sees(seen__cup_wheel=False).what("begun")) == 1


def test_what_was_asked_for_by_hand_waits_for_what_is_seen_too() -> None:
    again = Again(never_with="Cup / Wheel").sees(seen__cup_wheel=True)
    assert again.do("try_it").endswith("is shown as soon as possible: Cup / Wheel is on screen")
    assert again.wait(60).what("begun") == []
    assert len(again.sees(seen__cup_wheel=False).what("begun")) == 1


def test_it_is_never_quicker_around_a_kill_and_a_kill_is_seen_to_its_end() -> None:
    plan = Again(speed_pct="25", slow_pct="50", after_s="0").it.plan
    assert (plan.speed_pct, plan.slow_pct, plan.cutting.after) == (25, 25, 500_000)


def test_one_that_is_seen_makes_way_and_the_gap_counts_from_then() -> None:
    again = Again(never_with="Cup / Wheel", gap_s="20").kills(1, 1, 1).wait(12)
    assert again.it.read(again.now)["there"] is True
    again.sees(seen__cup_wheel=True)
    away = again.now
    assert (again.it.read(again.now)["there"], again.motion().get("id")) == (False, None)
    assert again.it.view(again.now)["passed"][0]["why"] == "hidden: Cup / Wheel is on screen"
    # Without the gap the next would begin 12 s after this.
    again.sees(seen__cup_wheel=False).kills(1, 1, 1).wait(60)
    begun = [one for one in again.told if one.type == "again.begun"]
    assert [(one.at - away).total_seconds() for one in begun] == [-3, 20]


def test_the_pieces_it_keeps_away_from_are_named_line_by_line() -> None:
    pieces = KIND.fields["never_with"]
    assert pieces.check(["Cup /  Wheel, plate", "Cup / Song", "Cup / Song", ""]) == "Cup / Wheel, plate\nCup / Song"
    with pytest.raises(InvalidField, match="These are 31 pieces; at most 30 are allowed"):
        pieces.check([f"Cup / {at}" for at in range(31)])


def test_a_greater_one_goes_first_and_the_least_of_too_many_is_not_shown() -> None:
    again = Again(shown="held", most_waiting="2", longest_wait_s="600", gap_s="5").hear("match.start")
    again.kills(1, 1, 1).kills(30, 1, 1, 1, 1).kills(30, 1, 1, 1).wait(30)
    assert again.reasons() == ["the queue is full"]
    again.hear("match.end").wait(120)
    first, second = (one for one in again.told if one.type == "again.begun")
    assert [first.data["kills"], second.data["kills"]] == [5, 4]
    # Of 10 s, with the slow seconds, and 5 s between them.
    assert (second.at - first.at).total_seconds() >= 10 + 5


def test_ten_streaks_in_a_minute_are_three_that_wait_and_never_two_at_once() -> None:
    again = Again(shown="held", kills="2", within_s="2", longest_wait_s="600").hear("match.start")
    for _ in range(10):
        again.kills(5, 1)
    again.wait(10).hear("match.end").wait(600)
    assert (len(again.what("wanted")), len(again.what("begun")), len(again.reasons())) == (10, 3, 7)
    begun = [one.at for one in again.told if one.type == "again.begun"]
    lengths = [one["seconds"] for one in again.what("begun")]
    for at_, following, length in zip(begun, begun[1:], lengths, strict=False):
        assert (following - at_).total_seconds() >= length


def test_the_best_of_a_match_is_shown_at_its_end() -> None:
    again = Again(best="match").hear("match.start")
    again.kills(1, 1, 1).kills(30, 1, 1, 1).kills(30, 4, 4).wait(20)
    assert again.what("begun") == []
    again.hear("match.end").wait(1)
    assert [one["kills"] for one in again.what("begun")] == [4]
    assert again.reasons() == ["a better one in the same match"] * 2


def test_the_best_of_a_match_whose_clip_is_still_on_its_way_is_shown_when_it_comes() -> None:
    again = Again(best="match", comes=False).hear("match.start").kills(1, 1, 1).wait(9)
    again.hear("match.end").wait(1)
    (wish,) = again.what("wanted")
    again.clip(wish["of"], *wish["parts"][0]).wait(0)
    assert len(again.what("begun")) == 1


def test_a_clip_that_never_comes_is_not_waited_for_for_ever() -> None:
    again = Again(comes=False).kills(1, 1, 1).wait(200)
    assert again.reasons() == ["no clip arrived in time"]
    assert again.it.read(again.now)["state"] == "nothing"


def test_a_clip_that_comes_too_late_or_twice_or_for_another_changes_nothing() -> None:
    again = Again(comes=False).kills(1, 1, 1).wait(200)
    wish = again.what("wanted")[0]
    again.clip(wish["of"], *wish["parts"][0]).clip("4711", at(0), at(9)).wait(30)
    assert again.what("begun") == []
    again.kills(1, 1, 1).wait(9)
    wish = again.what("wanted")[1]
    again.clip(wish["of"], *wish["parts"][0]).clip(wish["of"], *wish["parts"][0]).wait(60)
    assert len(again.what("begun")) == 1


def test_a_clip_in_which_none_of_the_seconds_are_is_told() -> None:
    again = Again(comes=False).kills(1, 1, 1).wait(9)
    again.clip(again.what("wanted")[0]["of"], at(-60), at(-40)).wait(0)
    assert again.reasons() == ["the received clip doesn't contain the moment"]


def test_why_there_is_no_clip_is_told() -> None:
    again = Again(comes=False).kills(1, 1, 1).wait(9)
    of = again.what("wanted")[0]["of"]
    again.hear("tesoura.clip", instrument="again", of=of, failed="The source of the picture is away.").wait(0)
    assert again.reasons() == ["The source of the picture is away."]


def test_kills_far_apart_become_a_cut_or_stay_in_one_piece() -> None:
    again = Again(comes=False, within_s="20", before_s="1", after_s="1").kills(10, 9, 9).wait(30)
    assert again.what("wanted")[0]["parts"] == [[at(9), at(11)], [at(18), at(20)], [at(27), at(29)]]
    whole = Again(comes=False, within_s="10", before_s="1", after_s="1", gaps="whole", kills="2")
    whole.kills(10, 9).wait(30)
    assert whole.what("wanted")[0]["parts"] == [[at(9), at(20)]]


def test_a_kill_that_is_corrected_away_takes_its_replay_back() -> None:
    again = Again(shown="held").hear("match.start").kills(1, 1, 1).wait(30)
    again.hear("tesoura.command.game", command="correct", what="deaths", by=-1).wait(0)
    assert again.reasons() == []
    again.hear("tesoura.command.game", command="correct", what="kills", by=-1).wait(0)
    assert (again.reasons(), again.it.read(again.now)["waiting"]) == (["voided"], 0)


def test_a_kill_corrected_away_before_the_run_is_over_counts_no_more() -> None:
    again = Again().kills(1, 1, 1).hear("tesoura.command.game", command="correct", what="kills", by=-1)
    assert again.wait(30).what("wanted") == []


def test_the_last_seconds_are_shown_when_they_are_asked_for_whatever_the_game_does() -> None:
    again = Again(shown="held").hear("match.start").wait(60)
    words = again.do("ask", seconds="8")
    assert words == "the last 8 s requested; shown as soon as available"
    (wish,) = again.wait(1).what("wanted")
    assert wish["parts"] == [[at(52), at(60)]]
    assert len(again.what("begun")) == 1


def test_the_one_that_waits_is_shown_now_if_somebody_says_so_and_once() -> None:
    again = Again(shown="held").hear("match.start").kills(1, 1, 1).wait(30)
    assert again.do("show_now") == "“3 cuts in 2 s” is shown now"
    again.hear("match.end").wait(60)
    assert len(again.what("begun")) == 1
    with pytest.raises(CommandRefused, match="The queue is empty"):
        again.do("show_now")


def test_the_last_one_is_shown_again_behind_the_one_that_is_seen() -> None:
    again = Again().kills(1, 1, 1).wait(10)
    assert again.do("again") == "“3 cuts in 2 s” is shown after the current one"
    assert len(again.what("begun")) == 1
    assert len(again.wait(30).what("begun")) == 2


def test_one_is_put_away_before_its_time() -> None:
    again = Again().kills(1, 1, 1).wait(10.2)
    assert again.do("put_away") == "“3 cuts in 2 s” is deleted"
    assert again.it.read(again.now)["there"] is False
    with pytest.raises(CommandRefused, match="No replay on screen"):
        again.do("put_away")


def test_a_page_that_cannot_show_it_is_told() -> None:
    again = Again().kills(1, 1, 1).wait(11)
    of = again.what("begun")[0]["of"]
    again.hear("tesoura.page_trouble", of="4711", overlay="Cup", why="its browser can't play the clip")
    assert again.it.view(again.now)["passed"] == []
    again.hear("tesoura.page_trouble", of=of, overlay="Cup", why="its browser can't play the clip")
    assert again.it.view(again.now)["passed"][0]["why"] == "not on a page of Cup: its browser can't play the clip"


def test_a_try_is_shown_where_replays_are_says_so_and_does_not_count() -> None:
    again = Again(closer_pct="250")
    again.do("try_it")
    told = again.wait(1).it.read(again.now)
    assert (told["there"], told["trial"], told["note"]) == (True, True, "test with a made-up clip")
    assert (again.motion()["clip"], again.motion()["closer"]) == ("/static/clips/made_up.webm", 2.5)
    assert (told["shown"], again.it.recorded()) == (0, ())


def test_a_clip_of_the_shelf_is_shown_as_its_page_gives_it() -> None:
    again = Again()
    given = {
        "clip": 4,
        "file": "g.webm",
        "length": 9 * S,
        "shows_from": 0,
        "kills": [5 * S],
        "parts": [[S, 8 * S]],
        "caption": "the long one",
    }
    assert again.do("show", **given) == "“the long one” is shown"
    assert again.motion()["stretches"] == [[0, 1000, 4000, 100], [3000, 4000, 6000, 50], [7000, 6000, 8000, 100]]
    with pytest.raises(CommandRefused, match="Show it from the Clips page"):
        again.do("show", clip=4)


def test_what_waits_is_let_go_by_one_press() -> None:
    again = Again(shown="held").hear("match.start").kills(1, 1, 1).wait(30)
    assert again.do("drop_waiting") == "1 queued removed"
    assert again.reasons() == ["voided"]


def test_great_ones_sound_and_small_ones_do_not() -> None:
    again = Again(sound="gong", sound_from="4").kills(1, 1, 1).kills(60, 1, 1, 1).wait(60)
    begun = [one for one in again.told if one.type == "again.begun"]
    assert [[each.data["sound"] for each in one.effects] for one in begun] == [[], ["gong"]]


def test_how_often_each_clip_was_shown_is_written_down() -> None:
    again = Again().kills(1, 1, 1).wait(30)
    assert [(one.record.kind, one.record.data["clip"]) for one in again.runner.new_records] == [("shown", 7)]


@pytest.mark.parametrize("seed", range(25))
def test_read_again_from_the_log_or_restored_they_are_the_same(seed: int) -> None:
    chance = random.Random(seed)
    again = Again(
        shown=chance.choice(["held", "at once"]),
        best=chance.choice(["each", "match"]),
        kills="2",
        within_s="4",
        gap_s=str(chance.choice([0, 15])),
        never_with="Cup / Wheel",
    )
    deeds = (
        "kill",
        "kill",
        "kill",
        "death",
        "round.end",
        "round.start",
        "match.end",
        "match.start",
        "ask",
        "try_it",
        "again",
        "show_now",
        "put_away",
        "drop_waiting",
        "correct",
        "save",
        "wheel",
    )
    for _ in range(120):
        deed = chance.choice(deeds)
        after = chance.choice([0.5, 1, 3, 12])
        if deed == "save":
            saved = json.loads(json.dumps(again.runner.saved()))
            runner = Runner(again.setup, again.almanac, again.now)
            runner.restore(saved)
            runner.read(again.now, again.values)
            told = again.runner._told
            again.runner, runner._told, runner._at = runner, told, again.runner._at
        elif deed in ("kill", "death"):
            again.hear(deed, after, **(MINE if deed == "kill" else {"target": "mara_vane"}))
        elif deed == "correct":
            again.hear("tesoura.command.game", after, command="correct", what="kills", by=-1)
        elif deed == "wheel":
            again.wait(after).sees(seen__cup_wheel=chance.random() < 0.5)
        elif "." in deed:
            again.hear(deed, after)
        else:
            try:
                again.wait(after).do(deed)
            except CommandRefused:
                continue
        assert not (again.values.get("seen.cup_wheel") and again.wait(0).it.read(again.now)["there"])
    again.sees(seen__cup_wheel=False).wait(400)
    fresh = Runner(again.setup, again.almanac, T0)
    for event in again.log:
        fresh.take(event, instant(event.at))
    fresh.read(again.now, again.values)
    read = fresh.instrument.advance(again.now)
    assert read.read(again.now) == again.it.advance(again.now).read(again.now)
    assert read.view(again.now)["passed"] == again.it.view(again.now)["passed"]
    # Nothing waits for ever: each that was wished for was shown or told, and only once.
    ends = [one["of"] for kind in ("begun", "passed") for one in again.what(kind)]
    assert len(ends) == len(set(ends))
    assert {one["of"] for one in again.what("wanted")} <= set(ends) | {one.id for one in again.it.candidates}
