"""The desk's leaves of buttons as they lie, kept over a restart; and what a button stands for now."""

from __future__ import annotations

import asyncio
import json
from dataclasses import dataclass

from sqlmodel import Session

from tesoura.core.desk.buttons import DeskButton
from tesoura.core.desk.leaves import Leaves, leaves_of
from tesoura.runtime.stage import Stage
from tesoura.store import state
from tesoura.store.store import Store

KEPT = "desk_leaves"
"""The choice under which they are stored."""


@dataclass(frozen=True, slots=True)
class ButtonState:
    """A button as it stands: whether what it stands for is shown or on, and what a press would do, or why nothing."""

    button: DeskButton
    on: bool
    would: str = ""
    why_not: str = ""
    wait_s: float = 0.0


class DeskLeaves:
    """All leaves. One loop owns them, so that of two changes at once neither is lost."""

    def __init__(self, store: Store, stage: Stage) -> None:
        self._store, self._stage, self._curtain = store, stage, stage.curtain
        self.present = leaves_of(json.loads(store.read(lambda session: state.choice(session, KEPT)) or "{}"))

    async def keep(self, leaves: Leaves) -> None:
        """From now on they lie so."""
        self.present = leaves
        kept = json.dumps(leaves.saved(), ensure_ascii=False)

        def job(session: Session) -> None:
            state.choose(session, KEPT, kept)

        await asyncio.wrap_future(self._store.writer.submit(job))

    def is_on(self, button: DeskButton) -> bool:
        """Whether what a button stands for is shown or on now."""
        if button.does == "piece":
            return any(self._curtain.is_shown(key) for key in self._curtain.keys_of(button.own["part"]))
        if button.does == "scene":
            return self._stage.scene.casefold() == button.own["scene"].casefold()
        return button.does == "air" and self._curtain.cleared
