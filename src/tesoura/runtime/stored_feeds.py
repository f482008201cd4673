"""A feed as the store has it, ready to run."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlmodel import Session

from tesoura.core.values import Wanted
from tesoura.feeds.picks import Pick
from tesoura.feeds.rules import EventRule
from tesoura.store import feeds as stored
from tesoura.store import rules as stored_rules
from tesoura.store.secrets import Secrets


@dataclass(frozen=True, slots=True)
class LoadedFeed:
    """A feed's row, or None when there is none of that name, and all that belongs to it."""

    row: Any
    picks: Sequence[Pick] = ()
    secrets: Mapping[str, str] = field(default_factory=dict)
    rules: Sequence[EventRule] = ()
    seen: set[str] = field(default_factory=set)
    memory: Mapping[str, Any] = field(default_factory=dict)
    unreadable: bool = False
    """Whether a secret of it was sealed with another key file, and must be typed again."""


def load_feed(session: Session, name: str, secrets: Secrets) -> LoadedFeed:
    """The feed of this name."""
    row = stored.by_name(session, name)
    if row is None or row.id is None:
        return LoadedFeed(None)
    return LoadedFeed(
        row,
        [Pick(one.name, one.path, Wanted(one.wanted), one.unit) for one in stored.signals_of(session, row.id)],
        stored.secrets_of(session, row.id, secrets),
        [
            EventRule(one.id or 0, one.type, one.items, one.id_path, one.time_path, one.fields, one.primed)
            for one in stored_rules.of_feed(session, row.id)
        ],
        stored_rules.seen(session, row.id),
        stored_rules.memory(session, row.id),
        bool(stored.unreadable(session, secrets, row.id)),
    )
