"""The long form of the recounts that the tests run briefly: evenings counted again by the words, and compared."""

from __future__ import annotations

import random
import tempfile
import time
from pathlib import Path
from typing import Any

from benchmarks import evening_kills, kills

SEEDS, ROUNDS, EVENINGS = 60, 20, 4_000


def _windows() -> dict[str, Any]:
    """Windows, chains and counts with late, future, tied and doubled events, restarts, and new sessions."""
    from tests.runtime.test_recount import Evening

    compared = restarts = 0
    began = time.perf_counter()
    for seed in range(100, 100 + SEEDS):
        with tempfile.TemporaryDirectory() as folder:
            evening = Evening(Path(folder) / "data", seed)
            for _ in range(ROUNDS):
                for _ in range(evening.chance.randrange(8)):
                    evening.gift()
                compared += evening.check()
                act = evening.chance.random()
                if act < 0.3:
                    compared += evening.again(killed=act < 0.2)
                    restarts += 1
                elif act < 0.4:
                    evening.session()
                compared += evening.check()
                evening.later()
            evening.running.stop()
    return {
        "evenings": SEEDS,
        "restarts": restarts,
        "compared": compared,
        "seconds": round(time.perf_counter() - began),
    }


def _statistics() -> dict[str, Any]:
    """Evenings of a game, their events in any order."""
    from tests.core import test_nasty_evenings as nasty

    count = nasty.test_nasty_evenings_are_counted_as_the_words_say.hypothesis.inner_test  # type: ignore[attr-defined]
    chance, began = random.Random(7), time.perf_counter()
    for _ in range(EVENINGS):
        things = [
            (chance.randrange(201), chance.choice("kkkkdr"), chance.random() < 0.5) for _ in range(chance.randrange(40))
        ]
        starts = chance.sample(range(151), chance.randrange(5))
        matches = [(at, chance.choice([None, chance.randrange(81)])) for at in starts]
        count(things, matches, chance.randrange(121), chance)
    return {"evenings": EVENINGS, "compared": EVENINGS * 16, "seconds": round(time.perf_counter() - began)}


def measure() -> dict[str, Any]:
    """How much was compared; the first figure that differs ends it with an error that names it.

    The kills go on to their end, and tell what was lost, doubled or different.
    """
    return {
        "statistics": _statistics(),
        "windows": _windows(),
        "saves": kills.killed(kills.ROUNDS, 1),
        "evening": evening_kills.killed(evening_kills.KILLS, 1),
    }
