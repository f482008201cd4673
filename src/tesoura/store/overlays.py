"""Overlays: their drafts and the versions that were put on air."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlmodel import Session, col, select

from tesoura.core.overlays import Overlay, from_document, to_document
from tesoura.store.tables import OverlayRow, VersionRow


@dataclass(frozen=True, slots=True)
class OnAir:
    """What is on air of an overlay: its link's token, the version's number, and the version."""

    overlay_id: int
    name: str
    token: str
    rev: int
    overlay: Overlay


def new_overlay(session: Session, name: str, draft: Overlay, now: datetime) -> OverlayRow:
    """Write a new overlay with a link of its own."""
    row = OverlayRow(name=name, token=secrets.token_urlsafe(18), draft=to_document(draft), created_at=now)
    session.add(row)
    session.flush()
    return row


def all_overlays(session: Session) -> Sequence[OverlayRow]:
    """The overlays that were not removed, oldest first."""
    query = select(OverlayRow).where(col(OverlayRow.removed_at).is_(None)).order_by(col(OverlayRow.id))
    return session.exec(query).all()


def get(session: Session, overlay_id: int) -> OverlayRow | None:
    """One overlay, unless it was removed."""
    row = session.get(OverlayRow, overlay_id)
    return row if row and row.removed_at is None else None


def on_air(session: Session, row: OverlayRow) -> OnAir:
    """What is on air of this overlay; before anything was, an empty version 0."""
    query = select(VersionRow).where(VersionRow.overlay_id == row.id).order_by(col(VersionRow.rev).desc()).limit(1)
    version = session.exec(query).first()
    overlay = from_document(version.document) if version else Overlay()
    return OnAir(row.id or 0, row.name, row.token, version.rev if version else 0, overlay)


def save_draft(session: Session, row: OverlayRow, draft: Overlay) -> None:
    """Keep a draft."""
    row.draft = to_document(draft)
    row.draft_edit += 1
    session.add(row)


def publish(session: Session, row: OverlayRow, now: datetime) -> OnAir:
    """Make the draft the version that is on air."""
    before = on_air(session, row)
    session.add(VersionRow(overlay_id=row.id or 0, rev=before.rev + 1, document=dict(row.draft), published_at=now))
    session.flush()
    return on_air(session, row)
