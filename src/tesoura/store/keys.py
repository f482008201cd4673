"""Keys for the API. The key itself is shown once and never kept."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime

from sqlmodel import Session, col, select

from tesoura.store.tables import KeyRow


def new_key(session: Session, name: str, now: datetime) -> str:
    """Make a key and give it, this once."""
    key = f"tes_{secrets.token_urlsafe(24)}"
    session.add(KeyRow(name=name, hash=_hash(key), ending=key[-4:], created_at=now))
    return key


def find(session: Session, key: str) -> KeyRow | None:
    """The key's row, unless it is unknown or was revoked."""
    row = session.exec(select(KeyRow).where(KeyRow.hash == _hash(key))).first()
    return row if row and row.revoked_at is None else None


def listed(session: Session) -> list[KeyRow]:
    """All keys that work, oldest first."""
    return list(session.exec(select(KeyRow).where(col(KeyRow.revoked_at).is_(None)).order_by(col(KeyRow.id))))


def revoke(session: Session, key_id: int, now: datetime | None) -> str | None:
    """Stop a key from working, or with None let it work again; its name."""
    row = session.get(KeyRow, key_id)
    if row is None:
        return None
    row.revoked_at = now
    session.add(row)
    return row.name


def _hash(key: str) -> str:
    # The key is 192 random bits, so a plain hash cannot be searched.
    return hashlib.sha256(key.encode()).hexdigest()
