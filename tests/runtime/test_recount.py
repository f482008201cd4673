"""Windows, chains and counts against a naive recount: late, future, tied and doubled events, restarts, letting go."""

from __future__ import annotations

import random
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

import pytest

from tesoura.core.values import Event
from tests.conftest import Clock, Running
from tests.runtime.test_computations import compute

ZONES = ("Australia/Lord_Howe", "America/St_Johns", "Pacific/Apia", "Europe/Lisbon", "Asia/Kathmandu")
BEGAN = datetime(2026, 10, 24, 9, tzinfo=UTC)
"""The evening before the clocks go back in Lisbon."""
NAMES = ("tuck", "Tuck", "pip_gale", "otto_knot", "", "june_spool")


class Heard(NamedTuple):
    """An event as the recount knows it: when it happened, in which order it came, by whom, how much."""

    at: datetime
    seq: int
    name: str
    amount: int


def _day(at: datetime, zone: ZoneInfo) -> date:
    return at.astimezone(zone).date()


def recount(heard: Sequence[Heard], now: datetime, zone: ZoneInfo, began: datetime) -> dict[str, Any]:
    """What each window tells, straight from the words: those that happened in its span, in the order of time."""
    ordered = sorted(heard)
    today = [one for one in ordered if _day(one.at, zone) == _day(now, zone)]
    week = _day(now, zone) - timedelta(days=_day(now, zone).weekday())
    spans = {
        "all": ordered,
        "today": today,
        "week": [one for one in ordered if week <= _day(one.at, zone) < week + timedelta(days=7)],
        "session": [one for one in ordered if one.at >= began],
        "rolling": [one for one in ordered if one.at >= now - timedelta(minutes=30)],
        "last": ordered[-5:],
    }
    found: dict[str, Any] = {}
    for name, inside in spans.items():
        found |= {f"{name}.count": len(inside), f"{name}.sum": sum(one.amount for one in inside)}
        found[f"{name}.latest_amount"] = inside[-1].amount if inside else None
        largest = min(inside, key=lambda one: (-one.amount, one.at, one.seq), default=None)
        found[f"{name}.largest_amount"] = largest.amount if largest else None
        sums: dict[str, int] = {}
        for one in inside:
            sums[one.name.casefold()] = sums.get(one.name.casefold(), 0) + one.amount
        found[f"{name}.top_1_amount"] = max(sums.values(), default=None)
        found[f"{name}.names"] = len(sums)
    if ordered:
        found |= {"gift.count_this_session": len(spans["session"]), "gift.amount": ordered[-1].amount}
    runs: list[int] = []
    for at, one in enumerate(spans["session"]):
        joined = at > 0 and one.at - spans["session"][at - 1].at <= timedelta(seconds=90)
        runs = [*runs[:-1], runs[-1] + 1] if joined else [*runs, 1]
    found["row.longest"] = max(runs, default=0)
    return found


def _told(running: Running, names: Sequence[str]) -> dict[str, Any]:
    told = {one["name"]: one["value"] for one in running.client.get("/api/signals", headers=running.auth).json()}
    return {name: told.get(name) for name in names}


WINDOWS = {
    "all": {"over": "all"},
    "today": {"over": "today"},
    "week": {"over": "week"},
    "session": {"over": "session"},
    "rolling": {"over": "minutes", "length": "30"},
    "last": {"over": "events", "length": "5"},
}


class Evening:
    """A Tesoura whose clock is ours, with every kind of window, and what it was told."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.chance, self.folder, self.clock = random.Random(seed), folder, Clock(BEGAN)
        self.zone, self.heard, self.began, self.seq = ZoneInfo(ZONES[seed % len(ZONES)]), list[Heard](), BEGAN, 0
        self.running = self._start()
        self.running.do("choose.calendar", {"zone": str(self.zone), "first_weekday": "0"})
        self.running.do("session.start")
        chosen = {
            "types": ["gift"],
            "amount": "amount",
            "by": "name",
            "stats": ["count", "sum", "latest", "largest", "top"],
        }
        for name, span in WINDOWS.items():
            compute(self.running, "window", name, **chosen, **span)
        compute(self.running, "chain", "row", types=["gift"], within_s="90", by="name")

    def _start(self) -> Running:
        return Running(self.folder, clock=self.clock, lasting_s=self.clock.lasting_s, save_every_s=3600.0)

    def gift(self) -> None:
        """Somebody gives: now, late, of the future by its own account, or at the very time of another."""
        now, chance = self.clock.now, self.chance
        claimed = now + timedelta(seconds=chance.choice([0, 0, 0, -30, -4_000, -90_000, 50_000]))
        if self.heard and chance.random() < 0.2:
            claimed = chance.choice(self.heard).at
        self.seq += 1
        name, amount = chance.choice(NAMES), chance.randrange(1, 40)
        event = Event(f"g{self.seq}", "game", "gift", claimed, {"name": name, "amount": amount})
        times = 2 if chance.random() < 0.1 else 1
        for _ in range(times):
            self.running.runtime.call(lambda self: self.accept([event]))
        self.heard.append(Heard(min(claimed, now), self.seq, name, amount))

    def later(self) -> None:
        """Time passes: a moment, or most of a day."""
        self.clock.now += timedelta(seconds=self.chance.choice([1, 20, 61, 400, 1_500, 40_000]))

    def again(self, killed: bool) -> int:
        """It stops, in order or not, and starts again: all is as it was. How many things were compared.

        When each was observed is exact to the last saving, which is two seconds ago at most.
        """
        saved = not killed or self.chance.random() < 0.5
        if saved:
            self.running.runtime.call(lambda self: self.persistence.save(trails=False))
        before = self._signals(saved)
        (self.running.kill if killed else self.running.stop)()
        self.running = self._start()
        assert self._signals(saved) == before
        return 3 * len(before)

    def _signals(self, observed: bool) -> dict[str, Any]:
        """All signals with their freshness, and when they were observed; that of what time alone changes left out."""
        told = self.running.client.get("/api/signals", headers=self.running.auth).json()
        by_time = ("rolling.", "row.left_s")
        return {
            one["name"]: one if observed and not one["name"].startswith(by_time) else one | {"observed_at": None}
            for one in told
        }

    def session(self) -> None:
        """A new stream session."""
        self.running.do("session.start")
        self.began = self.clock.now

    def check(self) -> int:
        """Compare all that is told with the recount; how many figures were compared."""
        self.running.runtime.call(lambda self: self._tick())
        wanted = recount(self.heard, self.clock.now, self.zone, self.began)
        assert _told(self.running, list(wanted)) == wanted
        return len(wanted)


@pytest.mark.parametrize("seed", range(5))
def test_windows_tell_what_a_recount_by_local_dates_does_over_restarts(tmp_path: Path, seed: int) -> None:
    evening = Evening(tmp_path / "data", seed)
    try:
        for _ in range(14):
            for _ in range(evening.chance.randrange(6)):
                evening.gift()
            evening.check()
            act = evening.chance.random()
            if act < 0.25:
                evening.again(killed=act < 0.15)
            elif act < 0.35:
                evening.session()
            evening.check()
            evening.later()
    finally:
        evening.running.stop()


@pytest.mark.parametrize("seed", range(2))
def test_what_is_let_go_stays_counted_in_all_that_counts_it(tmp_path: Path, seed: int) -> None:
    evening = Evening(tmp_path / "data", seed)
    try:
        evening.running.do("choose.keep", {"keep_days": "2"})
        for round_ in range(4):
            for _ in range(8):
                evening.gift()
                evening.clock.now += timedelta(seconds=50)
            evening.clock.now += timedelta(days=3)
            evening.running.runtime.call(lambda self: self.persistence.let_go())
            if round_ == 1:
                # Another unit and more places tell the same otherwise.
                changes = {
                    "types": ["gift"],
                    "amount": "amount",
                    "by": "name",
                    "top": "7",
                    "unit": "spools",
                    "stats": ["count", "sum", "latest", "largest", "top"],
                }
                for row_id, name in enumerate(WINDOWS, 1):
                    evening.running.do(f"computed.change?computed={row_id}", {**changes, **WINDOWS[name]})
            evening.check()
            evening.again(killed=round_ % 2 == 0)
            evening.check()
    finally:
        evening.running.stop()


def test_an_event_that_claims_to_be_of_the_future_blocks_no_letting_go(tmp_path: Path) -> None:
    evening = Evening(tmp_path / "data", 0)
    try:
        ahead = Event("ahead", "game", "gift", BEGAN + timedelta(days=400), {"name": "tuck", "amount": 1})
        evening.running.runtime.call(lambda self: self.accept([ahead]))
        evening.heard.append(Heard(BEGAN, 0, "tuck", 1))
        evening.running.do("choose.keep", {"keep_days": "2"})
        evening.clock.now += timedelta(days=3)
        evening.gift()
        assert evening.running.runtime.call(lambda self: self.persistence.let_go()) >= 1
        evening.check()
    finally:
        evening.running.stop()
