"""Looking into the log: pages, searches and filters, all that was looked for, and what there is to look for."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

from sqlalchemy import ColumnElement, text
from sqlmodel import Session, col, select

from tesoura.core.values import Event
from tesoura.store.log import CHUNK, QUIET, Logged, logged_of, words_of_event
from tesoura.store.search_words import asked_words, exactly, query, words_in
from tesoura.store.tables import EventRow


@dataclass(frozen=True, slots=True)
class Search:
    """What to look for: words by their beginnings, a type, a source, from and until when it happened.

    `told` gives what an event is told as, whose words are found too; `otherwise` by which expressions of the index that
    may be found which tells a word so.
    """

    words: str = ""
    type: str = ""
    source: str = ""
    since: datetime | None = None
    until: datetime | None = None
    told: Callable[[Event], str] = lambda event: ""
    otherwise: Mapping[str, Sequence[str]] = field(default_factory=dict)

    def finds(self, event: Event) -> bool:
        """Whether an event has all the words."""
        if not (wanted := asked_words(self.words)):
            return not self.words
        words = {*words_of_event(event).split(), *words_in(self.told(event))}
        return all(any(word.startswith(one) for word in words) for one in wanted)


def page(session: Session, search: Search, before: tuple[datetime, int] | int | None, count: int) -> list[Logged]:
    """So many events that were looked for, newest first, from before this place on.

    Without words the order is that of the time at which things happened, and `before` is a time and a place; with
    words it is that of their coming, and `before` is a place.
    """
    conditions = _conditions(search)
    if search.words:
        return _page_of_words(session, search, conditions, before if isinstance(before, int) else None, count)
    asked = select(EventRow).where(*conditions)
    if not search.type:
        asked = asked.where(col(EventRow.type).not_in(QUIET))
    if isinstance(before, tuple):
        at, seq = before
        asked = asked.where(
            (col(EventRow.time) < at) | ((col(EventRow.time) == at) & (col(EventRow.seq) < seq)),
            col(EventRow.time) <= at,
        )
    asked = asked.order_by(col(EventRow.time).desc(), col(EventRow.seq).desc()).limit(count)
    return [logged_of(row) for row in session.exec(asked)]


def _page_of_words(
    session: Session, search: Search, conditions: list[ColumnElement[bool]], before: int | None, count: int
) -> list[Logged]:
    if not (words := asked_words(search.words)):
        return []
    asked = query(words, search.otherwise)
    # The type's own words stand in the index too, and leave less to look through.
    if search.type:
        asked = f"{asked} AND {exactly(search.type)}"
    found: list[Logged] = []
    step, until = max(4 * count, 200), before or 2**62
    index = text(
        "SELECT rowid FROM event_words WHERE event_words MATCH :asked AND rowid < :until "
        "ORDER BY rowid DESC LIMIT :step"
    )
    # With further conditions, look through what the words find step by step, and give up after a while.
    for _ in range(40):
        seqs = [row[0] for row in session.connection().execute(index, {"asked": asked, "until": until, "step": step})]
        if not seqs:
            break
        rows = select(EventRow).where(col(EventRow.seq).in_(seqs), *conditions).order_by(col(EventRow.seq).desc())
        found += [logged for row in session.exec(rows) if search.finds((logged := logged_of(row)).event)]
        if len(found) >= count or len(seqs) < step:
            break
        until, step = seqs[-1], min(5 * step, 5_000)
    return found[:count]


def _conditions(search: Search) -> list[ColumnElement[bool]]:
    conditions: list[ColumnElement[bool]] = []
    if search.type:
        conditions.append(col(EventRow.type) == search.type)
    if search.source:
        conditions.append(col(EventRow.source) == search.source)
    if search.since is not None:
        conditions.append(col(EventRow.time) >= search.since)
    if search.until is not None:
        conditions.append(col(EventRow.time) < search.until)
    return conditions


def everything(session: Session, search: Search) -> Iterator[Logged]:
    """All that was looked for, oldest first, a chunk at a time."""
    seq = 0
    conditions = _conditions(search)
    while True:
        asked = select(EventRow).where(col(EventRow.seq) > seq, *conditions).order_by(col(EventRow.seq)).limit(CHUNK)
        rows = session.exec(asked).all()
        for row in rows:
            logged = logged_of(row)
            session.expunge(row)
            if search.finds(logged.event):
                yield logged
        if len(rows) < CHUNK:
            return
        seq = rows[-1].seq or 0


def by_time(session: Session, search: Search) -> Iterator[Logged]:
    """All that was looked for in the order in which it happened, a chunk at a time."""
    at, seq = datetime(1970, 1, 1, tzinfo=UTC), 0
    conditions = _conditions(search)
    while True:
        asked = select(EventRow).where(
            (col(EventRow.time) > at) | ((col(EventRow.time) == at) & (col(EventRow.seq) > seq)), *conditions
        )
        rows = session.exec(asked.order_by(col(EventRow.time), col(EventRow.seq)).limit(CHUNK)).all()
        for row in rows:
            logged = logged_of(row)
            session.expunge(row)
            if search.finds(logged.event):
                yield logged
        if len(rows) < CHUNK:
            return
        at, seq = rows[-1].time, rows[-1].seq or 0


def _distinct(session: Session, column: str) -> list[str]:
    # A skip through the index: one look for each value, however many events there are.
    found: list[str] = []
    last = ""
    asked = text(f"SELECT {column} FROM event WHERE {column} > :last ORDER BY {column} LIMIT 1")  # noqa: S608
    while len(found) < 500:
        value = session.connection().execute(asked, {"last": last}).scalar()
        if value is None:
            break
        found.append(value)
        last = value
    return found


def types(session: Session) -> list[str]:
    """All types of events there are."""
    return _distinct(session, "type")


def sources(session: Session) -> list[str]:
    """All sources of events there are."""
    return _distinct(session, "source")
