"""What would have been decided in the past: in the present stream session, an earlier one, or the last hours."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlmodel import Session

from tesoura.core.cues.looking_back import Decides, looked_back
from tesoura.runtime.computations import Computations
from tesoura.runtime.facade import Runtime
from tesoura.runtime.rehearsal import Ground, Rehearsed, ground_of, ground_of_session, rehearse
from tesoura.store import log as event_log
from tesoura.store import state
from tesoura.store.state import StreamSession
from tesoura.web.shared.doors import now, runtime, store

LOOK_BACK = timedelta(hours=12)
MOST_OFFERED = 60


@dataclass(frozen=True, slots=True)
class Past:
    """A stretch of the past: what a rehearsal needs of it, its beginning and end, its session if it is one."""

    ground: Ground
    computations: Computations
    since: datetime
    until: datetime
    session: StreamSession | None

    @property
    def words(self) -> str:
        """When that was."""
        if self.session is None:
            return "in the last 12 hours"
        return "in that session" if self.session.ended_at else "in this session"

    def rehearse(self, plan: Decides) -> Rehearsed:
        """What would have been decided."""
        if plan.trigger.reads or plan.conditions.reads or not plan.trigger.types:
            return store().read(
                lambda session: rehearse(session, self.computations, self.ground, plan, self.since, self.until)
            )
        # Nothing but events decides: they alone are read, in a fifth of the time.
        return Rehearsed(
            store().read(
                lambda session: looked_back(
                    plan,
                    event_log.happenings(session, plan.trigger.types, self.since, self.ground.until_seq, in_order=True),
                )
            )
        )


def past_of(session_id: str) -> Past:
    """The session of this number; without one the present session, or the last twelve hours."""

    def ask(self: Runtime) -> tuple[Ground, Computations]:
        return ground_of(self.engine, self.computations.applied), self.computations

    (ground, computations), at = runtime().call(ask), now()

    def find(session: Session) -> Past:
        every = state.all_sessions(session)
        chosen = next((one for one in every if str(one.id) == session_id), None) or next(
            (one for one in every if one.started_at == ground.almanac.session_began), None
        )
        if chosen is None:
            return Past(ground, computations, at - LOOK_BACK, at, None)
        there = ground_of_session(session, ground, chosen)
        return Past(there, computations, chosen.started_at, chosen.ended_at or at, chosen)

    return store().read(find)


def offered() -> list[StreamSession]:
    """The sessions to choose from, the newest first."""
    return store().read(state.all_sessions)[:MOST_OFFERED]
