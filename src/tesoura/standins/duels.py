"""Matches of Tail & Twine as events: the same seed plays the same evening, with everything that goes wrong in one."""

from __future__ import annotations

import math
import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any

STREAMER = "mara_vane"
RIVALS = ("otto_knot", "pip_gale", "june_spool", "wren_bobbin", "tuck", "halyard_sam")
MEANS = ("glass line", "tail snap", "high swoop", "low cross")
ARENAS = ("The Windy Ladder", "Pier of Nine", "Chimney Field")
FIRST_RATING = 1_412
FAULTS = ("none", "crash", "late duplicate", "out of order")
"""What may go wrong with a match: it never ends, an event comes twice, one comes after those behind it."""


@dataclass(frozen=True, slots=True)
class Told:
    """One event: seconds after the one before it happened, its type, its data, and how much later it is told."""

    after_s: float
    type: str
    data: dict[str, Any] = field(default_factory=dict)
    late_s: float = 0.0
    again_s: float = 0.0


class Duels:
    """Match after match. A seed's evenings have good runs and bad ones, which last a few matches each."""

    def __init__(self, seed: int, faults: bool = True, rating: int = FIRST_RATING) -> None:
        self._chance = random.Random(f"duels:{seed}")
        self._faults = faults
        self.rating, self.number = rating, 0
        self._form = 0.3

    def __iter__(self) -> Iterator[Told]:
        while True:
            yield from self.match()

    def match(self) -> Iterator[Told]:
        """One match, from its start to its end, or to the crash of the game."""
        chance, self.number = self._chance, self.number + 1
        fault = chance.choice(FAULTS) if self._faults and self.number > 1 and chance.random() < 0.3 else "none"
        if chance.random() < 0.25:
            # A good run begins, or a bad one.
            self._form = chance.choice((0.14, 0.22, 0.3, 0.42))
        match = {"match": f"m{self.number}", "arena": chance.choice(ARENAS)}
        yield Told(3.0, "match.start", {**match, "rating": self.rating, "opponent": chance.choice(RIVALS)})
        kills = deaths = 0
        health = 100.0
        rounds, total = 3, 0
        for round_number in range(1, rounds + 1):
            yield Told(1.0, "round.start", {**match, "round": round_number})
            for _ in range(chance.randint(4, 7)):
                total += 1
                for told in self._happening(match, health, total):
                    if told.type == "kill" and told.data["actor"] == STREAMER:
                        kills += 1
                    if told.type == "death":
                        deaths += 1
                        health = 100.0
                    if told.type == "vitals":
                        health = float(told.data["health"])
                    yield self._faulty(told, fault, total)
                if fault == "crash" and total == 8:
                    return
            if round_number == 2 and chance.random() < 0.3:
                yield Told(1.0, "match.pause", dict(match))
                yield Told(6.0, "match.resume", dict(match))
            yield Told(1.5, "round.end", {**match, "round": round_number, "shots": 30 + total, "hits": 8 + kills})
        yield Told(2.0, "match.end", {**match, **self._result(kills, deaths)})

    def _result(self, kills: int, deaths: int) -> dict[str, Any]:
        result = "won" if kills > deaths else "lost" if kills < deaths else "drawn"
        self.rating += {"won": self._chance.randint(12, 22), "lost": -self._chance.randint(11, 20), "drawn": 1}[result]
        return {"result": result, "rating": self.rating}

    def _faulty(self, told: Told, fault: str, total: int) -> Told:
        if told.type == "kill" and fault == "out of order" and total % 5 == 0:
            return Told(told.after_s, told.type, told.data, late_s=4.0)
        if told.type == "kill" and fault == "late duplicate" and total % 6 == 0:
            return Told(told.after_s, told.type, told.data, again_s=9.0)
        return told

    def _happening(self, match: dict[str, Any], health: float, number: int) -> Iterator[Told]:
        chance, after_s = self._chance, self._chance.uniform(1.5, 5.0)
        angle = number * 0.55
        place = {"x": round(420 + 330 * math.cos(angle), 1), "y": round(300 + 210 * math.sin(angle * 1.3), 1)}
        yield Told(after_s, "position", {**match, "actor": STREAMER, **place})
        roll = chance.random()
        if roll < self._form:
            burst = 1 + (chance.random() < 0.25) + (chance.random() < 0.08)
            for _ in range(burst):
                tags = ["gust bonus"] if chance.random() < 0.15 else []
                yield Told(
                    1.4 if burst > 1 else 0.2,
                    "kill",
                    {
                        **match,
                        "actor": STREAMER,
                        "target": chance.choice(RIVALS),
                        "means": chance.choice(MEANS),
                        "tags": tags,
                    },
                )
            yield Told(0.1, "damage", {**match, "actor": STREAMER, "amount": chance.randint(40, 140)})
        elif roll < self._form + 0.32:
            by = chance.choice(RIVALS)
            yield Told(0.2, "vitals", {**match, "actor": STREAMER, "health": 0, "shield": 0})
            yield Told(0.2, "death", {**match, "actor": by, "target": STREAMER, "means": chance.choice(MEANS)})
        elif roll < self._form + 0.42:
            yield Told(0.2, "assist", {**match, "actor": STREAMER, "target": chance.choice(RIVALS)})
        else:
            left = max(round(health - chance.randint(8, 35)), 4)
            yield Told(0.2, "damage", {**match, "actor": chance.choice(RIVALS), "target": STREAMER, "amount": 20})
            yield Told(0.1, "vitals", {**match, "actor": STREAMER, "health": left, "shield": chance.randint(0, 50)})
        if chance.random() < 0.45:
            one, other = chance.sample(RIVALS, 2)
            yield Told(0.3, "kill", {**match, "actor": one, "target": other, "means": chance.choice(MEANS)})
