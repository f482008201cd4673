"""What a cue is set up with, as a form, and the plan that checked choices come to."""

from __future__ import annotations

import re
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import replace
from datetime import time, timedelta
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.cues.conditions import OnlyIf
from tesoura.core.cues.crossings import Becomes, Crosses, StaysStill
from tesoura.core.cues.cue import CuePlan
from tesoura.core.cues.happenings import (
    ANYONE,
    BACK,
    DOWN,
    FIRST,
    HOW,
    IS,
    WHO,
    ChatWord,
    Condition,
    FeedTurns,
    Happens,
    Pressed,
    SessionStarts,
)
from tesoura.core.cues.limits import BUSY, MOST_WAITING, QUEUE, Limits
from tesoura.core.cues.program import CueSteps
from tesoura.core.cues.steps import KINDS, CueStep
from tesoura.core.cues.times import DAYS, AtTimes, BeforeEntry, Repeats
from tesoura.core.cues.triggers import Trigger
from tesoura.core.effects import PRESS, SCENE
from tesoura.core.forms.checks import choice, line, text, whole
from tesoura.core.forms.durations import brief, duration
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.language.formula import compile_formula
from tesoura.errors import FormulaError, InvalidField

CUE = "cue"
STEPS, CONDITIONS = 5, 3
WHEN = (
    ("press", "you press it"),
    ("event", "an event happens"),
    ("moment", "an instrument event"),
    ("chat", "a chat command"),
    ("crosses", "a value reaches a level"),
    ("becomes", "a value changes"),
    ("still", "a value stays the same"),
    ("scene", "the scene changes"),
    ("times", "at a time of day"),
    ("every", "every few minutes"),
    ("before", "before a calendar entry"),
    ("session", "a stream session starts"),
    ("feed", "a feed goes down or comes back"),
)
DO = (("", "nothing"), *((one.kind, one.title) for one in KINDS.values()))
_SIGNALS = ("crosses", "becomes", "still", "before")
_TIME = re.compile(r"([01]?\d|2[0-3])[:.h]([0-5]\d)")


def _formula(raw: object) -> str:
    typed = str(raw).strip()
    if typed:
        try:
            compile_formula(typed)
        except FormulaError as error:
            raise InvalidField(str(error)) from None
    return typed


def _level(raw: object) -> str:
    typed = str(raw).strip().replace("\u2212", "-")
    try:
        found = float(typed)
    except ValueError:
        raise InvalidField("Give a number, such as 4.") from None
    if not -1e15 < found < 1e15:
        raise InvalidField("This number is too large.")
    return f"{found:.15g}"


def _back(raw: object) -> str:
    return _level(raw) if str(raw).strip() else ""


def _length(raw: object) -> str:
    typed = " ".join(str(raw).split())
    if typed:
        duration(typed)
    return typed


def _needed_length(raw: object) -> str:
    duration(raw)
    return " ".join(str(raw).split())


def _times(raw: object) -> str:
    found = [_TIME.fullmatch(one.strip()) for one in re.split(r"[,;]|\band\b", str(raw)) if one.strip()]
    if not found or not all(found) or len(found) > 24:
        raise InvalidField("Give times of day, at most 24, such as 19:30, 20:00.")
    return ", ".join(dict.fromkeys(f"{int(one[1]):02}:{one[2]}" for one in found if one))


def _days(raw: object) -> str:
    given = raw if isinstance(raw, list) else str(raw).split(",")
    days = sorted({int(one) for one in given if str(one).strip().isdecimal() and int(one) < len(DAYS)})
    return ",".join(str(one) for one in days) or ",".join(str(one) for one in range(len(DAYS)))


_LATER = text(200, empty=True)


def _conditions() -> dict[str, Field]:
    fields: dict[str, Field] = {}
    for at in range(1, CONDITIONS + 1):
        fields |= {
            f"field_{at}": Field("Field", _LATER, kind="datum", only_if=("when", ("event",)), placeholder="amount"),
            f"how_{at}": one_of("Condition", HOW, IS, only_if=("when", ("event",))),
            f"value_{at}": Field("Value", _LATER, only_if=("when", ("event",))),
        }
    return fields


def _step(at: int) -> dict[str, Field]:
    """The fields of one step: those that several kinds ask for alike stand there once."""
    every = tuple(KINDS)
    fields = {
        f"do_{at}": one_of(
            "Action" if at == 1 else "Next action",
            DO[1:] if at == 1 else DO,
            SCENE if at == 1 else "",
            only_if=None if at == 1 else (f"do_{at - 1}", every),
        ),
        f"after_{at}": number("Delay", 0, 3_600, 0, "seconds", only_if=(f"do_{at}", every)),
    }
    for name in dict.fromkeys(name for one in KINDS.values() for name in one.fields):
        asking = tuple(one.kind for one in KINDS.values() if name in one.fields)
        fields[f"{name}_{at}"] = replace(KINDS[asking[0]].fields[name], only_if=(f"do_{at}", asking))
    return fields


FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60)),
    "group": Field("Group", text(40, empty=True), placeholder="gifts", advanced=True),
    "when": one_of("When", WHEN, "press"),
    "event": Field("Event", text(120, empty=True), kind="event", only_if=("when", ("event",))),
    "moment": Field("Instrument event", text(120, empty=True), kind="moment", only_if=("when", ("moment",))),
    **_conditions(),
    "person": Field("Person field", _LATER, kind="datum", default="name", only_if=("when", ("event",))),
    "word": Field("Chat command", text(60, empty=True), only_if=("when", ("chat",)), placeholder="!spin"),
    "who": one_of("Allowed for", WHO, ANYONE, only_if=("when", ("chat",))),
    "in_chat": Field(
        "Chat", text(60, empty=True), kind="feed", of="irc", placeholder="any", only_if=("when", ("chat",))
    ),
    "where": one_of(
        "Position", (("first", "first in the line"), ("anywhere", "anywhere")), FIRST, only_if=("when", ("chat",))
    ),
    "signal": Field("Signal", text(200, empty=True), kind="signal", only_if=("when", _SIGNALS)),
    "way": one_of("Direction", (("up", "reaches"), ("down", "falls to")), "up", only_if=("when", ("crosses",))),
    "level": Field("Level", _level, only_if=("when", ("crosses",)), placeholder="4"),
    "back": Field("Reset level", _back, only_if=("when", ("crosses",)), placeholder="the level itself"),
    "value": Field("Becomes", _LATER, only_if=("when", ("becomes",)), placeholder="anything else"),
    "still_for": Field("Unchanged for", _needed_length, default="30 s", only_if=("when", ("still",))),
    "to_scene": Field("New scene", _LATER, kind="scene", only_if=("when", ("scene",)), placeholder="any other"),
    "times": Field("Times", _times, only_if=("when", ("times",)), placeholder="19:30, 20:00"),
    "days": Field(
        "Days",
        _days,
        kind="several",
        options=tuple((str(at), one) for at, one in enumerate(DAYS)),
        default=",".join(str(at) for at in range(len(DAYS))),
        only_if=("when", ("times",)),
    ),
    "every_min": number("Interval", 1, 1_440, 10, "minutes", only_if=("when", ("every",))),
    "before_min": number("Lead time", 0, 1_440, 10, "minutes", only_if=("when", ("before",))),
    "feed": Field("Feed", text(60, empty=True), kind="feed", only_if=("when", ("feed",))),
    "feed_state": one_of("Status", ((DOWN, "goes down"), (BACK, "comes back")), DOWN, only_if=("when", ("feed",))),
    "if_formula": Field("Condition formula", _formula, kind="formula", placeholder="match.deaths < 3"),
    "if_scenes": Field("Scenes", _LATER, placeholder="Play, Talk", advanced=True),
    "if_overlay": Field("Only while on screen", _LATER, kind="overlay", placeholder="any or none", advanced=True),
    "if_session": switch("Only during a session", "no", advanced=True),
    **{name: field for at in range(1, STEPS + 1) for name, field in _step(at).items()},
    "rests": Field("Cooldown", _length, placeholder="2 min"),
    "person_rests": Field("Per-person cooldown", _length, placeholder="10 min", advanced=True),
    "may_wait": Field(
        "Queue up to", whole(0, MOST_WAITING), default=0, kind="number", least=0, most=MOST_WAITING, advanced=True
    ),
    "busy": Field(
        "If the queue is full",
        choice([one for one, _ in BUSY]),
        default=QUEUE,
        kind="choice",
        options=BUSY,
        advanced=True,
    ),
    "late": switch("Run late after a crash", "no", advanced=True),
}
_UNASKED = {name: field.default for name, field in FIELDS.items()}
GROUPS = ("When", "Only if", "Do", "Cooldown", "")
"""The headings of its form, in their order."""


def group_of(name: str) -> str:
    """Under which heading a field stands."""
    if name in ("title", "group"):
        return ""
    if name.startswith("if_"):
        return "Only if"
    if name in ("rests", "person_rests", "may_wait", "busy", "late"):
        return "Cooldown"
    return "Do" if re.fullmatch(r"[a-z_]+_\d", name) and not re.match(r"(field|how|value)_\d", name) else "When"


def check(choices: Mapping[str, Any]) -> dict[str, str]:
    """What is missing, by field."""
    given = {**_UNASKED, **choices}
    wrong = {}
    needs = {
        "event": "event",
        "moment": "moment",
        "chat": "word",
        "feed": "feed",
        **dict.fromkeys(_SIGNALS, "signal"),
    }.get(given["when"])
    if needs and not str(given[needs]).strip():
        wrong[needs] = _MISSING[needs]
    for at in range(1, STEPS + 1):
        if kind := KINDS.get(given[f"do_{at}"]):
            wrong |= {f"{name}_{at}": words for name, words in kind.wrong(_own(given, at)).items()}
    if given["when"] == "crosses" and given["back"]:
        level, back, up = float(given["level"]), float(given["back"]), given["way"] == "up"
        if (back > level) if up else (back < level):
            wrong["back"] = f"The way back lies {'below' if up else 'above'} the level."
    return wrong


_MISSING = {
    "event": "Choose an event type, such as gift.",
    "moment": "Choose an instrument event, such as the end of a countdown.",
    "word": "Give the chat command, such as !spin.",
    "signal": "Choose a value, such as reach.members.",
    "feed": "Choose the feed.",
}


def _own(given: Mapping[str, Any], at: int) -> dict[str, Any]:
    """What was chosen for a step, by the names of its kind's fields."""
    kind = KINDS.get(given[f"do_{at}"])
    return {name: given[f"{name}_{at}"] for name in kind.fields} if kind else {}


def plan(name: str, choices: Mapping[str, Any], almanac: Almanac) -> CuePlan:
    """The plan that checked choices come to. What was not asked for stands at its default."""
    given = {**_UNASKED, **choices}
    steps = CueSteps(tuple(_made(given, at) for at in range(1, STEPS + 1) if given[f"do_{at}"]))
    rests = max(_seconds(given["rests"]), steps.lasts_s)
    formula = compile_formula(given["if_formula"]) if given["if_formula"] else None
    scenes = tuple(one.strip() for one in str(given["if_scenes"]).split(",") if one.strip())
    only_if = OnlyIf(
        formula,
        scenes,
        almanac.scene_signal,
        given["if_session"] == "yes",
        bool(almanac.session_began),
        str(given["if_overlay"]).strip(),
    )
    limits = Limits(rests, _seconds(given["person_rests"]), int(given["may_wait"]), given["busy"])
    return CuePlan(name, given["title"], trigger(given, almanac), only_if, steps, limits, given["late"] == "yes")


def trigger(given: Mapping[str, Any], almanac: Almanac) -> Trigger:
    """What sets it off, of checked choices."""
    signal, when = str(given["signal"]), given["when"]
    if when == "event":
        conditions = tuple(
            Condition(given[f"field_{at}"], given[f"how_{at}"], given[f"value_{at}"])
            for at in range(1, CONDITIONS + 1)
            if given[f"field_{at}"]
        )
        return Happens(given["event"], conditions, given["person"])
    if when == "moment":
        name, _, what = str(given["moment"]).partition(".")
        words = f"{name} tells “{what.replace('_', ' ')}”"
        return Happens(given["moment"], said=words, source=f"instrument:{name}")
    if when == "chat":
        return ChatWord(given["word"], given["who"], given["where"], given["in_chat"])
    if when == "crosses":
        level = float(given["level"])
        return Crosses(signal, level, float(given["back"]) if given["back"] else level, given["way"] == "up")
    if when == "becomes":
        return Becomes(signal, given["value"])
    if when == "still":
        return StaysStill(signal, duration(given["still_for"]).total_seconds())
    if when == "scene":
        return Becomes(almanac.scene_signal, given["to_scene"], "the scene")
    if when == "times":
        times = tuple(time.fromisoformat(one) for one in str(given["times"]).split(", "))
        return AtTimes(times, frozenset(int(one) for one in str(given["days"]).split(",")), almanac.zone)
    if when == "every":
        return Repeats(int(given["every_min"]), almanac.zone)
    if when == "before":
        return BeforeEntry(signal, int(given["before_min"]))
    if when == "feed":
        return FeedTurns(given["feed"], given["feed_state"])
    if when == "session":
        return SessionStarts()
    return Pressed()


def _made(given: Mapping[str, Any], at: int) -> CueStep:
    return KINDS[given[f"do_{at}"]].made(_own(given, at), float(given[f"after_{at}"]))


def _seconds(length: str) -> float:
    with suppress(InvalidField):
        return duration(length).total_seconds()
    return 0.0


def starts_programs(choices: Mapping[str, Any]) -> bool:
    """Whether a cue with these choices starts programs of this machine."""
    kinds = (KINDS.get(str(choices.get(f"do_{at}"))) for at in range(1, STEPS + 1))
    return any(one.on_machine for one in kinds if one)


def pressed_by(choices: Mapping[str, Any]) -> list[str]:
    """The cues that a cue presses, of its choices."""
    return [str(choices[f"cue_{at}"]) for at in range(1, STEPS + 1) if choices.get(f"do_{at}") == PRESS]


def way_back(name: str, presses: Mapping[str, list[str]]) -> list[str] | None:
    """A way from a cue through those that it presses back to itself, it at both ends; None when there is none."""
    ways, seen = [[name]], {name}
    while ways:
        way = ways.pop(0)
        for other in presses.get(way[-1], ()):
            if other == name:
                return [*way, name]
            if other not in seen:
                seen.add(other)
                ways.append([*way, other])
    return None


def sentence(it: CuePlan) -> list[tuple[str, bool]]:
    """The cue as one sentence, in parts; those that differ from cue to cue stand out."""
    assert isinstance(it.conditions, OnlyIf)
    assert isinstance(it.program, CueSteps)
    parts = [("When ", False), (it.trigger.words(), True)]
    if extra := it.conditions.words():
        parts += [(" " if extra.startswith("in scene") else ", ", False), (extra, True)]
    parts += [(", ", False), (it.program.words() or "do nothing", True)]
    if it.limits.rests_s:
        parts += [(", with a cooldown of ", False), (brief(timedelta(seconds=it.limits.rests_s)), True)]
    if it.limits.person_s:
        parts += [(", per person ", False), (brief(timedelta(seconds=it.limits.person_s)), True)]
    if it.limits.may_wait:
        parts += [("; ", False), (f"queue up to {it.limits.may_wait}", True)]
    return [*parts, (".", False)]
