"""Controls of panels that speak OSC or MIDI: how one is named, and when it presses and when it turns."""

from __future__ import annotations

import re
from dataclasses import dataclass

from tesoura.errors import InvalidField

_OSC = re.compile(r"/[^\s#*,?\[\]{}]{1,120}")
_MIDI = re.compile(r"(note|control)\s+(\d{1,3})\s*(?:[·,]?\s*channel\s+(\d{1,2}))?", re.IGNORECASE)
DOWN = 0.5
"""From this value on, of 0 to 1, a control is pressed."""


@dataclass(frozen=True, slots=True)
class ControlMoved:
    """A control of a panel was moved: its sign, where it is now, 0 to 1, and whether it only tells that it was hit."""

    sign: str
    value: float = 1.0
    hit: bool = False


def control_sign(raw: object) -> str:
    """A control's sign as it is kept: an OSC address, or a MIDI note or controller; or none. Raises InvalidField."""
    typed = " ".join(str(raw).split())
    if not typed:
        return ""
    if typed.startswith("/"):
        if not _OSC.fullmatch(typed):
            raise InvalidField("An OSC address starts with / and has no spaces, such as /desk/1.")
        return typed
    found = _MIDI.fullmatch(typed)
    if found is None or int(found[2]) > 127 or not 1 <= int(found[3] or 1) <= 16:
        raise InvalidField(
            "Give an OSC address such as /desk/1, or MIDI as note 60 · channel 1 or control 7 · channel 1."
        )
    return midi_sign(found[1].lower(), int(found[2]), int(found[3] or 1))


def midi_sign(what: str, number: int, channel: int) -> str:
    """The sign of a MIDI note or controller; channels are 1 to 16."""
    return f"{what} {number} · channel {channel}"


class Edges:
    """When a control that is moved presses: as it comes down, and not again before it was up."""

    def __init__(self) -> None:
        self._down: set[tuple[str, str]] = set()

    def presses(self, source: str, moved: ControlMoved) -> bool:
        """Whether this is a press."""
        if moved.hit:
            return True
        key = (source, moved.sign)
        if moved.value < DOWN:
            self._down.discard(key)
            return False
        if key in self._down:
            return False
        self._down.add(key)
        return True
