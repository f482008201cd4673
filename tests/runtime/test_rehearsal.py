"""What a cue would have done is what the same cue did: values, formulas, scenes, time, limits and all."""

from __future__ import annotations

import random
import re
from datetime import timedelta
from typing import Any

import pytest

from tesoura.actions.action import Call, Doing
from tesoura.actions.registry import do
from tesoura.core.cues.setup import plan
from tesoura.core.forms.form import fill
from tesoura.core.instruments.registry import KINDS
from tesoura.runtime.facade import Runtime
from tesoura.runtime.rehearsal import Rehearsed, ground_of, rehearse
from tesoura.standins.members import MembersService
from tests.conftest import Running, flat, until
from tests.runtime.test_cues import GIFT, new_cue, told

DOES = {"do_1": "set", "signal_1": "script.cheers", "value_of_1": "1"}


def would(running: Running, choices: dict[str, str], budget_s: float = 30.0) -> Rehearsed:
    """What a cue would have decided in the last hour."""
    filled = fill(KINDS["cue"].fields, {"title": "It", **DOES, **choices})
    assert not filled.wrong, filled.wrong

    def ask(self: Runtime) -> Any:
        return ground_of(self.engine, self.computations.applied), self.computations, self.settings.clock()

    ground, computations, now = running.runtime.call(ask)
    made = plan("it", filled.choices, ground.almanac)
    since = now - timedelta(hours=1)
    return running.store.read(lambda session: rehearse(session, computations, ground, made, since, now, budget_s))


def counts(found: Rehearsed) -> tuple[int, int]:
    return found.found.fires, found.found.refused


def did(running: Running) -> tuple[int, int]:
    decided = [one["outcome"] for one in told(running, "tesoura.cue.cheer")]
    return decided.count("fires"), decided.count("refused")


@pytest.mark.parametrize(
    "choices",
    [
        {"when": "crosses", "signal": "script.heat", "level": "4", "back": "2"},
        {"when": "crosses", "signal": "script.heat", "level": "3", "way": "down", "if_formula": "script.calm"},
        {"when": "becomes", "signal": "script.heat", "value": "5"},
        {**GIFT, "if_formula": "script.heat > 2 and gift.count_this_session > 3"},
        {**GIFT, "if_scenes": "Talk, Break", "rests": "1 min", "may_wait": "1"},
        {**GIFT, "if_formula": "lately.count >= 2", "person_rests": "1 min"},
        {"when": "crosses", "signal": "lately.sum", "level": "9"},
    ],
)
def test_it_comes_to_what_the_same_cue_did(running: Running, choices: dict[str, str]) -> None:
    last_three = {"types": ["gift"], "amount": "amount", "over": "events", "length": "3", "stats": ["count", "sum"]}
    call = Call("computed.new", {"kind": "window", "name": "lately", "choices": last_three})
    running.runtime.call(lambda self: do(Doing(self, "desk"), call))
    new_cue(running, **DOES, **choices)
    chance = random.Random(7)
    for number in range(40):
        what = chance.randrange(5)
        if what == 0:
            running.client.put("/api/signals/heat", json={"value": chance.randrange(7)}, headers=running.auth)
        elif what == 1:
            running.client.put("/api/signals/calm", json={"value": chance.random() < 0.6}, headers=running.auth)
        elif what == 2:
            running.runtime.call(lambda self: self.set_scene(chance.choice(["Play", "Talk", "Break"])))
        else:
            data = {"amount": chance.randrange(9), "name": chance.choice(["tuck", "bolt_uncle"])}
            running.event(type="gift", id=str(number), data=data)
    lived = until(lambda: (first := did(running)) == did(running) and first)
    found = would(running, choices)
    fires, refused = counts(found)
    # Whoever still waits has a turn too, a minute later.
    assert (fires, refused) == (lived[0] + running.signal("cheer.waiting")["value"], lived[1])
    assert (found.until, list(found.untold)) == (None, [])


def test_readings_of_a_feed_decide_as_they_did(running: Running, members: MembersService) -> None:
    running.add_feed(members.address + "/channels/mara_vane")
    members.freeze()
    for count in (90, 120, 80, 130):
        members.put("mara_vane", count)
        running.do("feed.ask?feed=reach", {})
        until(lambda count=count: running.signal("reach.members").get("value") == count)  # type: ignore[misc]
    running.runtime.call(lambda self: self.persistence.save(trails=False))
    found = would(running, {"when": "crosses", "signal": "reach.members", "level": "100"})
    assert counts(found) == (2, 0)


def test_times_that_have_passed_would_have_set_it_off(running: Running) -> None:
    fires, _ = counts(would(running, {"when": "every", "every_min": "20"}))
    assert fires == 3


def test_what_was_before_is_known_and_what_is_in_no_log_is_told(running: Running) -> None:
    found = would(running, {"when": "crosses", "signal": "nobody.knows", "level": "4"})
    assert (counts(found), list(found.untold)) == ((0, 0), ["nobody.knows"])


def test_more_than_there_is_time_for_is_told_with_the_time_up_to_which(running: Running) -> None:
    running.event(type="gift", data={"amount": 9})
    found = would(running, {**GIFT, "if_formula": "gift.amount > 1"}, -1.0)
    assert found.until is not None
    assert counts(found) == (0, 0)


def test_its_page_counts_a_level_that_was_reached_twice(running: Running) -> None:
    for value in (1, 5, 1, 6):
        running.client.put("/api/signals/heat", json={"value": value}, headers=running.auth)
    typed = {"title": "It", **DOES, "when": "crosses", "signal": "script.heat", "level": "4"}
    page = flat(running.press("/", "/cues/would", typed).text)
    assert "Would have run <b>2 times</b> in the last 12 hours." in page
    assert len(re.findall(r"<li>", page)) == 2
