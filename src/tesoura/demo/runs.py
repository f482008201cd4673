"""The demo's run through The Lantern Mile: its route, and the attempts of the evenings before."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.instruments.run.piece import SIZED
from tesoura.core.instruments.runner import COMMAND
from tesoura.core.overlays.document import Piece, new_piece
from tesoura.core.values import Event

NAME = "lantern_mile"
ROUTE = """Lower town:
Gatekeeper
The Twins of Salt
The Rope Bridge

Well of Bells
High town:
The Toll Sisters
Mother Ladder
The Wick Cellar
The Last Lamplighter"""
EVENINGS: tuple[tuple[int, tuple[str, ...]], ...] = (
    (8, ("1", "02", "1", "001", "0100211.0", "01", "2")),
    (3, ("01", "0001", "1", "00001", "0100010.0", "02")),
    (1, ("1", "0010000.1", "01", "000001", "0000010.0", "01", "00001")),
)
"""Days ago, and each attempt's hits split by split; one with a dot came through."""
STEP = timedelta(seconds=95)


def before(now: datetime) -> Iterator[Event]:
    """What was pressed before the demo opened, as it stands in the log."""
    number = 0

    def press(at: datetime, command: str, **given: Any) -> Event:
        nonlocal number
        number += 1
        data = {"command": command, **given}
        return Event(f"mile-{number}", "tesoura", COMMAND + NAME, at, data, NAME, actor="key:F9")

    begin = now - timedelta(days=9)
    yield press(begin, "new_route", title="The Lantern Mile", lines=ROUTE)
    for days, attempts in EVENINGS:
        at = now - timedelta(days=days, minutes=20)
        for hits in attempts:
            at += STEP
            yield press(at, "next")
            counted = hits.replace(".", "")
            for place, count in enumerate(counted):
                for _ in range(int(count)):
                    at += STEP / 5
                    yield press(at, "way_hit" if place % 3 == 2 else "hit")
                if "." in hits or place + 1 < len(counted):
                    at += STEP
                    yield press(at, "next")
            at += STEP / 5
            yield press(at, "start_over")
            if hits == "0000010.0":
                yield press(at, "best")
    at = now - timedelta(minutes=6)
    for after, command in ((0, "next"), (95, "next"), (30, "hit"), (70, "next"), (40, "next"), (60, "next")):
        at += timedelta(seconds=after)
        yield press(at, command)


def pieces() -> tuple[Piece, ...]:
    """The run in its five arrangements."""
    places = {
        "list": (60, 150, "ink"),
        "hand": (1240, 150, "lantern"),
        "track": (960, 850, "ink"),
        "line": (60, 930, "gust"),
        "count": (1540, 460, "harbour"),
    }
    return tuple(
        new_piece(
            "run",
            name,
            name=f"Run, {name}",
            run=NAME,
            arranged=name,
            x=x,
            y=y,
            look=look,
            groups="spread",
            **SIZED[name],
        )
        for name, (x, y, look) in places.items()
    )
