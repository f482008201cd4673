"""A file that passed its check."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Added:
    """A file as it is kept: its bytes, made safe where need be, its ending and type, its pixels, and what is known."""

    data: bytes
    ending: str
    type: str
    width_px: int = 0
    height_px: int = 0
    facts: Mapping[str, Any] = field(default_factory=dict)
