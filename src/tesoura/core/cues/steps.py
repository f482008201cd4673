"""What a cue can do: one entry of the table for each kind of step, with what it asks for and how it is told.

To add one, copy `PRESS` below, and give `runtime/performers.py` somebody who carries it out.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.effects import CALL, COMMAND, HIDE, MOMENT, PRESS, SAY, SCENE, SCRIPT, SET, SHOW, SOUND_ON, SWAP
from tesoura.core.forms.checks import text
from tesoura.core.forms.covering import covered, keys_in
from tesoura.core.forms.fields import Field, number
from tesoura.core.language.wording import Wording, compile_wording
from tesoura.errors import FormatError, FormulaError, InvalidField

Words = Callable[["CueStep"], str]


@dataclass(frozen=True, slots=True)
class CueStep:
    """One step: its kind, what it is done to, its wordings by the name of what is given, seconds after the one before.

    `for_s` is for how long it lasts, where it is taken back by itself.
    """

    kind: str
    target: str
    given: Mapping[str, Wording]
    after_s: float = 0.0
    for_s: float = 0.0

    def words(self) -> str:
        """It, in words."""
        return KINDS[self.kind].words(self)


@dataclass(frozen=True, slots=True)
class StepKind:
    """One kind of step: its words in the form, the fields it asks for, and which of them is what.

    `target` is the field that says what it is done to; `given` those whose wordings are filled in when it is done, by
    the name under which the effect has them; `needs` what to say of each field that must not be empty; `length` the
    field with the seconds that it lasts. With `on_machine` it starts a program of this machine.
    """

    kind: str
    title: str
    fields: Mapping[str, Field]
    target: str
    words: Words
    given: Mapping[str, str] = field(default_factory=dict)
    needs: Mapping[str, str] = field(default_factory=dict)
    length: str = ""
    checked: Callable[[Mapping[str, str]], Mapping[str, str]] = lambda own: {}
    on_machine: bool = False

    def made(self, own: Mapping[str, Any], after_s: float) -> CueStep:
        """A step of this kind from what was chosen for it, by the names of its fields."""
        given = {name: str(own[its]) for name, its in self.given.items()}
        return step(self.kind, str(own[self.target]), given, after_s, float(own[self.length]) if self.length else 0.0)

    def wrong(self, own: Mapping[str, Any]) -> dict[str, str]:
        """What is missing or wrong in what was chosen for it, by field."""
        typed = {name: str(value).strip() for name, value in own.items()}
        missing = {name: words for name, words in self.needs.items() if typed[name] in ("", "none")}
        return missing or dict(self.checked(typed))


def step(kind: str, target: str, given: Mapping[str, str], after_s: float = 0.0, for_s: float = 0.0) -> CueStep:
    """A step from what was typed. Raises FormulaError when a wording cannot be read."""
    return CueStep(kind, target, {name: compile_wording(typed) for name, typed in given.items()}, after_s, for_s)


def shown_without_keys(typed: str) -> str:
    """An address, or what is sent there, without the keys in it."""
    return covered(typed, keys_in(typed))


def wording(raw: object) -> str:
    """A wording that can be read, or InvalidField."""
    typed = text(2_000, empty=True)(raw)
    try:
        compile_wording(typed)
    except (FormulaError, FormatError) as error:
        raise InvalidField(str(error)) from None
    return typed


def _address(raw: object) -> str:
    typed = str(raw).strip()
    if not re.fullmatch(r"https?://[^\s/?#@]+(?:[/?#]\S*)?", typed) or len(typed) > 2_000:
        raise InvalidField("Give a whole address, such as http://127.0.0.1:5050/lamp.")
    return typed


def _program(raw: object) -> str:
    name = str(raw).strip()
    if "/" in name or "\\" in name or name.startswith(".") or len(name) > 200:
        raise InvalidField("Give the file name only; it must be in the scripts folder.")
    return name


def _settable(own: Mapping[str, str]) -> Mapping[str, str]:
    good = re.fullmatch(r"[A-Za-z_]\w*\.[A-Za-z_]\w*", own["signal"])
    return {} if good else {"signal": "Give a value that is set by hand, or a new one such as script.cheers."}


def _two_pieces(own: Mapping[str, str]) -> Mapping[str, str]:
    same = own["part"].casefold() == own["instead"].casefold()
    return {"instead": "Choose another piece than the first."} if same else {}


def _for(one: CueStep) -> str:
    return f" for {one.for_s:g} s" if one.for_s else ""


_LATER = text(200, empty=True)
_PART = Field("Piece", _LATER, kind="part", help="One that is on air, even one that is queued.")
_NEEDS_PART = {"part": "Choose a piece that is on air."}
_LASTS = number("Duration", 0, 86_400, 0, "seconds (0 = until changed)")

_TABLE = (
    StepKind(
        SCENE,
        "switch the scene",
        {
            "scene": Field("Scene", _LATER, kind="scene", placeholder="choose one"),
            "for": number("Back after", 0, 86_400, 0, "seconds; 0 stays"),
        },
        "scene",
        lambda one: f"switch to scene {one.target}{_for(one)}{' and back' if one.for_s else ''}",
        length="for",
        needs={"scene": "Choose a scene. Add scenes under Preferences."},
    ),
    StepKind(
        SHOW,
        "show a piece",
        {"part": _PART, "lasts": _LASTS},
        "part",
        lambda one: f"show {one.target}{_for(one)}",
        needs=_NEEDS_PART,
        length="lasts",
    ),
    StepKind(
        HIDE,
        "hide a piece",
        {"part": _PART, "lasts": _LASTS},
        "part",
        lambda one: f"hide {one.target}{_for(one)}",
        needs=_NEEDS_PART,
        length="lasts",
    ),
    StepKind(
        SWAP,
        "show a piece instead of another",
        {"part": _PART, "instead": Field("Instead of", _LATER, kind="part"), "lasts": _LASTS},
        "part",
        lambda one: f"show {one.target} instead of {one.given['instead'].source}{_for(one)}",
        {"instead": "instead"},
        {**_NEEDS_PART, "instead": "Choose the piece to replace."},
        length="lasts",
        checked=_two_pieces,
    ),
    StepKind(
        MOMENT,
        "show an alert text",
        {
            "piece": Field("Piece", _LATER, kind="piece"),
            "words": Field("Text", wording, kind="wording", placeholder="{event.name}"),
            "shown": number("Show for", 1, 600, 6, "seconds"),
        },
        "piece",
        lambda one: f"show “{one.given['words'].source}” on {one.target}{_for(one)}",
        {"words": "words"},
        {
            "piece": "Choose a piece that shows alerts. If there is none, create one on the mat first.",
            "words": "Give the words to show, such as Thank you, {event.name}.",
        },
        length="shown",
    ),
    StepKind(
        SAY,
        "send a chat message",
        {
            "chat": Field("Chat", _LATER, kind="feed", of="irc"),
            "line": Field("Message", wording, kind="wording", placeholder="Thank you, {event.name}"),
        },
        "chat",
        lambda one: f"say “{one.given['line'].source}” in {one.target}",
        {"line": "line"},
        {
            "chat": "Choose a chat; connect one under Feeds first if there is none.",
            "line": "Give what is said, such as Thank you, {event.name}.",
        },
    ),
    StepKind(
        SOUND_ON,
        "play a sound on an overlay",
        {"sound": Field("Sound", _LATER, kind="sound"), "overlay": Field("Overlay", _LATER, kind="overlay")},
        "overlay",
        lambda one: f"play {one.given['sound'].source} on {one.target}",
        {"sound": "sound"},
        {"sound": "Choose a sound.", "overlay": "Choose the overlay that plays it."},
    ),
    StepKind(
        COMMAND,
        "send a command to an instrument",
        {
            "instrument": Field("Instrument", _LATER, kind="instrument"),
            "command": Field("Command", _LATER, kind="command", placeholder="start"),
            "with": Field("Parameters", wording, placeholder="by 3 min"),
        },
        "instrument",
        lambda one: f"give {one.target} “{one.given['command'].source}”",
        {"command": "command", "with": "with"},
        {"instrument": "Choose the instrument that gets the command.", "command": "Give the command, such as start."},
    ),
    StepKind(
        SET,
        "set a value",
        {
            "signal": Field(
                "Value",
                _LATER,
                kind="signal",
                placeholder="script.cheers",
                help="A hand-set value or a signal of the script feed.",
            ),
            "value_of": Field("New value", wording, placeholder="{event.name}"),
        },
        "signal",
        lambda one: f"set {one.target} to {one.given['value'].source or 'nothing'}",
        {"value": "value_of"},
        {"signal": "Choose a value, such as reach.members."},
        checked=_settable,
    ),
    StepKind(
        PRESS,
        "run another cue",
        {"cue": Field("Cue", _LATER, kind="instrument", of="cue")},
        "cue",
        lambda one: f"press {one.target}",
        needs={"cue": "Choose the cue to press."},
    ),
    StepKind(
        CALL,
        "call a web address",
        {
            "address": Field("Address", _address, placeholder="http://127.0.0.1:5050/lamp"),
            "body": Field("Body", wording, placeholder='{"name": "{event.name}"}'),
        },
        "address",
        lambda one: f"call {shown_without_keys(one.target)}",
        {"body": "body"},
        {"address": "Give a whole address, such as http://127.0.0.1:5050/lamp."},
    ),
    StepKind(
        SCRIPT,
        "run a script",
        {
            "program": Field("Script", _program, kind="program", placeholder="lamp.py"),
            "told": Field("Input", wording, placeholder="{event.name}", help="Sent as one line on standard input."),
        },
        "program",
        lambda one: f"run {one.target}",
        {"told": "told"},
        {"program": "Choose a script."},
        on_machine=True,
    ),
)
KINDS: Mapping[str, StepKind] = {one.kind: one for one in _TABLE}
"""Every kind of step by the kind of its effect, in the order in which they are offered."""
