"""A law: what is built from the log anew tells the same as what was counted event by event."""

from __future__ import annotations

import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.definitions import build
from tesoura.core.computed.graph import make_state
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event
from tesoura.runtime.replay import feed_from_log
from tesoura.store import log
from tesoura.store.event_corrections import CORRECTION
from tesoura.store.store import open_store

SEVEN = datetime(2026, 11, 26, 19, 0, tzinfo=UTC)
NOW = SEVEN + timedelta(minutes=61)
STATS = ["count", "sum", "mean", "latest", "first", "largest", "fastest", "top", "per_minute"]
SPANS = (
    ("session", 0),
    ("today", 0),
    ("week", 0),
    ("month", 0),
    ("year", 0),
    ("all", 0),
    ("minutes", 15),
    ("events", 4),
)
GIFTS = st.lists(
    st.tuples(st.integers(-3000, 3600), st.sampled_from(["Ana", "ana", "Bolt", "", "ǅ"]), st.integers(-2, 9)),
    max_size=25,
)
CORRECTIONS = st.lists(st.tuples(st.integers(1, 25), st.integers(0, 99)), max_size=4)


def definitions() -> list[Any]:
    made = []
    for over, length in SPANS:
        chosen = {"types": ["gift"], "amount": "n", "by": "name", "over": over, "length": length, "stats": STATS}
        made.append(build("window", f"w_{over}", chosen))
    return [*made, build("chain", "chain", {"types": ["gift"], "within_s": 300, "by": "name"})]


@settings(max_examples=25, deadline=None)
@given(GIFTS, CORRECTIONS)
def test_the_log_tells_the_same_as_counting_did(
    gifts: list[tuple[int, str, int]], corrections: list[tuple[int, int]]
) -> None:
    almanac = Almanac(UTC, 0, SEVEN)
    engine = Engine()
    engine.set_almanac(almanac)
    for definition in definitions():
        engine.compute(definition, SEVEN)
    with tempfile.TemporaryDirectory() as folder:
        store = open_store(Path(folder))
        for number, (second, name, amount) in enumerate(gifts, 1):
            event = Event(str(number), "x", "gift", SEVEN + timedelta(seconds=second), {"name": name, "n": amount})
            [logged] = store.write(lambda session, event=event: log.append(session, [event], NOW))  # type: ignore[misc]
            engine.apply_event(logged.event, NOW, logged.seq)
        hard: set[str] = set()
        for seq, amount in corrections:
            found = store.read(lambda session, seq=seq: log.with_corrections(session, seq))  # type: ignore[misc]
            if found is None or found.event.type != "gift":
                continue
            data = {"seq": seq, "field": "n", "was": found.event.data["n"], "now": amount}
            told = Event(f"c{seq}-{amount}", "tesoura", CORRECTION, NOW, data, str(seq))
            store.write(lambda session, told=told: log.append(session, [told], NOW))  # type: ignore[misc]
            after = log.with_data(found.event, {"n": amount})
            hard |= set(engine.correct(found.event, after, seq, NOW, NOW))
        last = store.read(log.last_seq)
        for definition in definitions():
            counted = engine.graph.state(definition.name)
            assert counted is not None
            anew = make_state(definition, almanac, NOW)
            store.read(lambda session, anew=anew: feed_from_log(session, anew, last, 0, NOW))  # type: ignore[misc]
            if definition.name not in hard:
                counted.settle(NOW)
                anew.settle(NOW)
                assert counted.read(NOW, {}) == anew.read(NOW, {})
        store.close()
