"""What a button of the desk can do: one entry of the table for each kind, with what it asks for and what a press is."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.desk.controls import control_sign
from tesoura.core.desk.keys import desk_key
from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.fields import Field, one_of
from tesoura.core.forms.form import fill
from tesoura.errors import InvalidPiece

COLOURS = (("sheet", "sheet"), ("mat", "mat green"), ("amber", "amber"), ("ink", "ink"), ("thread", "thread red"))
SIZES = (("one", "one place"), ("wide", "two places"))
LONGEST_WORDS = 60
LOOKS = ("words", "colour", "size", "key", "control")
"""What all buttons have, whatever they do."""
Press = tuple[str, Mapping[str, Any]]
"""An action's name, and what is given with it."""


@dataclass(frozen=True, slots=True)
class ButtonKind:
    """One kind of button: its words, what it asks for, what is missing when it is empty, what a press is, its words.

    `press` is told what was chosen, and whether what it stands for is shown or on now.
    """

    name: str
    title: str
    fields: Mapping[str, Field]
    press: Callable[[Mapping[str, str], bool], Press]
    words: Callable[[Mapping[str, str]], str]
    needs: Mapping[str, str] = field(default_factory=dict)
    turns: bool = False
    """Whether it stands for a value that a dial turns, too."""
    toggles: bool = False
    """Whether a press turns what it stands for on or off."""
    counts: bool = False
    """Whether it belongs to a match, and shows how that stands."""


_SHORT = text(200, empty=True)
SAVES_WHATS = (
    ("put", "restore the bookmarked save"),
    ("next", "bookmark the next save"),
    ("previous", "bookmark the previous save"),
    ("keep", "save the current state"),
)


def _command(own: Mapping[str, str]) -> Mapping[str, Any]:
    given = {}
    for one in own["with"].split(","):
        name, _, value = one.strip().partition(" ")
        if name and value:
            given[name] = value.strip()
    return {**given, "instrument": own["instrument"], "command": own["command"]}


_TABLE = (
    ButtonKind(
        "cue",
        "run a cue",
        {"cue": Field("Cue", _SHORT, kind="instrument", of="cue")},
        lambda own, on: ("instrument.command", {"instrument": own["cue"], "command": "press", "by": "the desk"}),
        lambda own: own["cue"].replace("_", " "),
        {"cue": "Choose a cue."},
    ),
    ButtonKind(
        "command",
        "send a command to an instrument",
        {
            "instrument": Field("Instrument", _SHORT, kind="instrument"),
            "command": Field("Command", _SHORT, kind="command", placeholder="start"),
            "with": Field("Parameters", _SHORT, placeholder="by 3 min"),
        },
        lambda own, on: ("instrument.command", _command(own)),
        lambda own: f"{own['instrument']}: {own['command']}".replace("_", " "),
        {"instrument": "Choose an instrument.", "command": "Give the command, such as start."},
    ),
    ButtonKind(
        "scene",
        "switch the scene",
        {"scene": Field("Scene", _SHORT, kind="scene", placeholder="choose one")},
        lambda own, on: ("scene.set", {"scene": own["scene"]}),
        lambda own: own["scene"],
        {"scene": "Choose a scene."},
    ),
    ButtonKind(
        "piece",
        "show and hide a piece",
        {"part": Field("Piece", _SHORT, kind="part")},
        lambda own, on: ("piece.show", {"piece": own["part"], "shown": "no" if on else "yes"}),
        lambda own: own["part"].rpartition(" / ")[2],
        {"part": "Choose a piece that is on air."},
        toggles=True,
    ),
    ButtonKind(
        "step",
        "count a value up or down",
        {
            "hand": Field("Value", _SHORT, kind="feed", of="hand"),
            "by": one_of("By", (("1", "one up"), ("-1", "one down")), "1"),
        },
        lambda own, on: ("hand.set", {"name": own["hand"], "step": own["by"]}),
        lambda own: f"{own['hand']} {'+' if own['by'] == '1' else '−'}1".replace("_", " "),
        {"hand": "Choose a hand-set value."},
        turns=True,
    ),
    ButtonKind(
        "value",
        "set a value",
        {"hand": Field("Value", _SHORT, kind="feed", of="hand"), "to": Field("To", _SHORT, placeholder="3")},
        lambda own, on: ("hand.set", {"name": own["hand"], "value": own["to"]}),
        lambda own: f"{own['hand']}: {own['to']}".replace("_", " "),
        {"hand": "Choose a hand-set value.", "to": "Give the new value."},
    ),
    ButtonKind(
        "level",
        "set a value with a slider",
        {"hand": Field("Value", _SHORT, kind="feed", of="hand")},
        lambda own, on: ("hand.set", {"name": own["hand"], "step": "1"}),
        lambda own: own["hand"].replace("_", " "),
        {"hand": "Choose a hand-set value."},
        turns=True,
    ),
    ButtonKind(
        "say",
        "say a line in chat",
        {
            "chat": Field("Chat", _SHORT, kind="feed", of="irc"),
            "line": Field("Message", text(400, empty=True), kind="wide", placeholder="Five minutes, kettle's on"),
        },
        lambda own, on: ("chat.say", {"chat": own["chat"], "line": own["line"]}),
        lambda own: own["line"],
        {"chat": "Choose a chat.", "line": "Give the line to say."},
    ),
    ButtonKind(
        "side",
        "score for a side",
        {
            "board": Field("The scoreboard", _SHORT, kind="instrument", of="scoreboard"),
            "side": one_of("For", (("home", "home"), ("away", "away")), "home"),
            "what": Field("What", _SHORT, placeholder="goal"),
        },
        lambda own, on: (
            "instrument.command",
            {"instrument": own["board"], "command": "point", "side": own["side"], "what": own["what"]},
        ),
        lambda own: own["side"],
        {"board": "Choose a scoreboard."},
        counts=True,
    ),
    ButtonKind(
        "back",
        "undo the last match entry",
        {"board": Field("The scoreboard", _SHORT, kind="instrument", of="scoreboard")},
        lambda own, on: ("instrument.command", {"instrument": own["board"], "command": "take_back"}),
        lambda own: "Undo",
        {"board": "Choose a scoreboard."},
        counts=True,
    ),
    ButtonKind(
        "match_clock",
        "start or stop the match clock",
        {"board": Field("The scoreboard", _SHORT, kind="instrument", of="scoreboard")},
        lambda own, on: (
            "instrument.command",
            {"instrument": own["board"], "command": "stop_clock" if on else "start_clock"},
        ),
        lambda own: "Clock",
        {"board": "Choose a scoreboard."},
        toggles=True,
        counts=True,
    ),
    ButtonKind(
        "saves",
        "saved game",
        {"saves_of": Field("The game", _SHORT, kind="saves"), "saves_do": one_of("Saves action", SAVES_WHATS, "put")},
        lambda own, on: ("saves.press", {"game": own["saves_of"], "what": own["saves_do"]}),
        lambda own: f"{own['saves_of']}: {dict(SAVES_WHATS)[own['saves_do']]}",
        {"saves_of": "Choose a game."},
    ),
    ButtonKind(
        "hold",
        "pause alerts",
        {},
        lambda own, on: ("moments.hold", {"held": "no" if on else "yes"}),
        lambda own: "Pause alerts",
        toggles=True,
    ),
    ButtonKind("session", "start a new session", {}, lambda own, on: ("session.start", {}), lambda own: "New session"),
    ButtonKind(
        "air",
        "hide everything",
        {},
        lambda own, on: ("air.clear", {"cleared": "no" if on else "yes"}),
        lambda own: "Hide everything",
        toggles=True,
    ),
    ButtonKind("undo", "undo the last action", {}, lambda own, on: ("desk.undo", {}), lambda own: "Undo last action"),
)
KINDS: Mapping[str, ButtonKind] = {one.name: one for one in _TABLE}
"""Every kind of button by name, in the order in which they are offered."""

FIELDS: Mapping[str, Field] = {
    "does": one_of("Action", [(one.name, one.title) for one in KINDS.values()], "cue"),
    **{
        name: Field(
            its.label,
            its.check,
            its.unit,
            its.default,
            its.kind,
            its.options,
            of=its.of,
            placeholder=its.placeholder,
            only_if=("does", tuple(one.name for one in KINDS.values() if name in one.fields)),
        )
        for kind in KINDS.values()
        for name, its in kind.fields.items()
    },
    "words": Field("Label", text(LONGEST_WORDS, empty=True), placeholder="same as the action"),
    "colour": one_of("Colour", COLOURS, "sheet"),
    "size": Field("Size", choice([one for one, _ in SIZES]), default="one", kind="choice", options=SIZES),
    "key": Field("Key", desk_key, kind="key", placeholder="press a key"),
    "control": Field("OSC or MIDI control", control_sign, kind="control", placeholder="none"),
}
"""The form of a button."""


@dataclass(frozen=True, slots=True)
class DeskButton:
    """A button: what it does with what, the words on it (empty for those of what it does), its colour and size."""

    id: str
    does: str
    own: Mapping[str, str]
    words: str = ""
    colour: str = "sheet"
    size: str = "one"
    key: str = ""
    control: str = ""

    @property
    def shown_words(self) -> str:
        """The words on it."""
        return self.words or KINDS[self.does].words(self.own)[:LONGEST_WORDS] or KINDS[self.does].title

    def press(self, on: bool) -> Press:
        """What a press is; `on` tells whether what it stands for is shown or on now."""
        return KINDS[self.does].press(self.own, on)

    def saved(self) -> dict[str, Any]:
        """It, as it is stored."""
        return {
            "id": self.id,
            "does": self.does,
            "own": dict(self.own),
            "words": self.words,
            "colour": self.colour,
            "size": self.size,
            "key": self.key,
            "control": self.control,
        }

    def typed(self) -> dict[str, str]:
        """It, as its form holds it."""
        return {
            "does": self.does,
            **self.own,
            "words": self.words,
            "colour": self.colour,
            "size": self.size,
            "key": self.key,
            "control": self.control,
        }


def button_of(id: str, typed: Mapping[str, object]) -> DeskButton:
    """A button from what was typed. Raises InvalidPiece, which names every field that is wrong."""
    filled = fill(FIELDS, typed)
    kind = KINDS.get(str(filled.choices.get("does", "")))
    wrong = dict(filled.wrong)
    if kind is None:
        raise InvalidPiece(wrong or {"does": "Choose an action."})
    own = {name: str(filled.choices.get(name, "")) for name in kind.fields}
    wrong |= {name: words for name, words in kind.needs.items() if not own.get(name, "").strip() and name not in wrong}
    if wrong:
        raise InvalidPiece(wrong)
    words, colour, size, key, control = (str(filled.choices[name]) for name in LOOKS)
    return DeskButton(id, kind.name, own, words.strip(), colour, size, key, control)
