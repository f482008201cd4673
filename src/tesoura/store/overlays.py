"""Overlays: their links, their drafts, and the versions that were put on air."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from sqlmodel import Session, col, func, select

from tesoura.core.overlays.document import Overlay, from_document, to_document
from tesoura.errors import NewerDocument
from tesoura.store import looks
from tesoura.store.tables import MediaRow, OldLinkRow, OverlayRow, VersionRow


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
    row = OverlayRow(name=name, token=new_token(), draft=to_document(draft), created_at=now)
    session.add(row)
    session.flush()
    return row


def new_token() -> str:
    """The private part of a new link."""
    return secrets.token_urlsafe(18)


def all_overlays(session: Session) -> Sequence[OverlayRow]:
    """The overlays that were not put away, oldest first."""
    query = select(OverlayRow).where(col(OverlayRow.removed_at).is_(None)).order_by(col(OverlayRow.id))
    return session.exec(query).all()


def archived(session: Session) -> Sequence[OverlayRow]:
    """The overlays that were deleted, the last one first."""
    query = select(OverlayRow).where(col(OverlayRow.removed_at).is_not(None))
    return session.exec(query.order_by(col(OverlayRow.removed_at).desc())).all()


def get(session: Session, overlay_id: int) -> OverlayRow | None:
    """One overlay, unless it was deleted."""
    row = session.get(OverlayRow, overlay_id)
    return row if row and row.removed_at is None else None


def draft_of(session: Session, row: OverlayRow) -> Overlay:
    """The draft of an overlay, with the looks there are now. Raises NewerDocument."""
    return replace(from_document(row.draft), looks=looks.all_looks(session))


def on_air(session: Session, row: OverlayRow) -> OnAir:
    """What is on air of this overlay; before anything was, an empty version 0."""
    query = select(VersionRow).where(VersionRow.overlay_id == row.id).order_by(col(VersionRow.rev).desc()).limit(1)
    version = session.exec(query).first()
    overlay = _with_looks(session, from_document(version.document)) if version else Overlay()
    return OnAir(row.id or 0, row.name, row.token, version.rev if version else 0, overlay)


def all_on_air(session: Session) -> dict[int, OnAir]:
    """What is on air of every overlay, by its id; found with as many questions for many as for one.

    An overlay that a later version of Tesoura wrote is left out.
    """
    latest = select(VersionRow.overlay_id, func.max(VersionRow.rev)).group_by(col(VersionRow.overlay_id)).subquery()
    found = select(VersionRow).join(
        latest, (col(VersionRow.overlay_id) == latest.c[0]) & (col(VersionRow.rev) == latest.c[1])
    )
    by_id = {version.overlay_id: version for version in session.exec(found)}
    on_air: dict[int, OnAir] = {}
    for row in all_overlays(session):
        version = by_id.get(row.id or 0)
        try:
            overlay = _with_looks(session, from_document(version.document)) if version else Overlay()
        except NewerDocument:
            continue
        on_air[row.id or 0] = OnAir(row.id or 0, row.name, row.token, version.rev if version else 0, overlay)
    return on_air


def _with_looks(session: Session, overlay: Overlay) -> Overlay:
    """A version that was put on air before looks were kept with it has those there are."""
    missing = overlay.worn() - set(overlay.looks)
    if not missing:
        return overlay
    there = looks.all_looks(session)
    return replace(overlay, looks={**overlay.looks, **{name: there[name] for name in missing & set(there)}})


def publish(session: Session, row: OverlayRow, now: datetime, who: str = "", note: str = "") -> OnAir:
    """Make the draft the version that is on air."""
    return put_on_air(session, row, draft_of(session, row), now, who, note)


def put_on_air(session: Session, row: OverlayRow, overlay: Overlay, now: datetime, who: str, note: str) -> OnAir:
    """Make this the version that is on air, with the looks that it wears."""
    worn = {name: look for name, look in overlay.looks.items() if name in overlay.worn()}
    document = to_document(replace(overlay, looks=worn))
    rev = on_air(session, row).rev + 1
    session.add(VersionRow(overlay_id=row.id or 0, rev=rev, document=document, published_at=now, who=who, note=note))
    session.flush()
    return on_air(session, row)


def versions(session: Session, row: OverlayRow, count: int = 100) -> Sequence[VersionRow]:
    """What was put on air, the latest first."""
    query = select(VersionRow).where(VersionRow.overlay_id == row.id).order_by(col(VersionRow.rev).desc()).limit(count)
    return session.exec(query).all()


def version(session: Session, row: OverlayRow, rev: int) -> Overlay | None:
    """One version that was put on air."""
    found = session.get(VersionRow, (row.id, rev))
    return _with_looks(session, from_document(found.document)) if found else None


def media_in_use(session: Session) -> frozenset[str]:
    """The files that any draft or any version on air shows; all that are named, where a document cannot be read."""
    found: set[str] = set()
    for row in session.exec(select(OverlayRow)):
        try:
            found |= from_document(row.draft).media() | on_air(session, row).overlay.media()
        except NewerDocument:
            found |= set(session.exec(select(MediaRow.name)))
    return frozenset(found)


def replace_link(session: Session, row: OverlayRow, now: datetime) -> str:
    """Give an overlay a new link; the old token, which says from now on that it was replaced."""
    old = row.token
    session.add(OldLinkRow(token=old, overlay_id=row.id or 0, replaced_at=now))
    row.token = new_token()
    session.add(row)
    return old


def old_link(session: Session, token: str) -> OldLinkRow | None:
    """The link with this token that was replaced."""
    return session.get(OldLinkRow, token)
