"""An overlay's draft, what its pieces say, what does not fit, and how it differs from what is on air."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from flask import abort
from sqlmodel import Session

from tesoura.core.overlays.differences import Difference, differences
from tesoura.core.overlays.document import Overlay
from tesoura.core.overlays.fit.findings import Finding
from tesoura.runtime.facade import Runtime
from tesoura.store import drafts
from tesoura.store import feeds as stored_feeds
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.tables import OverlayRow
from tesoura.studio.previews import PiecePreview, Previews
from tesoura.studio.workshop import KnownThings
from tesoura.web.shared.doors import runtime, store, studio


@dataclass(frozen=True, slots=True)
class DraftView:
    """A draft as the mat shows it."""

    row: OverlayRow
    draft: Overlay
    on_air: OnAir
    steps: drafts.Steps
    sights: Mapping[str, PiecePreview]
    findings: Sequence[Finding]
    differences: Sequence[Difference]


def laid(overlay_id: int) -> DraftView:
    """An overlay's draft, what its pieces say, and what does not fit."""

    def ask(session: Session) -> tuple[OverlayRow, Overlay, OnAir, drafts.Steps]:
        row = stored.get(session, overlay_id)
        if row is None:
            raise LookupError
        return row, stored.draft_of(session, row), stored.on_air(session, row), drafts.steps(session, row)

    try:
        row, draft, on_air, steps = store().read(ask)
    except LookupError:
        abort(404)
    sights = sights_of(draft)
    return DraftView(
        row,
        draft,
        on_air,
        steps,
        sights,
        findings_of(draft, sights),
        differences(draft, on_air.overlay if on_air.rev else None),
    )


def sights_of(draft: Overlay) -> dict[str, PiecePreview]:
    """What a draft's pieces would say."""

    async def look(self: Runtime) -> dict[str, PiecePreview]:
        recent = await self.stage.recent(draft)
        return Previews(self.engine, self.stage.drawings).of(draft, recent)

    return runtime().call(look)


def findings_of(draft: Overlay, sights: Mapping[str, PiecePreview]) -> list[Finding]:
    """What of a draft does not fit."""
    halves = frozenset(store().read(stored_feeds.names_ever_used))

    def gather(self: Runtime) -> tuple[list[str], KnownThings]:
        setups = self.instruments.setups()
        fired = {kind for one in setups for kind in one.kind_of.moments(one.name, one.choices)}
        names = frozenset(one.name for one in self.signals())
        return list(self.scenes()), KnownThings(
            names,
            halves,
            {one.name: (one.kind, one.title) for one in setups},
            frozenset({*self.engine.event_types(), *self.engine.sources.types(), *fired}),
            frozenset(one for one in names if self.engine.has_interval(one)),
        )

    scenes, there = runtime().call(gather)
    return studio().findings(draft, sights, dict.fromkeys([*scenes, *draft.scenes()]), there)


def draft_of(overlay_id: int) -> Overlay:
    """The draft of an overlay, or the page that says that there is none."""

    def ask(session: Session) -> Overlay | None:
        row = stored.get(session, overlay_id)
        return stored.draft_of(session, row) if row else None

    draft = store().read(ask)
    if draft is None:
        abort(404)
    return draft
