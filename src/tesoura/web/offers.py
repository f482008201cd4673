"""What forms offer, so that nobody types the name of a thing that exists."""

from __future__ import annotations

from functools import cached_property

from tesoura.runtime import Runtime
from tesoura.store import log as event_log
from tesoura.store import log_search
from tesoura.web.doors import runtime, store

MAX_TYPES = 40


class Offers:
    """The names of signals, of types of events, and of fields in events' data; each found when it is asked for."""

    @cached_property
    def signals(self) -> list[str]:
        """All signals' names."""
        return [one.name for one in runtime().call(Runtime.signals)]

    @cached_property
    def types(self) -> list[tuple[str, str]]:
        """The types of events that have come, each as it is kept and as it is shown."""
        known = store().read(log_search.types)
        return [(one, one) for one in known if not one.startswith("tesoura.")][:MAX_TYPES]

    @cached_property
    def data(self) -> list[str]:
        """The fields in the data of the newest events."""
        kinds = [one for one, _ in self.types]
        found: dict[str, None] = {}
        for data in store().read(lambda session: event_log.recent_data(session, kinds, 60)) if kinds else ():
            found |= dict.fromkeys(key for key, value in data.items() if not isinstance(value, dict | list))
        return sorted(found)
