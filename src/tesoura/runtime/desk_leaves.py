"""The desk's leaves of buttons as they lie, kept over a restart; what a button stands for, what presses led to."""

from __future__ import annotations

import asyncio
import json

from sqlmodel import Session

from tesoura.core.desk.buttons import DeskButton
from tesoura.core.desk.faces import PressOutcome
from tesoura.core.desk.leaves import Leaves, leaves_of
from tesoura.runtime.stage import Stage
from tesoura.store import state
from tesoura.store.store import Store

KEPT = "desk_leaves"
"""The choice under which they are stored."""
IN_SIGHT_S = 6.0
"""For so long what a press led to stands on its button."""


class DeskLeaves:
    """All leaves. One loop owns them, so that of two changes at once neither is lost."""

    def __init__(self, store: Store, stage: Stage) -> None:
        self._store, self._stage, self._curtain = store, stage, stage.curtain
        self.present = leaves_of(json.loads(store.read(lambda session: state.choice(session, KEPT)) or "{}"))
        self._outcomes: dict[str, PressOutcome] = {}
        self._rests: dict[str, tuple[float, float]] = {}

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
        if button.does == "hold":
            return self._stage.moments.held
        if button.does == "match_clock":
            return bool(self._stage.value_of(f"{button.own['board']}.clock_runs"))
        return button.does == "air" and self._curtain.cleared

    def pressed(self, button: str, outcome: PressOutcome) -> None:
        """A press led to this."""
        self._outcomes[button] = outcome

    def outcome(self, button: str, now: float) -> PressOutcome | None:
        """What the last press of a button led to, while that is told."""
        outcome = self._outcomes.get(button)
        if outcome is not None and not 0 <= now - outcome.at < IN_SIGHT_S:
            del self._outcomes[button]
            return None
        return outcome

    def rests_s(self, button: str, free_at: float, now: float) -> float:
        """How long a button rests in all that can be pressed again then: counted from when that was first seen."""
        known, since = self._rests.get(button, (0.0, 0.0))
        if known != free_at:
            since = now
            self._rests[button] = (free_at, since)
        return max(free_at - since, 0.0)

    def next_change(self, now: float) -> float | None:
        """When the next of what presses led to is told no more, or a button that rests is free."""
        ends = [one.at + IN_SIGHT_S for one in self._outcomes.values()] + [at for at, _ in self._rests.values()]
        return min((at for at in ends if at > now), default=None)
