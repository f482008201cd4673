"""The log in open formats: CSV, JSON lines of CloudEvents, and WebVTT markers for a recording."""

from __future__ import annotations

import csv
import io
import json
import unicodedata
from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime, timedelta

from tesoura.core.instruments.records import KeptRecord
from tesoura.core.language.graphemes import shortened
from tesoura.store.log import QUIET, Logged

MARK_S = 4.0
UNMARKED = (*QUIET, "tesoura.action")
"""What was done with Tesoura is no place in a recording that anybody looks for."""
_FORMULA_LIKE = ("=", "+", "-", "@", "\t", "\r")
HEADS = ("place", "time", "type", "source", "id", "subject", "data")


def csv_lines(events: Iterable[Logged]) -> Iterator[str]:
    """One row an event. A text that a table program would take for a formula gets an apostrophe before it."""
    yield _row(HEADS)
    for one in events:
        event = one.event
        data = json.dumps(dict(event.data), ensure_ascii=False)
        cells = (event.type, event.source, event.id, event.subject or "", data)
        yield _row((str(one.seq), event.time.isoformat(), *(_harmless(cell) for cell in cells)))


def record_lines(records: Iterable[KeptRecord], columns: Mapping[str, str]) -> Iterator[str]:
    """One row a record of an instrument, under the headings of its columns."""
    yield _row(("place", "time", *(_harmless(heading) for heading in columns.values())))
    for one in records:
        cells = (_harmless(str(one.record.data.get(name, ""))) for name in columns)
        yield _row((str(one.seq), one.record.at.isoformat(), *cells))


def table_line(cells: Iterable[str]) -> str:
    """One row of any table, no cell of which a table program takes for a formula."""
    return _row(_harmless(cell) for cell in cells)


def _row(cells: Iterable[str]) -> str:
    out = io.StringIO()
    csv.writer(out).writerow(cells)
    return out.getvalue()


def _harmless(cell: str) -> str:
    # Table programs look past white space, and some take the wide forms of these signs for them.
    begins = unicodedata.normalize("NFKC", cell.lstrip()[:1])
    return f"'{cell}" if cell.startswith(_FORMULA_LIKE) or begins.startswith(_FORMULA_LIKE) else cell


def json_lines(events: Iterable[Logged]) -> Iterator[str]:
    """One CloudEvent a line; `/api/events` takes them in again, but what tells of Tesoura itself."""
    for one in events:
        event = one.event
        told = {
            "specversion": "1.0",
            "id": event.id,
            "source": event.source,
            "type": event.type,
            "time": event.time.isoformat(),
            "datacontenttype": "application/json",
            "data": dict(event.data),
        }
        if event.subject:
            told["subject"] = event.subject
        if event.actor:
            told["actor"] = event.actor
        yield json.dumps(told, ensure_ascii=False) + "\n"


def markers(events: Iterable[Logged], began: datetime) -> Iterator[str]:
    """WebVTT (W3C): each event a cue of four seconds, counted from the session's beginning."""
    yield "WEBVTT\n\n"
    for one in events:
        at = one.event.time - began
        if at < timedelta() or one.event.type in UNMARKED:
            continue
        yield f"{one.seq}\n{_stamp(at)} --> {_stamp(at + timedelta(seconds=MARK_S))}\n{_cue(one)}\n\n"


def _stamp(at: timedelta) -> str:
    thousandths = at // timedelta(milliseconds=1)
    seconds, thousandths = divmod(thousandths, 1_000)
    return f"{seconds // 3_600:02}:{seconds // 60 % 60:02}:{seconds % 60:02}.{thousandths:03}"


def _cue(one: Logged) -> str:
    facts = [str(value) for value in one.event.data.values() if isinstance(value, str | int | float)][:5]
    text = " ".join([one.event.type, *facts])
    # A cue is one line here, and neither an arrow nor an angle bracket may stand in it as itself.
    text = shortened(" ".join(text.split()), 300)
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
