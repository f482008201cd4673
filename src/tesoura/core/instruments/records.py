"""Records of an instrument: what it writes down for good, such as attempts, spins, or how long a sponsor was on air."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any


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


@dataclass(frozen=True, slots=True)
class KeptRecord:
    """A record with its place: that of the event in the log which led to it, and which of several it is."""

    instrument: str
    seq: int
    number: int
    record: Record
