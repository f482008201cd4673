"""The log: every accepted event, in order, for good or for as long as the user keeps it."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from heapq import merge
from itertools import islice, zip_longest
from typing import Any

from sqlalchemy import func, or_, text, type_coerce
from sqlmodel import Session, col, select

from tesoura.core.computed.clock_sets import ClockSet, ClockSets
from tesoura.core.computed.occurrence import MICRO, Occurrence, instant, micros
from tesoura.core.values import INSTRUMENT, Event
from tesoura.store.event_corrections import CORRECTION, NO_CORRECTION, Corrected, corrections
from tesoura.store.search_words import words_of
from tesoura.store.tables import ComputedRow, EventRow, Instant, PastCountRow, PositionRow, SessionRow

CLOCK_SET = "tesoura.clock_set"
"""The type of an event that tells by how many seconds the computer's clock was set."""
QUIET = (
    "tesoura.signal",
    "tesoura.painted",
    "tesoura.effect",
    "tesoura.effect_ended",
    "tesoura.air",
    "tesoura.seen",
    "tesoura.cover",
    "chat.line",
)
"""Types of events of which there are many and which nobody looks for: listed only when they are asked for."""
CHUNK = 2_000
AT_ONCE = 250
"""How many events' words go into the index with one job: more would keep other writing waiting."""
_INDEXED = 2
"""The row that tells up to which place the words of events are in the index."""
MAX_BACKWARDS = 50_000
LOOKED_BACK = 20_000
"""Among so many of the newest events the desk looks for those to show."""

# Plain statements for the driver: building one, or going through more layers, costs more than running it.
_APPEND = (
    "INSERT INTO event (seq, id, source, type, time, accepted_at, subject, data, cause, actor) "
    "VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING"
)
_ROW = "SELECT seq, id, source, type, time, accepted_at, subject, data, cause, actor FROM event"
_AFTER = f"{_ROW} WHERE seq > ? ORDER BY seq LIMIT ?"
# The plus keeps SQLite from the index of types, behind which it would have to sort.
_BACKWARDS = f"{_ROW} WHERE type = ? AND +seq <= ? ORDER BY time DESC, accepted_at DESC, seq DESC LIMIT ?"
_UNINDEXED = "SELECT seq, type, source, subject, actor, data FROM event WHERE seq > ? ORDER BY seq LIMIT ?"
_WORDS = "INSERT INTO event_words (rowid, words) VALUES (?, ?)"
_TYPES = """
WITH RECURSIVE types(type) AS (
  SELECT min(type) FROM event WHERE type >= :low
  UNION ALL SELECT (SELECT min(type) FROM event WHERE type > types.type) FROM types WHERE type IS NOT NULL
)
"""
"""Every type of event that there is: a step in an index for each, however many events it has."""
_COUNTS = text(
    _TYPES
    + """
SELECT types.type, count(*), max(min(event.time, event.accepted_at))
FROM types CROSS JOIN event ON event.type = types.type AND event.time >= :start AND event.accepted_at >= :start
  AND event.seq <= :until_seq AND min(event.time, event.accepted_at) < :until
GROUP BY types.type
"""
)
_TYPES_UNDER = text(f"{_TYPES} SELECT type FROM types WHERE type < :high")  # noqa: S608
_FORGET_WORDS = text("INSERT INTO event_words(event_words, rowid, words) VALUES ('delete', :seq, :words)")


@dataclass(frozen=True, slots=True)
class Logged:
    """An event, its place in the log, and when it was accepted."""

    seq: int
    event: Event
    accepted_at: datetime


def append(session: Session, events: Sequence[Event], now: datetime) -> list[Logged]:
    """Write events; those that were new, with their places. A repeat of source and id is passed over."""
    return [one for one in append_each(session, events, now) if one is not None]


def append_each(session: Session, events: Sequence[Event], now: datetime) -> list[Logged | None]:
    """Write events; each with its place, or None for a repeat of source and id, which is passed over.

    Places are given here and not by the database, so that all go in as one statement; a repeat leaves a gap.
    """
    driver: Any = session.connection().connection
    return append_plain(driver, events, now)


def append_plain(driver: sqlite3.Connection, events: Sequence[Event], now: datetime) -> list[Logged | None]:
    """The same, with nothing but the driver's connection."""
    if not events:
        return []
    first = (driver.execute("SELECT max(seq) FROM event").fetchone()[0] or 0) + 1
    accepted_at = micros(now)
    rows = [
        (
            seq,
            event.id,
            event.source,
            event.type,
            micros(event.time),
            accepted_at,
            event.subject,
            json.dumps(dict(event.data), ensure_ascii=False),
            event.cause,
            event.actor,
        )
        for seq, event in enumerate(events, first)
    ]
    count = driver.executemany(_APPEND, rows).rowcount
    there: Collection[int] = range(first, first + len(events))
    if count != len(events):
        there = {seq for (seq,) in driver.execute("SELECT seq FROM event WHERE seq >= ?", (first,))}
    return [Logged(seq, event, now) if seq in there else None for seq, event in enumerate(events, first)]


def index_words(session: Session, most: int = AT_ONCE) -> int:
    """Put the words of so many events into the index of words, the oldest that are not in it; how many there were.

    Not when an event is written: the index takes many at once with far less work than one by one.
    """
    position = session.get(PositionRow, _INDEXED)
    driver: Any = session.connection().connection
    found = driver.execute(_UNINDEXED, (position.seq if position else 0, most)).fetchall()
    if found:
        words = [(seq, words_of((kind, source, *about), json.loads(data))) for seq, kind, source, *about, data in found]
        driver.executemany(_WORDS, words)
        session.merge(PositionRow(id=_INDEXED, seq=found[-1][0]))
        session.flush()
    return len(found)


def words_of_event(event: Event) -> str:
    """The words by which an event can be found, with spaces between."""
    return words_of((event.type, event.source, event.subject, event.actor), event.data)


def logged_of(row: EventRow) -> Logged:
    """A row of the log as what it tells."""
    event = Event(row.id, row.source, row.type, row.time, row.data, row.subject, row.cause, row.actor)
    return Logged(row.seq or 0, event, row.accepted_at)


# Reading it in order


def after(session: Session, seq: int, most: int | None = None) -> list[Logged]:
    """Return the events behind this place in the log, oldest first, at most so many."""
    driver: Any = session.connection().connection
    return [_logged(row) for row in driver.execute(_AFTER, (seq, -1 if most is None else most)).fetchall()]


def _logged(row: tuple[Any, ...]) -> Logged:
    """Return what a row of `_ROW` tells."""
    seq, id, source, kind, at, accepted_at, subject, data, cause, actor = row
    event = Event(id, source, kind, instant(at), json.loads(data), subject, cause, actor)
    return Logged(seq, event, instant(accepted_at))


def happenings(
    session: Session,
    types: Sequence[str],
    since: datetime | None,
    until_seq: int,
    after_seq: int = 0,
    in_order: bool = False,
) -> Iterator[Occurrence]:
    """The events of these types as computations take them, amounts as they were corrected since.

    They come in no order, unless `in_order` of the log is asked for, which costs a little more.
    """
    if not types:
        return
    corrected = corrections(session)
    wanted = ", ".join("?" * len(types))
    asked = f"SELECT seq, type, time, accepted_at, data, source FROM event WHERE type IN ({wanted}) "  # noqa: S608
    driver: Any = session.connection().connection
    given: list[Any] = [*types, after_seq, until_seq]
    asked += "AND seq > ? AND seq <= ?"
    if since is not None:
        asked += " AND time >= ?"
        given.append(micros(since))
    # The plus keeps SQLite from walking through the whole log for a few types of it.
    cursor = driver.execute(asked + (" ORDER BY +seq" if in_order else ""), given)
    try:
        yield from _occurrences(cursor, corrected)
    finally:
        cursor.close()


def walk(
    session: Session, types: Collection[str], until_seq: int, after_seq: int = 0, corrected: Corrected | None = None
) -> Iterator[Occurrence]:
    """Yield the events of many types in the log's order, read from one end to the other.

    For types that make up much of the log: `happenings` looks each type up in an index. With `corrected`, as if these
    were the corrections there are.
    """
    corrected = corrections(session) if corrected is None else corrected
    wanted = ", ".join("?" * len(types))
    # The plus keeps SQLite from the index of types, behind which it would have to sort.
    asked = (
        "SELECT seq, type, time, accepted_at, data, source FROM event "  # noqa: S608
        f"WHERE seq > ? AND seq <= ? AND +type IN ({wanted}) ORDER BY seq"
    )
    driver: Any = session.connection().connection
    cursor = driver.execute(asked, [after_seq, until_seq, *types])
    try:
        yield from _occurrences(cursor, corrected)
    finally:
        cursor.close()


def _occurrences(rows: Iterable[Any], corrected: Corrected) -> Iterator[Occurrence]:
    for seq, kind, at, accepted_at, raw, source in rows:
        one = Occurrence(min(at, accepted_at), seq, kind, json.loads(raw), source)
        change = corrected.get(seq)
        if change is None:
            yield one
        elif not change.is_void:
            yield change.of(one)


def clock_sets(session: Session) -> ClockSets:
    """Return when and by how much the computer's clock was set."""
    rows = session.exec(select(EventRow).where(EventRow.type == CLOCK_SET).order_by(col(EventRow.seq)))
    found = []
    for row in rows:
        by_s = row.data.get("by_s")
        by = round(by_s * MICRO) if isinstance(by_s, int | float) else 0
        found.append(ClockSet(row.seq or 0, by, micros(row.accepted_at) - by))
    return ClockSets(found)


def has(session: Session, source: str, id: str) -> bool:
    """Whether an event of this source and id is in the log."""
    return session.exec(select(EventRow.seq).where(EventRow.source == source, EventRow.id == id)).first() is not None


def ids(session: Session, source: str, beginning: str, since: datetime) -> frozenset[str]:
    """The ids of a source that begin so, of the events that were accepted since then."""
    wanted = select(EventRow.id).where(EventRow.source == source, EventRow.accepted_at >= since)
    return frozenset(session.exec(wanted.where(EventRow.id >= beginning, EventRow.id < f"{beginning}\U0010ffff")))


def backwards(session: Session, types: Sequence[str], until_seq: int) -> Iterator[Logged]:
    """The events of these types, the latest first, amounts as they were corrected since."""
    corrected = corrections(session)
    driver: Any = session.connection().connection
    each = [map(_logged, driver.execute(_BACKWARDS, (kind, until_seq, MAX_BACKWARDS))) for kind in types]
    for logged in islice(merge(*each, key=lambda one: (one.event.time, one.seq), reverse=True), MAX_BACKWARDS):
        change = corrected.get(logged.seq, NO_CORRECTION)
        if not change.is_void:
            yield replace(logged, event=change.of_event(logged.event)) if change is not NO_CORRECTION else logged


def corrections_of(session: Session, seq: int) -> list[Logged]:
    """The corrections of one event, oldest first."""
    asked = select(EventRow).where(EventRow.type == CORRECTION, EventRow.subject == str(seq))
    return [logged_of(row) for row in session.exec(asked.order_by(col(EventRow.seq)))]


def corrected_seqs(session: Session) -> list[tuple[int, int]]:
    """Of each correction its own place and that of the event which it corrects."""
    rows = session.exec(select(EventRow).where(EventRow.type == CORRECTION))
    return [(row.seq or 0, seq) for row in rows if isinstance(seq := row.data.get("seq"), int)]


def with_data(event: Event, changed: Mapping[str, Any]) -> Event:
    """The event with other values in these fields of its data."""
    return replace(event, data={**event.data, **changed})


# Looking into it


def latest(session: Session, count: int) -> list[Logged]:
    """The newest events, newest first."""
    return [logged_of(row) for row in session.exec(select(EventRow).order_by(col(EventRow.seq).desc()).limit(count))]


def happened(session: Session, count: int) -> list[Logged]:
    """The newest events that somebody would look for, newest first."""
    # A chat may have said thousands of lines since: then the list is shorter, and not slow.
    asked = select(EventRow).where(
        col(EventRow.type).not_in(QUIET), col(EventRow.seq) > last_seq(session) - LOOKED_BACK
    )
    return [logged_of(row) for row in session.exec(asked.order_by(col(EventRow.seq).desc()).limit(count))]


def newest_under(session: Session, prefix: str, count: int) -> list[Logged]:
    """The newest events whose type begins so, the newest first."""
    kinds = session.connection().execute(_TYPES_UNDER, {"low": prefix, "high": prefix + "\uffff"}).scalars().all()
    newest = [one for kind in kinds for one in newest_before(session, kind, 2**62, count)]
    return sorted(newest, key=lambda one: one.seq, reverse=True)[:count]


def of_gone_instruments(session: Session, kinds: Iterable[str]) -> set[str]:
    """Return the event types that come only from an instrument that was removed."""
    there = set(session.exec(select(ComputedRow.name).where(col(ComputedRow.removed_at).is_(None))))
    found = set()
    for kind in kinds:
        name, dot, _ = kind.partition(".")
        if dot and name not in there and kind in types_of(session, INSTRUMENT + name):
            others = select(EventRow.seq).where(EventRow.type == kind, EventRow.source != INSTRUMENT + name)
            if session.exec(others.limit(1)).first() is None:
                found.add(kind)
    return found


def types_of(session: Session, source: str) -> list[str]:
    """Return the event types from this source."""
    return sorted(session.exec(select(EventRow.type).where(EventRow.source == source).distinct()))


def one(session: Session, seq: int) -> Logged | None:
    """The event at this place."""
    row = session.get(EventRow, seq)
    return logged_of(row) if row else None


def accepted_at(session: Session, seq: int) -> datetime | None:
    """When the event at this place was accepted; None when there is none."""
    return session.exec(select(EventRow.accepted_at).where(EventRow.seq == seq)).first()


def with_corrections(session: Session, seq: int) -> Logged | None:
    """The event at this place, its amounts as they were corrected since."""
    found = one(session, seq)
    if found is None:
        return None
    change = NO_CORRECTION
    for later in corrections_of(session, seq):
        change = change.after(later.event.data)
    return replace(found, event=change.of_event(found.event)) if change is not NO_CORRECTION else found


def last_seq(session: Session) -> int:
    """The place of the newest event, 0 when there is none."""
    return session.exec(select(func.max(EventRow.seq))).one() or 0


def seq_before(session: Session, at: datetime) -> int:
    """The place of the last event that was accepted before this instant, 0 when there was none.

    Between two settings of the clock later places were accepted later, so it is found by halving.
    """
    last = last_seq(session)
    for first in [*(one.seq for one in reversed(clock_sets(session).sets)), 0]:
        if (found := _before_in(session, at, first, last)) is not None:
            return found
        last = first - 1
    return 0


def _before_in(session: Session, at: datetime, first: int, last: int) -> int | None:
    """Return the last place from `first` to `last` that was accepted before `at`; None when there is none."""
    found = None
    while first <= last:
        middle = (first + last) // 2
        row = session.exec(
            select(EventRow.seq, EventRow.accepted_at)
            .where(col(EventRow.seq) <= middle, col(EventRow.seq) >= first)
            .order_by(col(EventRow.seq).desc())
            .limit(1)
        ).first()
        if row is None:
            first = middle + 1
        elif row[1] < at:
            found, first = row[0], middle + 1
        else:
            last = (row[0] or 0) - 1
    return found


def newest_before(session: Session, kind: str, until_seq: int, count: int) -> list[Logged]:
    """The newest events of a type up to a place in the log, the oldest of them first."""
    asked = select(EventRow).where(EventRow.type == kind, col(EventRow.seq) <= until_seq)
    rows = session.exec(asked.order_by(col(EventRow.seq).desc()).limit(count))
    return [logged_of(row) for row in rows][::-1]


def voided(session: Session) -> set[int]:
    """Return the places of the events that are void."""
    return {seq for seq, one in corrections(session).items() if one.is_void}


def counts_since(session: Session, start: datetime, until: datetime | None = None) -> dict[str, int]:
    """How many events of each type happened from this instant on, and before that one."""
    counts = {kind: count for kind, (count, _) in _counts(session, start, until=until).items()}
    for seq in voided(session):
        row = session.get(EventRow, seq)
        if (
            row is not None
            and min(row.time, row.accepted_at) >= start
            and (until is None or min(row.time, row.accepted_at) < until)
        ):
            counts[row.type] -= 1
    return {kind: count for kind, count in counts.items() if count}


def _counts(
    session: Session, start: datetime, until_seq: int = 2**62, until: datetime | None = None
) -> dict[str, tuple[int, datetime]]:
    """How many events of each type happened between these instants, up to this place, and when the last did."""
    given = {"low": "", "start": micros(start), "until_seq": until_seq, "until": micros(until) if until else 2**62}
    rows = session.connection().execute(_COUNTS, given)
    return {kind: (count, instant(last)) for kind, count, last in rows}


def _from(start: datetime) -> tuple[Any, Any]:
    """What happened from this instant on. An event happened no later than it was accepted, whatever it claims."""
    return col(EventRow.time) >= start, col(EventRow.accepted_at) >= start


def _before(until: datetime) -> Any:
    """What happened before this instant."""
    return or_(col(EventRow.time) < until, col(EventRow.accepted_at) < until)


def counts_and_last(session: Session, start: datetime, until_seq: int) -> dict[str, tuple[int, datetime]]:
    """How many events of each type happened from this instant on, and when the last of them did; up to this place."""
    sets, changed = clock_sets(session), corrections(session)
    if sets or any(one.is_void or one.at is not None for one in changed.values()):
        return _counts_by_hand(session, micros(start), until_seq, sets, changed)
    return _counts(session, start, until_seq)


def _counts_by_hand(
    session: Session, start: int, until_seq: int, sets: ClockSets, changed: Corrected
) -> dict[str, tuple[int, datetime]]:
    """The same where the clock was set or events were corrected, so that no two can be compared as they were logged."""
    earliest = start - sum(abs(one.by) for one in sets.sets)
    driver: Any = session.connection().connection
    rows = driver.execute(
        "SELECT seq, type, min(time, accepted_at) FROM event WHERE time >= ? AND accepted_at >= ? AND seq <= ?",
        (earliest, earliest, until_seq),
    ).fetchall()
    # One whose time was corrected may lie before all that was looked for.
    moved = [seq for seq, one in changed.items() if one.at is not None]
    there = {seq for seq, _, _ in rows}
    rows += [
        (row.seq, row.type, micros(min(row.time, row.accepted_at)))
        for seq in moved
        if seq not in there and (row := session.get(EventRow, seq)) is not None
    ]
    found: dict[str, tuple[int, int]] = {}
    for seq, kind, raw in rows:
        change = changed.get(seq, NO_CORRECTION)
        if change.is_void:
            continue
        if (at := sets.now_at(seq, raw) if change.at is None else change.at) >= start:
            count, last = found.get(kind, (0, at))
            found[kind] = (count + 1, max(last, at))
    return {kind: (count, instant(last)) for kind, (count, last) in found.items()}


def last_time(session: Session, start: datetime, until: datetime | None) -> datetime | None:
    """When the last event between these instants happened."""
    asked = select(EventRow.time).where(col(EventRow.time) >= start)
    if until is not None:
        asked = asked.where(col(EventRow.time) < until)
    return session.exec(asked.order_by(col(EventRow.time).desc()).limit(1)).first()


def recent_data(session: Session, kinds: Sequence[str], count: int = 20) -> list[Mapping[str, object]]:
    """The data of the newest events of these types."""
    found: list[tuple[int, Mapping[str, object]]] = []
    changed = corrections(session)
    for kind in kinds:
        # Type by type, each from the end of its index: all of them at once would be sorted first.
        asked = select(EventRow.seq, EventRow.data).where(EventRow.type == kind)
        newest = asked.order_by(col(EventRow.seq).desc()).limit(count + len(changed))
        for seq, data in session.exec(newest):
            change = changed.get(seq or 0, NO_CORRECTION)
            if not change.is_void:
                found.append((seq or 0, {**data, **change.fields}))
    found.sort(key=lambda one: one[0], reverse=True)
    return [data for _, data in found[:count]]


def newest_valid(session: Session, kind: str) -> Logged | None:
    """Return the newest event of a type that is not void, as it reads now."""
    for logged in backwards(session, [kind], last_seq(session)):
        return logged
    return None


def caused_by(session: Session, seq: int) -> list[Logged]:
    """What this event led to, oldest first."""
    asked = select(EventRow).where(EventRow.cause == seq, col(EventRow.seq) > seq).order_by(col(EventRow.seq))
    return [logged_of(row) for row in session.exec(asked.limit(CHUNK))]


# Letting go


def prunable(session: Session, before: datetime, most: int = 20_000) -> int | None:
    """Up to which place the log's beginning is all older than this instant, at most so many events; None for none."""
    first_kept = session.exec(select(func.min(EventRow.seq)).where(*_from(before))).one()
    # The last event stays whatever its age: places in the log go on from it.
    asked = select(EventRow.seq).where(col(EventRow.seq) < last_seq(session)).order_by(col(EventRow.seq)).limit(most)
    if first_kept is not None:
        asked = asked.where(col(EventRow.seq) < first_kept)
    return max((seq for seq in session.exec(asked) if seq is not None), default=None)


def first_time(session: Session) -> datetime | None:
    """When the oldest event that is kept happened."""
    return session.exec(select(EventRow.time).order_by(col(EventRow.time)).limit(1)).first()


def prune(session: Session, until_seq: int) -> int:
    """Let go of the log's beginning, up to this place; how many events went."""
    while index_words(session, CHUNK):  # Only what is in the index of words can be taken out of it.
        pass
    rows = session.exec(select(EventRow).where(col(EventRow.seq) <= until_seq)).all()
    if not rows:
        return 0
    _remember_counts(session, until_seq)
    connection = session.connection()
    connection.execute(_FORGET_WORDS, [{"seq": row.seq, "words": words_of_event(logged_of(row).event)} for row in rows])
    delete = text("DELETE FROM event WHERE seq = :seq")
    connection.execute(delete, [{"seq": row.seq} for row in rows])
    return len(rows)


def _remember_counts(session: Session, until_seq: int) -> None:
    """What is let go stays counted for the stream session in which it happened."""
    began = session.exec(select(SessionRow.id, SessionRow.started_at).order_by(col(SessionRow.started_at))).all()
    ends = [at for _, at in began[1:]]
    happened = func.max(type_coerce(func.min(EventRow.time, EventRow.accepted_at), Instant))
    for (session_id, start), end in zip_longest(began, ends):
        asked = select(EventRow.type, func.count(), happened).where(col(EventRow.seq) <= until_seq, *_from(start))
        if void := voided(session):
            asked = asked.where(col(EventRow.seq).not_in(void))
        if end is not None:
            asked = asked.where(_before(end))
        for kind, count, last in session.exec(asked.group_by(EventRow.type)):
            row = session.get(PastCountRow, (session_id, kind))
            row = row or PastCountRow(session_id=session_id or 0, type=kind, count=0, last_at=last)
            row.count, row.last_at = row.count + count, max(row.last_at, last)
            session.add(row)


def past_counts(session: Session, session_id: int) -> dict[str, tuple[int, datetime]]:
    """How many events of each type a stream session had that the log does not hold any more, and when the last was."""
    rows = session.exec(select(PastCountRow).where(PastCountRow.session_id == session_id))
    return {row.type: (row.count, row.last_at) for row in rows}
