"""Records of an instrument: what it writes down for good, such as attempts, spins, or how long a sponsor was on air."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Protocol

from tesoura.core.instruments.base import Instrument


@dataclass(frozen=True, slots=True)
class Record:
    """One thing written down: of which kind, when, and what there is to say of it."""

    kind: str
    at: datetime
    data: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class RecordKind:
    """What records of a kind are: the name, the words for several, and their columns, each with its heading."""

    name: str
    words: str
    columns: Mapping[str, str]


class WithRecords(Instrument, Protocol):
    """An instrument that writes records.

    They follow from the log alone, as all of it does: read again, the same places of the log lead to the same records.
    What only time brings about is fired, and written down when the event that was fired is heard.
    """

    def recorded(self) -> Sequence[Record]:
        """What the last command or event has added to its records."""
        ...


@dataclass(frozen=True, slots=True)
class KeptRecord:
    """A record with its place: that of the event in the log which led to it, and which of several it is."""

    instrument: str
    seq: int
    number: int
    record: Record
