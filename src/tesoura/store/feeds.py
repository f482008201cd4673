"""Feeds and the signals picked from them."""

from __future__ import annotations

import secrets as random
from collections.abc import Mapping, Sequence
from datetime import datetime

from sqlmodel import Session, col, select

from tesoura.store.secrets import Secrets
from tesoura.store.tables import ComputedRow, FeedRow, SecretRow, SignalRow


def new_token() -> str:
    """The private part of an address: 144 random bits."""
    return random.token_urlsafe(18)


def all_feeds(session: Session) -> Sequence[FeedRow]:
    """The feeds that were not removed, oldest first."""
    return session.exec(select(FeedRow).where(col(FeedRow.removed_at).is_(None)).order_by(col(FeedRow.id))).all()


def by_name(session: Session, name: str) -> FeedRow | None:
    """The feed of this name, unless it was removed."""
    row = by_name_ever(session, name)
    return row if row and row.removed_at is None else None


def by_name_ever(session: Session, name: str) -> FeedRow | None:
    """The feed of this name, also one that was removed."""
    return session.exec(select(FeedRow).where(FeedRow.name == name)).first()


def names_taken(session: Session) -> set[str]:
    """All feeds' names, those of removed ones too, for they can come back."""
    return set(session.exec(select(FeedRow.name)))


def signals_of(session: Session, feed_id: int) -> Sequence[SignalRow]:
    """The signals picked from a feed, by name."""
    query = select(SignalRow).where(SignalRow.feed_id == feed_id).order_by(SignalRow.name)
    return session.exec(query).all()


def picked_names(session: Session) -> set[str]:
    """The names of all signals picked from feeds that were not removed."""
    query = select(SignalRow.name).join(FeedRow).where(col(FeedRow.removed_at).is_(None))
    return set(session.exec(query))


def secrets_of(session: Session, feed_id: int, secrets: Secrets) -> dict[str, str]:
    """A feed's secrets, opened; one sealed with another key file is left out."""
    rows = session.exec(select(SecretRow).where(SecretRow.feed_id == feed_id))
    opened = {row.name: secrets.open(row.sealed) for row in rows}
    return {name: value for name, value in opened.items() if value is not None}


def secret_names_of(session: Session, feed_id: int) -> list[str]:
    """Return the names of the secrets that a feed has."""
    return list(session.exec(select(SecretRow.name).where(SecretRow.feed_id == feed_id).order_by(SecretRow.name)))


def unreadable(session: Session, secrets: Secrets, feed_id: int | None = None) -> dict[str, str]:
    """Return the feeds that have a secret sealed with another key file than this one, by name with their titles."""
    asked = (
        select(FeedRow.name, FeedRow.title, SecretRow.sealed).join(SecretRow).where(col(FeedRow.removed_at).is_(None))
    )
    if feed_id is not None:
        asked = asked.where(FeedRow.id == feed_id)
    return {name: title for name, title, sealed in session.exec(asked) if secrets.open(sealed) is None}


def all_secrets(session: Session, secrets: Secrets) -> dict[str, str]:
    """The secrets of all feeds, opened, by numbers; those of removed ones too, which can come back."""
    opened = [secrets.open(row.sealed) for row in session.exec(select(SecretRow))]
    return {str(number): value for number, value in enumerate(opened) if value is not None}


def keep_secrets(session: Session, feed_id: int, values: Mapping[str, str], secrets: Secrets) -> None:
    """Replace a feed's secrets; an empty one is forgotten."""
    for name, value in values.items():
        row = session.get(SecretRow, (feed_id, name))
        if value:
            row = row or SecretRow(feed_id=feed_id, name=name, sealed=b"")
            row.sealed = secrets.seal(value)
            session.add(row)
        elif row:
            session.delete(row)


def add_feed(
    session: Session, name: str, title: str, kind: str, choices: Mapping[str, object], now: datetime
) -> FeedRow:
    """Write a new feed."""
    row = FeedRow(name=name, title=title, kind=kind, choices=dict(choices), created_at=now)
    session.add(row)
    session.flush()
    return row


def remove_feed(session: Session, feed_id: int, now: datetime | None) -> FeedRow | None:
    """Put a feed away, or with None bring it back."""
    row = session.get(FeedRow, feed_id)
    if row is not None:
        row.removed_at = now
        session.add(row)
    return row


def pause(session: Session, feed_id: int) -> None:
    """Pause a feed."""
    row = session.get(FeedRow, feed_id)
    if row is not None:
        row.paused = True
        session.add(row)


def names_ever_used(session: Session) -> set[str]:
    """The first halves of signals' names that feeds and computed signals have or had."""
    computed = set(session.exec(select(ComputedRow.name)))
    return names_taken(session) | computed
