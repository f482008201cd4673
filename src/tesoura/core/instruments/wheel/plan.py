"""What a wheel is set up with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.forms.checks import line, text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.instruments.wheel.owed import EarningRule
from tesoura.errors import InvalidField

RULES = 3
WAYS = (("clockwise", "clockwise"), ("anticlockwise", "anticlockwise"))
_WHEEL, _TURNING, _SPENT, _TOLD = "The wheel", "Spin", "Spins owed", "Chat and scene"
DEFAULT_LINE = "{who} spins the wheel: {field}"


@dataclass(frozen=True, slots=True)
class WheelPlan:
    """The choices, ready for use."""

    name: str
    title: str
    turn_s: float = 8.0
    turns: int = 6
    clockwise: bool = True
    hold: timedelta = timedelta(seconds=8)
    tick: str = "peg"
    landing: str = ""
    chat: str = ""
    line: str = DEFAULT_LINE
    tells_seal: bool = False
    word: str = ""
    scene: str = ""
    rules: tuple[EarningRule, ...] = ()
    session_began: datetime | None = None


def _word(raw: object) -> str:
    typed = str(raw).strip().casefold()
    if len(typed) > 40 or len(typed.split()) > 1:
        raise InvalidField("Give one word, such as !spin.")
    return typed


def _rule(at: int) -> dict[str, Field]:
    words = "Earned by event" if at == 1 else "Also earned by event"
    group: dict[str, Any] = {"group": _SPENT, "advanced": at > 1}
    return {
        f"when_{at}": Field(words, text(120, empty=True), kind="event", **group),
        f"spins_{at}": number("Spins earned", 1, 100, 1, "spins", **group),
        f"amount_{at}": Field(
            "Amount field", text(60, empty=True), kind="datum", placeholder="once, whatever the amount", **group
        ),
        f"each_{at}": number("Per amount", 1, 1_000_000, 50, **group),
        f"by_{at}": Field("Viewer field", text(60), kind="datum", default="name", **group),
    }


FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60), default="Wheel", group=_WHEEL),
    "turn_s": number("Spin time", 2, 60, 8, "s", group=_TURNING),
    "turns": number("Turns", 1, 40, 6, group=_TURNING),
    "way": one_of("Direction", WAYS, "clockwise", group=_TURNING),
    "hold_s": number("Show result for", 1, 600, 8, "s", group=_TURNING),
    "tick": Field("Peg sound", text(80, empty=True), kind="sound", default="peg", group=_TURNING),
    "landing": Field("Landing sound", text(80, empty=True), kind="sound", default="bell", group=_TURNING),
    "scene": Field(
        "Scene",
        text(80, empty=True),
        kind="scene",
        group=_TOLD,
        help="Switches before the spin and back after the result.",
    ),
    "chat": Field("Chat", text(60, empty=True), kind="feed", of="irc", group=_TOLD),
    "line": Field(
        "Message",
        text(300),
        kind="wide",
        default=DEFAULT_LINE,
        group=_TOLD,
        help="{who}, {field}, {number} and {chance} are replaced by their values. A field can have its own.",
    ),
    "tells_seal": switch("Also send the hash of the next spin", "no", group=_TOLD),
    "word": Field("Chat command to spin", _word, placeholder="!spin", group=_SPENT),
    **{name: one for at in range(1, RULES + 1) for name, one in _rule(at).items()},
}


def make(name: str, choices: Mapping[str, Any], session_began: datetime | None = None) -> WheelPlan:
    """The plan that checked choices come to."""
    rules = tuple(
        EarningRule(
            at,
            choices[f"when_{at}"].strip(),
            choices[f"spins_{at}"],
            choices[f"amount_{at}"].strip(),
            choices[f"each_{at}"],
            choices[f"by_{at}"].strip(),
        )
        for at in range(1, RULES + 1)
        if choices[f"when_{at}"].strip()
    )
    sounds = ["" if choices[one] in ("", "none") else choices[one] for one in ("tick", "landing")]
    return WheelPlan(
        name,
        choices["title"],
        float(choices["turn_s"]),
        choices["turns"],
        choices["way"] == "clockwise",
        timedelta(seconds=choices["hold_s"]),
        sounds[0],
        sounds[1],
        choices["chat"],
        choices["line"],
        choices["tells_seal"] == "yes",
        choices["word"],
        choices["scene"].strip(),
        rules,
        session_began,
    )
