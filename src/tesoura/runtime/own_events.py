"""Signals made from an instrument's own events: removed and restored together with it."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from datetime import datetime

from sqlmodel import Session

from tesoura.core.instruments.registry import KINDS
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.engine import Engine
from tesoura.core.values import INSTRUMENT
from tesoura.store import log as event_log
from tesoura.store import state
from tesoura.store.log import Logged
from tesoura.store.store import Store
from tesoura.store.tables import ComputedRow


async def follow(
    store: Store,
    engine: Engine,
    row_id: int,
    publish: Callable[[Changes], object],
    clock: Callable[[], datetime],
    recount: Callable[[str, Logged | None], Awaitable[None]],
) -> None:
    """Add or remove those signals after an instrument was restored or removed; `recount` recomputes one type."""
    known = set(engine.event_types())

    def ask(session: Session) -> tuple[set[str], list[tuple[str, Logged | None]]]:
        row = session.get(ComputedRow, row_id)
        if row is None or row.kind not in KINDS:
            return set(), []
        if row.removed_at is not None:
            return event_log.of_gone_instruments(session, known), []
        back = set(event_log.types_of(session, INSTRUMENT + row.name)) - known
        return set(), [(kind, event_log.newest_valid(session, kind)) for kind in sorted(back)]

    gone, back = await asyncio.to_thread(store.read, ask)
    if gone:
        await asyncio.wrap_future(store.writer.submit(lambda session: state.forget_types(session, gone)))
        publish(engine.forget_types(gone, clock()))
    for kind, newest in back:
        await recount(kind, newest)
