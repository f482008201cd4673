"""Make the sounds that ship, from sines alone. Run by `make sounds`; what it writes is committed."""

from __future__ import annotations

import math
import struct
import wave
from collections.abc import Callable
from pathlib import Path

FOLDER = Path(__file__).parent.parent / "src/tesoura/web/static/sounds"
RATE = 22_050
Partial = tuple[float, float, float]
"""Frequency in Hz, strength, and the seconds in which it falls to a third."""


def struck(partials: list[Partial], at_s: float = 0.0) -> Callable[[float], float]:
    """Something that is struck: partials that fall away."""

    def sound(t: float) -> float:
        since = t - at_s
        if since < 0:
            return 0.0
        attack = min(since / 0.004, 1.0)
        return attack * sum(
            strength * math.exp(-since / falls) * math.sin(2 * math.pi * hz * since) for hz, strength, falls in partials
        )

    return sound


def together(*sounds: Callable[[float], float]) -> Callable[[float], float]:
    """Several at once."""
    return lambda t: sum(sound(t) for sound in sounds)


def bell(hz: float, falls: float, at_s: float = 0.0) -> Callable[[float], float]:
    """A small bell."""
    return struck([(hz, 1.0, falls), (hz * 2.76, 0.45, falls * 0.5), (hz * 5.4, 0.2, falls * 0.25)], at_s)


SOUNDS = {
    "bell": (1.6, bell(880, 0.5)),
    "wood": (0.4, struck([(620, 1.0, 0.03), (1_480, 0.5, 0.015), (310, 0.4, 0.05)])),
    "chimes": (2.0, together(bell(784, 0.4), bell(988, 0.4, 0.22), bell(1_175, 0.5, 0.44))),
    "peg": (0.09, struck([(1_150, 1.0, 0.008), (2_700, 0.6, 0.004), (540, 0.5, 0.012)])),
    "gong": (2.6, struck([(110, 1.0, 1.0), (167, 0.7, 0.8), (251, 0.5, 0.5), (398, 0.3, 0.3)])),
}


def main() -> None:
    """Write them all."""
    FOLDER.mkdir(exist_ok=True)
    for name, (length_s, sound) in SOUNDS.items():
        values = [sound(at / RATE) * min((length_s - at / RATE) / 0.1, 1.0) for at in range(int(length_s * RATE))]
        loudest = max(abs(value) for value in values)
        with wave.open(str(FOLDER / f"{name}.wav"), "wb") as file:
            file.setnchannels(1)
            file.setsampwidth(2)
            file.setframerate(RATE)
            file.writeframes(b"".join(struct.pack("<h", round(value / loudest * 26_000)) for value in values))


if __name__ == "__main__":
    main()
