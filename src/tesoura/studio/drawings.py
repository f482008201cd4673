"""What overlays draw beside texts: charts that move on with time, and lists of what happened last."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from tesoura.core.names import snake
from tesoura.core.overlays.pieces.chart import UNTIL_S, drawn
from tesoura.core.overlays.pieces.kind import ChartLine, Latest
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event, Scalar, scalars

SOONEST = timedelta(seconds=1)
Values = dict[str, str]
Recent = Mapping[str, list[Mapping[str, object]]]
"""The latest events' data by type, the newest first."""


@dataclass(slots=True)
class _Chart:
    trail: ChartLine
    due: datetime
    path: str = ""


@dataclass(slots=True)
class _List:
    latest: Latest
    rows: deque[tuple[str, ...]] = field(default_factory=deque)


class Drawings:
    """Charts and lists under keys, `overlay/piece.part`."""

    def __init__(self, engine: Engine, clock: Callable[[], datetime]) -> None:
        self._engine, self._clock = engine, clock
        self._charts: dict[str, _Chart] = {}
        self._lists: dict[str, _List] = {}
        self._listing: dict[str, list[str]] = {}

    def show_chart(self, key: str, trail: ChartLine) -> str:
        """Keep a chart up to date from now on; its line now."""
        now = self._clock()
        chart = self._charts[key] = _Chart(trail, now + timedelta(seconds=UNTIL_S), self.line(trail))
        return chart.path

    def line(self, trail: ChartLine) -> str:
        """A chart's line as it is now."""
        now = self._clock()
        signal = self._engine.signal(trail.signal, now)
        return drawn(signal.trail, now.timestamp(), trail.minutes) if signal else ""

    def show_list(self, key: str, latest: Latest, recent: list[Mapping[str, object]]) -> Values:
        """Keep a list up to date from now on, beginning with these events, the newest first; its cells now."""
        kept = self._lists[key] = _List(latest, deque(maxlen=latest.rows))
        self._listing.setdefault(latest.type, []).append(key)
        kept.rows.extend(self.rows(latest, recent))
        return cells(latest, list(kept.rows))

    def rows(self, latest: Latest, recent: list[Mapping[str, object]]) -> list[tuple[str, ...]]:
        """The rows that these events make."""
        return [row for data in recent[: latest.rows] if any(row := self._row(latest, data))]

    def _row(self, latest: Latest, data: Mapping[str, object]) -> tuple[str, ...]:
        feed = self._engine.event_feed(latest.type) or snake(latest.type)
        values: dict[str, Scalar] = {f"{feed}.{snake(key)}": scalar for key, scalar in scalars(data)}
        return tuple(self._engine.texts.of_event(column, feed, values).text for column in latest.columns)

    def hide(self, prefix: str) -> None:
        """Stop everything whose key begins so."""
        for kept in (self._charts, self._lists):
            for key in [key for key in kept if key.startswith(prefix)]:
                del kept[key]
        self._listing = {}
        for key, one in self._lists.items():
            self._listing.setdefault(one.latest.type, []).append(key)

    def happened(self, event: Event) -> Iterator[tuple[str, Values]]:
        """An event came: the lists that changed, by key, with their cells."""
        for key in self._listing.get(event.type, ()):
            kept = self._lists[key]
            if any(row := self._row(kept.latest, event.data)):
                kept.rows.appendleft(row)
                yield key, cells(kept.latest, list(kept.rows))

    def touched(self, signals: tuple[str, ...], now: datetime) -> None:
        """Signals changed: their charts are due soon."""
        if self._charts and signals:
            soon = now + SOONEST
            names = set(signals)
            for chart in self._charts.values():
                if chart.trail.signal in names and chart.due > soon:
                    chart.due = soon

    def step(self, now: datetime) -> Iterator[tuple[str, str]]:
        """Draw what is due; the lines that changed, by key."""
        for key, chart in self._charts.items():
            if chart.due <= now:
                chart.due = now + timedelta(seconds=UNTIL_S)
                path = self.line(chart.trail)
                if path != chart.path:
                    chart.path = path
                    yield key, path

    def next_change(self) -> datetime | None:
        """When a chart is due next."""
        return min((chart.due for chart in self._charts.values()), default=None)


def cells(latest: Latest, rows: list[tuple[str, ...]]) -> Values:
    """The texts of a list's cells, by row and column, those of rows that are not there included."""
    empty = ("",) * len(latest.columns)
    padded = [*rows, *([empty] * (latest.rows - len(rows)))]
    return {f"{row}_{column}": text for row, texts in enumerate(padded, 1) for column, text in enumerate(texts, 1)}
