"""An evening of The Windy Ladder as events: the same seed tells the same story."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

STREAMER = "mara_vane"
RIVALS = ("otto_knot", "pip_gale", "june_spool", "wren_bobbin", "tuck", "halyard_sam")
VIEWERS = ("teacup_ana", "bolt_uncle", "seven_socks", "gull_on_a_post", "margarine_moon", "lint_and_string", "oboe_sky")
MEANS = ("glass line", "tail snap", "high swoop", "low cross")
SONGS = (
    ("Paper Weather", "The Slow Kettles"),
    ("Left of the Lighthouse", "Ines & the Ladders"),
    ("Borrowed Umbrella", "Kilometre Club"),
    ("Rope Trick at Noon", "Ask the Gardener"),
)


@dataclass(frozen=True, slots=True)
class Beat:
    """One event of the story: its number, how many seconds after the one before, its type and data."""

    number: int
    after_s: float
    type: str
    data: dict[str, Any]


def evening(seed: int) -> Iterator[Beat]:
    """The story, without end."""
    chance = random.Random(f"evening:{seed}")
    number = match = 0
    while True:
        match += 1
        for kind, data, after_s in _match(chance, match):
            number += 1
            yield Beat(number, after_s, kind, data)


def _match(chance: random.Random, match: int) -> Iterator[tuple[str, dict[str, Any], float]]:
    yield "match.start", {"match": match, "arena": "The Windy Ladder"}, 3.0
    title, artist = chance.choice(SONGS)
    yield "song", {"title": title, "artist": artist}, 1.0
    cuts = losses = 0
    for _ in range(chance.randint(10, 16)):
        after_s = chance.uniform(2.0, 7.0)
        roll = chance.random()
        if roll < 0.55:
            cuts += 1
            tags = ["gust bonus"] if chance.random() < 0.15 else []
            means = chance.choice(MEANS)
            yield "kill", {"actor": STREAMER, "target": chance.choice(RIVALS), "means": means, "tags": tags}, after_s
        elif roll < 0.75:
            losses += 1
            yield "death", {"actor": chance.choice(RIVALS), "target": STREAMER, "means": chance.choice(MEANS)}, after_s
        elif roll < 0.92:
            yield "gift", {"name": chance.choice(VIEWERS), "amount": chance.choice((1, 1, 1, 2, 5, 10))}, after_s
        else:
            yield "follow", {"name": chance.choice(VIEWERS)}, after_s
    result = "won" if cuts > losses else "lost" if cuts < losses else "drawn"
    yield "match.end", {"match": match, "result": result, "cuts": cuts, "lost": losses}, 4.0
