"""A rotation among the instruments: what it knows and shows is in the log, and so it comes to the same again."""

from __future__ import annotations

import json
import random
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, micros
from tesoura.core.forms.form import fill
from tesoura.core.instruments.campaign.plan import FIELDS as CAMPAIGN
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.rotation import KIND
from tesoura.core.instruments.rotation.commands import SponsorRotation
from tesoura.core.instruments.rotation.evening import preview
from tesoura.core.instruments.rotation.piece import PIECE
from tesoura.core.instruments.runner import Runner, Setup
from tesoura.core.overlays.document import new_piece
from tesoura.core.signals.assignments import seen_signal
from tesoura.core.values import Scalar
from tesoura.errors import CommandRefused

T0 = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
CARD = "Overlay / Card"


def member(sponsor: str, **more: str) -> dict[str, Any]:
    return dict(fill(CAMPAIGN, {"sponsor": sponsor, **more}).choices)


def listed(name: str, *seconds: int, picture: str = "") -> str:
    return json.dumps(
        [
            {
                "id": f"{name}:i{at}",
                "words": f"{name} {at}",
                "picture": picture,
                "video": "",
                "text": f"{name}",
                "seconds": one,
            }
            for at, one in enumerate(seconds)
        ]
    )


class Sponsors:
    """A rotation of tea (9 s), moon (6 s) and glue (5 s), and the time of day; what it fires is put into the log."""

    def __init__(self, shared: dict[str, dict[str, Any]] | None = None, **choices: str) -> None:
        self.almanac = Almanac(
            shared=shared
            or {"tea": member("Cordel Tea", minutes="30"), "moon": member("Halfmoon"), "glue": member("Gluepot")}
        )
        filled = fill(KIND.fields, {"title": "Sponsors", "hidden_s": "0", **choices})
        assert filled.wrong == {}
        self.setup = Setup("rotation", "turns", filled.choices)
        self.runner, self.now, self.seq = Runner(self.setup, self.almanac, T0), T0, 0
        self.log: list[Occurrence] = []
        self.values: dict[str, Scalar] = {
            "tea.items": listed("tea", 9),
            "moon.items": listed("moon", 6),
            "glue.items": listed("glue", 5),
        }
        self.wait(0)

    @property
    def it(self) -> SponsorRotation:
        return self.runner.instrument  # type: ignore[return-value]

    def hear(self, kind: str, data: Any, source: str = "", at: datetime | None = None) -> None:
        self.seq += 1
        event = Occurrence(micros(at or self.now), self.seq, kind, data, source)
        self.log.append(event)
        self.runner.take(event, self.now)

    def settle(self) -> None:
        """It is asked, as after every change, until it has nothing more to tell."""
        for _ in range(5):
            self.runner.read(self.now, self.values)
            fired = self.runner.fires(self.now)
            for one in fired:
                self.hear(one.type, dict(one.data), "instrument:turns", one.at)
            if not fired:
                return
        raise AssertionError("it goes on telling")

    def wait(self, seconds: float, **values: Scalar) -> Sponsors:
        """So much time passes, in steps as it asks for them; then these signals are so."""
        until = self.now + timedelta(seconds=seconds)
        while (due := self.runner.next_change(self.now)) is not None and due <= until:
            self.now = due
            self.settle()
        self.now = until
        self.values |= {name.replace("__", "."): one for name, one in values.items()}
        self.settle()
        return self

    def do(self, command: str, **given: str) -> Sponsors:
        step = self.runner.attempt(Command(command, given), self.now)
        self.hear("tesoura.command.turns", {"command": command, **step.given})
        self.settle()
        return self

    def shown(self) -> list[Any]:
        """What the log tells that was seen, from which second on."""
        found = list[Any]()
        for one in self.log:
            if one.type == "turns.shown":
                slots: Any = one.data["slots"]
                found.append((round((one.at - micros(T0)) / 1e6, 3), *(slot.get("campaign", "") for slot in slots)))
        return found


def test_each_has_its_seconds_in_order_and_the_log_tells_each_at_its_instant() -> None:
    it = Sponsors(campaigns="tea, moon, glue").wait(41)
    assert it.shown() == [(0, "tea"), (9, "moon"), (15, "glue"), (20, "tea"), (29, "moon"), (35, "glue"), (40, "tea")]
    assert [round(one["share"] * 100) for one in it.it.view(it.now)["items"]] == [45, 30, 25]


def test_hidden_and_shown_take_turns_and_the_next_appearance_is_told_to_the_second() -> None:
    it = Sponsors(campaigns="tea, moon, glue", hidden_s="60", shown_s="12")
    assert (it.shown(), it.it.read(it.now)["state"], it.it.read(it.now)["next"]) == ([], "hidden", "1:00")
    it.wait(59)
    assert it.it.read(it.now)["next"] == "0:01"
    it.wait(100)
    # What was in the middle of its seconds goes on with them when it appears again.
    assert it.shown() == [(60, "tea"), (69, "moon"), (72, ""), (132, "moon"), (135, "glue"), (140, "tea"), (144, "")]


def test_it_goes_out_of_the_way_and_comes_back_with_all_its_seconds() -> None:
    it = Sponsors(campaigns="tea, moon, glue", never_with=CARD).wait(4, **{seen_signal(CARD).replace(".", "__"): True})
    assert (it.it.read(it.now)["state"], it.it.read(it.now)["note"]) == ("in the way", f"{CARD} is on screen")
    it.wait(10, **{seen_signal(CARD).replace(".", "__"): False}).wait(6)
    assert it.shown() == [(0, "tea"), (4, ""), (14, "tea"), (19, "moon")]


def test_it_is_seen_only_in_its_scenes() -> None:
    it = Sponsors(campaigns="tea", scenes="Talk, Break")
    assert (it.shown(), it.it.read(it.now)["note"]) == ([], "no scene is known")
    it.wait(5, scene__present="Play").wait(5, scene__present="Talk")
    assert it.shown() == [(10, "tea")]
    it.wait(3, scene__present="Play")
    assert (it.shown()[-1], it.it.read(it.now)["note"]) == ((13, ""), "the scene is Play")


def test_a_campaign_that_ends_is_seen_no_more_and_nothing_is_left_of_it() -> None:
    it = Sponsors(campaigns="tea, moon").wait(3, tea__items="[]").wait(20, moon__items="[]").wait(5)
    assert it.shown() == [(0, "tea"), (3, "moon"), (23, "")]
    assert it.it.read(it.now)["state"] == "nothing to show"


def test_two_slots_never_have_one_sponsor_nor_two_that_are_kept_apart() -> None:
    shared = {
        "tea": member("Cordel Tea", apart="Gluepot"),
        "tea2": member("Cordel Tea"),
        "moon": member("Halfmoon"),
        "glue": member("Gluepot"),
    }
    it = Sponsors(shared, slots="2")
    it.wait(300, tea2__items=listed("tea2", 4)).wait(600)
    pairs = {one[1:] for one in it.shown()}
    assert len(pairs) > 4
    for pair in pairs:
        sponsors = {shared[one]["sponsor"] for one in pair if one}
        assert len(sponsors) == len([one for one in pair if one])
        assert set(pair) != {"tea", "glue"}


def test_by_hand_it_is_skipped_held_and_one_is_shown_now() -> None:
    it = Sponsors(campaigns="tea, moon, glue").wait(2).do("skip").wait(1).do("hold").wait(60)
    assert (it.shown(), it.it.read(it.now)["state"]) == ([(0, "tea"), (2, "moon")], "held")
    it.do("go_on").wait(5).do("this_now", item="cordel tea").wait(9)
    assert it.shown()[2:] == [(68, "glue"), (68, "tea"), (77, "moon")]


def test_first_comes_who_is_behind_with_what_was_promised() -> None:
    shared = {"tea": member("Cordel Tea", minutes="30"), "moon": member("Halfmoon", minutes="10")}
    it = Sponsors(shared, order="who is behind").wait(0, tea__items=listed("tea", 5), moon__items=listed("moon", 5))
    it.wait(400)
    seen = [one[1] for one in it.shown()]
    # Three times as much was promised to the tea; two of its turns on end are one appearance.
    given = it.it.advance(it.now).turning.given
    assert abs(given["Cordel Tea"] / given["Halfmoon"] - 3) < 0.2
    assert seen[:4] == ["moon", "tea", "moon", "tea"]
    # Skipped, it makes way for another one, whoever is behind.
    now = it.it.read(it.now)["sponsor"]
    it.do("skip")
    assert it.it.read(it.now)["sponsor"] not in ("", now)


def test_of_a_sponsor_who_is_behind_the_items_take_turns() -> None:
    it = Sponsors({"tea": member("Cordel Tea")}, order="who is behind").wait(0, tea__items=listed("tea", 5, 5, 5))
    it.wait(0).do("skip")
    ids = [one.data["slots"][0]["id"] for one in it.log if one.type == "turns.shown"]  # type: ignore[index]
    assert len(set(ids[-2:])) == 2
    it.wait(30)
    ids = [one.data["slots"][0]["id"] for one in it.log if one.type == "turns.shown"]  # type: ignore[index]
    assert sorted(ids[-3:]) == ["tea:i0", "tea:i1", "tea:i2"]


def test_it_is_shown_and_hidden_by_hand_between_its_times() -> None:
    it = Sponsors(campaigns="tea", hidden_s="600", shown_s="20").wait(5).do("show").wait(8).do("hide").wait(600)
    assert it.shown() == [(5, "tea"), (13, ""), (613, "tea")]


@pytest.mark.parametrize(
    ("command", "given", "why"),
    [
        ("go_on", {}, "Not held"),
        ("this_now", {"item": "nobody"}, "Sponsors now: Cordel Tea"),
        ("show", {}, "It's already on screen"),
        ("hide", {}, "It has no gap"),
        ("skip", {}, "No other item can be shown"),
    ],
)
def test_what_cannot_be_done_is_refused_with_why(command: str, given: dict[str, str], why: str) -> None:
    it = Sponsors(campaigns="tea")
    with pytest.raises(CommandRefused, match=why):
        it.it.handle(Command(command, given), it.now)


def test_an_item_that_a_page_cannot_show_is_left_out_until_its_file_is_replaced() -> None:
    it = Sponsors(campaigns="tea, moon").wait(0, moon__items=listed("moon", 6, picture="a1.png")).wait(9)
    assert it.shown()[-1] == (9, "moon")
    it.hear("tesoura.page_trouble", {"of": "moon:i0", "why": "its file can't be displayed"})
    it.settle()
    it.wait(20)
    assert it.shown()[-1] == (9, "tea")
    it.wait(0, moon__items=listed("moon", 6, picture="b2.png")).wait(9)
    assert "moon" in it.shown()[-1]


def test_the_log_gives_the_same_again_and_so_does_what_was_stored() -> None:
    for seed in range(40):
        chance = random.Random(seed)
        it = Sponsors(
            slots=chance.choice("12"),
            order=chance.choice(["in order", "shuffled", "who is behind"]),
            hidden_s=chance.choice(["0", "30"]),
            shown_s="25",
            never_with=CARD,
        )
        for _ in range(25):
            deed = chance.choice(["wait", "way", "items", "skip", "hold", "go_on", "stored"])
            it.wait(chance.choice([0, 0.4, 3, 17.25]))
            if deed == "way":
                it.wait(0, **{seen_signal(CARD).replace(".", "__"): chance.random() < 0.5})
            elif deed == "items":
                it.wait(0, glue__items=chance.choice(["[]", listed("glue", 5), listed("glue", 5, 2)]))
            elif deed == "stored":
                saved = json.loads(json.dumps(it.runner.saved()))
                runner = Runner(it.setup, it.almanac, it.now)
                runner.restore(saved)
                assert runner.instrument.saved() == saved
                it.runner = runner
                it.settle()
            elif deed in ("skip", "hold", "go_on"):
                try:
                    it.do(deed)
                except CommandRefused:
                    continue
        anew = Runner(it.setup, it.almanac, T0)
        for event in it.log:
            anew.take(event, it.now)
        read: Any = anew.instrument
        assert read.read(it.now) == it.it.read(it.now), seed
        assert read.advance(it.now).saved()["given"] == it.it.advance(it.now).saved()["given"], seed


def test_what_was_missed_while_tesoura_did_not_run_is_not_told_as_shown() -> None:
    it = Sponsors(campaigns="tea, moon, glue").wait(2)
    it.now += timedelta(hours=1)
    it.settle()
    # 3602 s are 180 rounds of 20 s and 2 s: the tea is there still.
    assert it.shown() == [(0, "tea")]
    it.now += timedelta(seconds=310)
    it.settle()
    assert [one[0] for one in it.shown()] == [0, 3912]


def test_words_that_have_no_room_in_a_slot_are_told() -> None:
    choices = new_piece("sponsor", "s", rotation="turns", width_px=400, height_px=100, room_pct=10, size_px=30).choices

    def measure(words: str, size: float) -> tuple[float, float]:
        return len(words) * size / 2, size * 1.2

    def found(*words: str, two: bool = False) -> list[str]:
        face = [["a", "", "", one, "s"] for one in (words if two else words[:1])]
        return list(PIECE.fits(choices, {"face": json.dumps(face), "ahead": "[]"}, measure))

    # A slot is 320 wide and 80 high: two lines of 36, each of twenty-one letters.
    assert found("x" * 42) == []
    assert found("x" * 43) == [f"“{'x' * 40}” needs 3 lines of 30 px, for which a slot has no room."]
    # Two beside each other are half as wide.
    assert len(found("x" * 22, "y" * 20, two=True)) == 1
    assert list(PIECE.fits(choices, {"face": "This is not JSON"}, measure)) == []


def test_the_evening_is_planned_against_what_was_promised_and_a_cycle_that_keeps_it_is_offered() -> None:
    shared = {"tea": member("Cordel Tea", minutes="60"), "moon": member("Halfmoon", minutes="20")}
    it = Sponsors(shared, hidden_s="300", shown_s="60", hours="4")
    shown = preview("turns", it.setup.choices, it.almanac, T0, it.it.saved(), it.values)
    tea, moon = shown["rows"] if shown["rows"][0]["sponsor"] == "Cordel Tea" else shown["rows"][::-1]
    # Four hours have forty cycles of six minutes: 2,400 s shown, nine of fifteen for the tea.
    assert (round(tea["minutes"], 1), round(moon["minutes"], 1), tea["promised"]) == (24.0, 16.0, 60.0)
    assert len(shown["short"]) == 2
    # Sixty minutes of tea need a hundred shown of 240: hidden for 1.4 times as long as shown, in steps of five seconds.
    assert (shown["cycle"]["hidden_s"], shown["lanes"]) == (80, 2)
    # It is drawn before the rotation is made, and without anything to show it is empty.
    assert preview("it", it.setup.choices, it.almanac, T0, None, it.values)["rows"] == shown["rows"]
    assert preview("it", it.setup.choices, it.almanac, T0, None, {})["rows"] == []
