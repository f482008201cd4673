"""The families that ship with Tesoura, and the weights each has."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Typeface:
    """A family and the weights it has. `uploaded` ones came from the user."""

    family: str
    weights: tuple[int, ...]
    uploaded: bool = False


_ALL = tuple(range(100, 1000, 100))
CARRIED = "Noto Sans"
"""The family that stands in for letters which a piece's own typeface does not have."""
TYPEFACES = (
    Typeface("Atkinson Hyperlegible", _ALL[1:8]),
    Typeface("Big Shoulders", _ALL),
    Typeface("Bitter", _ALL),
    Typeface("Bricolage Grotesque", _ALL[1:8]),
    Typeface("Caveat", _ALL[3:7]),
    Typeface("DynaPuff", _ALL[3:7]),
    Typeface("Fraunces", _ALL),
    Typeface("Fredoka", _ALL[2:7]),
    Typeface("JetBrains Mono", _ALL[:8]),
    Typeface("Noto Sans", _ALL),
    Typeface("Oswald", _ALL[1:7]),
    Typeface("Righteous", (400,)),
    Typeface("Rubik", _ALL[2:]),
    Typeface("Sora", _ALL[:8]),
    Typeface("Space Grotesk", _ALL[2:7]),
    Typeface("Unbounded", _ALL[1:]),
    Typeface("Young Serif", (400,)),
)
WEIGHT_WORDS = {
    100: "thin",
    200: "extra light",
    300: "light",
    400: "regular",
    500: "medium",
    600: "semi-bold",
    700: "bold",
    800: "extra bold",
    900: "black",
}


def nearest_weight(weights: Iterable[int], wanted: int) -> int:
    """The weight nearest to the one asked for; of two that are as near, the lighter."""
    return min(weights, key=lambda weight: (abs(weight - wanted), weight))


def weight_of(family: str, wanted: int) -> int:
    """The weight nearest to the one asked for that a shipped family has; any other family is taken at its word."""
    face = next((face for face in TYPEFACES if face.family == family), None)
    return nearest_weight(face.weights, wanted) if face else wanted
