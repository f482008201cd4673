"""Stream sessions: when the present one began, and how many events of each type there were since."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlmodel import Session

from tesoura.store import log as event_log
from tesoura.store import state
from tesoura.store.store import Store

_BEGINNING = datetime(1970, 1, 1, tzinfo=UTC)


class Sessions:
    """The present stream session, as the store last told it."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self.started_at: datetime | None = None

    def read(self, until_seq: int) -> dict[str, tuple[int, datetime]]:
        """Read the number of events of each type since the session began, and when the last one happened.

        Only the log up to this place counts.
        """
        self.started_at = self._store.read(state.present_session)
        start = self.started_at or _BEGINNING

        def ask(session: Session) -> dict[str, tuple[int, datetime]]:
            counts = event_log.counts_and_last(session, start, until_seq)
            for kind, (count, last) in state.past_counts(session).items():
                more, later = counts.get(kind, (0, last))
                counts[kind] = (count + more, max(last, later))
            for kind in event_log.of_gone_instruments(session, counts):
                del counts[kind]
            return counts

        return self._store.read(ask)
