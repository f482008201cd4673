"""Records of instruments: what they wrote down for good. They stay when the log lets go of what led to them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime

from sqlalchemy import delete
from sqlalchemy.dialects.sqlite import insert
from sqlmodel import Session, col, select

from tesoura.core.instruments.records import KeptRecord, Record
from tesoura.store.tables import RecordRow


def keep(session: Session, records: Sequence[KeptRecord], overtaken: Mapping[str, int]) -> None:
    """Write records down. `overtaken` tells of instruments behind which place of the log theirs were made anew."""
    for instrument, seq in overtaken.items():
        gone = delete(RecordRow).where(col(RecordRow.instrument) == instrument, col(RecordRow.seq) > seq)
        session.connection().execute(gone)
    for one in records:
        told = {"kind": one.record.kind, "at": one.record.at, "data": dict(one.record.data)}
        statement = insert(RecordRow).values(instrument=one.instrument, seq=one.seq, number=one.number, **told)
        session.connection().execute(
            statement.on_conflict_do_update(index_elements=["instrument", "seq", "number"], set_=told)
        )


def of(
    session: Session,
    instrument: str,
    kind: str = "",
    since: datetime | None = None,
    most: int | None = None,
    until: datetime | None = None,
) -> Iterator[KeptRecord]:
    """The records of an instrument, of one kind or all, from an instant on and before another, the newest first."""
    asked = select(RecordRow).where(RecordRow.instrument == instrument)
    if kind:
        asked = asked.where(RecordRow.kind == kind)
    if since is not None:
        asked = asked.where(col(RecordRow.at) >= since)
    if until is not None:
        asked = asked.where(col(RecordRow.at) < until)
    asked = asked.order_by(col(RecordRow.at).desc(), col(RecordRow.seq).desc(), col(RecordRow.number).desc())
    for row in session.exec(asked.limit(most) if most is not None else asked):
        yield KeptRecord(row.instrument, row.seq, row.number, Record(row.kind, row.at, row.data))
