"""Overlays as the desk shows them: who has each, how its draft differs, and what is wrong with it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from sqlmodel import Session

from tesoura.core.overlays.differences import differences
from tesoura.core.overlays.document import Overlay, from_document
from tesoura.core.overlays.pieces.kind import instruments_in
from tesoura.errors import NewerDocument
from tesoura.outputs.hub import Audience
from tesoura.runtime.facade import Runtime
from tesoura.runtime.stage import Trouble
from tesoura.store import looks
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.tables import OverlayRow
from tesoura.web.shared.doors import runtime, store


@dataclass(frozen=True, slots=True)
class Card:
    """An overlay on the desk."""

    row: OverlayRow
    rev: int
    draft: Overlay
    differs: bool
    audience: Audience
    troubles: list[Trouble]
    quiet: list[tuple[str, str]] = field(default_factory=list)
    """Pieces on air that are empty until an instrument lets them appear: the name of each, and of its instrument."""
    not_seen: list[tuple[str, bool]] = field(default_factory=list)
    """Pieces on air that viewers don't see: each name, and whether it hasn't been shown yet (True) or was hidden."""
    frozen: list[tuple[str, datetime, str]] = field(default_factory=list)
    """Pieces on air that keep a value whose feed is down: the name of each, since when it stands, and the feed."""

    @property
    def width_px(self) -> int:
        """The draft's width."""
        return self.draft.width_px

    @property
    def height_px(self) -> int:
        """The draft's height."""
        return self.draft.height_px

    def shows(self, instrument: str) -> bool:
        """Whether a piece of the draft shows a signal of this instrument."""
        return any(instrument in instruments_in(piece.parts()) for piece in self.draft.pieces)


def _overlays(session: Session) -> list[tuple[OverlayRow, Overlay, OnAir]]:
    found, on_air, there = [], stored.all_on_air(session), looks.all_looks(session)
    for row in stored.all_overlays(session):
        try:
            draft = replace(from_document(row.draft), looks=there)
            found.append((row, draft, on_air[row.id or 0]))
        except (NewerDocument, KeyError):
            found.append((row, Overlay(), OnAir(row.id or 0, row.name, row.token, 0, Overlay())))
    return found


def _overlay(session: Session, overlay_id: int) -> list[tuple[OverlayRow, Overlay, OnAir]]:
    row = stored.get(session, overlay_id)
    if row is None:
        return []
    try:
        return [(row, stored.draft_of(session, row), stored.on_air(session, row))]
    except NewerDocument:
        return [(row, Overlay(), OnAir(overlay_id, row.name, row.token, 0, Overlay()))]


def cards(overlay_id: int | None = None) -> list[Card]:
    """All overlays as the desk shows them, or one."""

    def gather(self: Runtime) -> tuple[Any, ...]:
        audiences = self.stage.audiences()
        not_seen = {one: self.stage.curtain.not_seen(one) for one in audiences}
        return audiences, self.stage.troubles(), not_seen, self.stage.frozen(), dict(self.feeds.titles())

    audiences, troubles, not_seen, frozen, titles = runtime().call(gather)
    rows = store().read(_overlays if overlay_id is None else lambda session: _overlay(session, overlay_id))
    return [
        replace(
            _card(row, draft, on_air, audiences, troubles),
            not_seen=not_seen.get(on_air.overlay_id, []),
            frozen=[
                (one.piece, one.since, titles.get(one.feed, one.feed))
                for one in frozen
                if one.overlay_id == on_air.overlay_id
            ],
        )
        for row, draft, on_air in rows
    ]


def _card(
    row: OverlayRow, draft: Overlay, on_air: OnAir, audiences: Mapping[int, Audience], troubles: Sequence[Trouble]
) -> Card:
    return Card(
        row,
        on_air.rev,
        draft,
        bool(differences(draft, on_air.overlay if on_air.rev else None)),
        audiences.get(on_air.overlay_id, Audience()),
        [one for one in troubles if one.overlay_id == on_air.overlay_id],
        [
            (piece.name, piece.moment_type.rpartition(".")[0])
            for piece in on_air.overlay.pieces
            if piece.is_moment and piece.kind_of.moment_type
        ],
    )
