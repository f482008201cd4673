"""Paired devices. A device's token is given to it once and never kept."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlmodel import Session, col, select

from tesoura.store.tables import DeviceRow


@dataclass(frozen=True, slots=True)
class Device:
    """A paired phone or pad: the ids of the leaves it may press on, when it was paired and last seen."""

    id: int
    name: str
    kind: str
    leaves: tuple[str, ...]
    paired_at: datetime
    seen_at: datetime | None


def add(session: Session, name: str, kind: str, leaves: Sequence[str], now: datetime) -> tuple[Device, str]:
    """Keep a device; it, and its token, this once."""
    token = f"dev_{secrets.token_urlsafe(24)}"
    row = DeviceRow(name=name, kind=kind, hash=hashed(token), leaves=list(leaves), paired_at=now, seen_at=now)
    session.add(row)
    session.flush()
    return _device(row), token


def known(session: Session, token: str) -> Device | None:
    """The device of this token."""
    row = session.exec(select(DeviceRow).where(DeviceRow.hash == hashed(token))).first()
    return _device(row) if row else None


def listed(session: Session) -> list[Device]:
    """All devices, in the order in which they were paired."""
    return [_device(row) for row in session.exec(select(DeviceRow).order_by(col(DeviceRow.id)))]


def change(session: Session, device_id: int, name: str, leaves: Sequence[str]) -> Device | None:
    """Give a device another name and other leaves."""
    row = session.get(DeviceRow, device_id)
    if row is None:
        return None
    row.name, row.leaves = name, list(leaves)
    session.add(row)
    return _device(row)


def seen(session: Session, device_id: int, now: datetime) -> None:
    """It was here just now."""
    if (row := session.get(DeviceRow, device_id)) is not None:
        row.seen_at = now
        session.add(row)


def remove(session: Session, device_id: int) -> str | None:
    """Know it no more; its name."""
    row = session.get(DeviceRow, device_id)
    if row is None:
        return None
    session.delete(row)
    return row.name


def hashed(token: str) -> str:
    """What is kept of a token: it is 192 random bits, so a plain hash cannot be searched."""
    return hashlib.sha256(token.encode("utf-8", "replace")).hexdigest()


def _device(row: DeviceRow) -> Device:
    assert row.id is not None
    return Device(row.id, row.name, row.kind, tuple(row.leaves), row.paired_at, row.seen_at)
