"""What has a page: its name, the room it belongs to, and a sub-page for each side of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from flask import url_for

NOW, SETUP, HISTORY, USE = "now", "setup", "history", "use"
PARTS: Mapping[str, str] = {NOW: "Now", SETUP: "Setup", HISTORY: "History", USE: "Use"}
"""The sub-pages, in their order: what is happening, how it is set up, what happened, where it can be used."""
PART = f"any({SETUP}, {HISTORY}, {USE})"
"""The part of a route that names a sub-page; without it the address is that of `now`."""


@dataclass(frozen=True, slots=True)
class Thing:
    """One thing as its pages name it: `endpoint` draws each of `parts`, told `name`; `room` links back to its list."""

    title: str
    name: str
    endpoint: str
    room: tuple[str, str]
    parts: Sequence[str] = tuple(PARTS)

    def address(self, part: str) -> str:
        """Return the address of a sub-page."""
        return url_for(self.endpoint, name=self.name, part=part)

    @property
    def tabs(self) -> Sequence[tuple[str, str, str]]:
        """Each sub-page with its label and its address."""
        return [(part, PARTS[part], self.address(part)) for part in self.parts]
