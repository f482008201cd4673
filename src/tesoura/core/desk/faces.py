"""What a button shows, wherever it is shown: on the desk, a phone, a pad."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from tesoura.core.desk.buttons import KINDS, DeskButton

MOST_STATE = 200


@dataclass(frozen=True, slots=True)
class PressOutcome:
    """What a press led to, in words, and whether it was refused; when, in seconds since 1970."""

    words: str
    refused: bool
    at: float


@dataclass(frozen=True, slots=True)
class ScoreFace:
    """What a button of a match shows beside its words: a figure, a note, the side's colour and that of its letters.

    A phone gives a `half` half of its screen.
    """

    figure: str
    note: str = ""
    colour: str = ""
    letters: str = ""
    half: bool = False

    def told(self) -> dict[str, Any]:
        """It, as it is told over a socket."""
        told: dict[str, Any] = {"figure": self.figure, "note": self.note}
        if self.half:
            told["half"] = True
        return told | ({"side": [self.colour, self.letters]} if self.colour else {})


@dataclass(frozen=True, slots=True)
class ButtonFace:
    """A button as it stands.

    `state` says what is true now and what a press will do; `on` whether what it stands for is shown or on; `blocked`
    that a press would do nothing now. While it rests, `free_at` (seconds since 1970) is when a press does something
    again and `of_s` how long it rests in all. `answer` is what the last press led to, for as long as that is told. Of a
    value that a dial turns (`turns`), `level` is where it lies between its bounds, 0 to 1, and `value` how it reads.
    """

    id: str
    words: str
    state: str
    colour: str = "sheet"
    wide: bool = False
    on: bool = False
    blocked: bool = False
    free_at: float | None = None
    of_s: float = 0.0
    answer: PressOutcome | None = None
    level: float | None = None
    value: str = ""
    key: str = ""
    turns: bool = False
    score: ScoreFace | None = None
    """How the match stands that it belongs to, for one that does."""

    def told(self, now: float) -> dict[str, Any]:
        """It, as it is told over a socket. Times are seconds from now, for another clock than ours hears them."""
        told: dict[str, Any] = {
            "id": self.id,
            "words": self.words,
            "state": self.state,
            "colour": self.colour,
            "wide": self.wide,
            "on": self.on,
            "blocked": self.blocked,
        }
        if self.free_at is not None and self.free_at > now:
            told |= {"wait_s": round(self.free_at - now, 2), "of_s": round(self.of_s, 2)}
        if self.answer is not None:
            told |= {"answer": self.answer.words[:MOST_STATE], "refused": self.answer.refused}
        if self.level is not None:
            told["level"] = round(self.level, 4)
        if self.turns:
            told["turns"] = True
        if self.value:
            told["value"] = self.value
        if self.score is not None:
            told["score"] = self.score.told()
        return told


def state_words(button: DeskButton, on: bool, would: str, free_at: float | None) -> str:
    """What is true now and what a press will do, in words."""
    if button.does == "piece":
        return "on screen · Hide" if on else "hidden · Show"
    if button.does == "scene" and on:
        return "now"
    if free_at is not None:
        return "not now"
    if button.does == "match_clock":
        return "running · Stop" if on else "stopped · Start"
    if button.does == "hold":
        return "alerts paused · Resume" if on else "alerts running · Pause"
    if button.does == "air":
        return "everything hidden · Show" if on else "on screen · Hide everything"
    return would[:MOST_STATE]


def level_of(choices: Mapping[str, Any], value: object) -> float | None:
    """Where a value that is set by hand lies between its bounds, 0 to 1; None for one without both bounds."""
    bounds = bounds_of(choices)
    if bounds is None:
        return None
    low, high = bounds
    given = value if isinstance(value, int | float) and not isinstance(value, bool) else low
    return min(max((given - low) / (high - low), 0.0), 1.0)


def value_at(choices: Mapping[str, Any], level: float) -> int | float | None:
    """The value that lies there between its bounds, on the nearest of its steps; None for one without both bounds."""
    bounds = bounds_of(choices)
    if bounds is None:
        return None
    low, high = bounds
    step = float(choices.get("step") or 1) or 1.0
    value = low + round(min(max(level, 0.0), 1.0) * (high - low) / step) * step
    value = round(min(max(value, low), high), 9)
    return int(value) if value.is_integer() else value


def bounds_of(choices: Mapping[str, Any]) -> tuple[float, float] | None:
    """The least and the most of a value that is set by hand; None without both, or for none that is a number."""
    low, high = choices.get("low"), choices.get("high")
    if choices.get("what", "number") != "number" or low is None or high is None or not high > low:
        return None
    return float(low), float(high)


def is_level(button: DeskButton) -> bool:
    """Whether it can be turned."""
    return KINDS[button.does].turns


def changed(before: Mapping[str, ButtonFace], after: Iterable[ButtonFace]) -> list[ButtonFace]:
    """The faces that differ from before."""
    return [one for one in after if before.get(one.id) != one]
