"""What a cue is set up with, as a form, and the plan that checked choices come to."""

from __future__ import annotations

import re
from collections.abc import Mapping
from contextlib import suppress
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
from tesoura.core.cues.program import CueStep, CueSteps, step
from tesoura.core.cues.times import DAYS, AtTimes, BeforeEntry, Repeats
from tesoura.core.cues.triggers import Trigger
from tesoura.core.effects import CALL, COMMAND, MOMENT, PRESS, SCENE, SET, SOUND_ON
from tesoura.core.forms.checks import choice, line, text, whole
from tesoura.core.forms.durations import brief, duration
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.language.formula import compile_formula
from tesoura.core.language.wording import compile_wording
from tesoura.errors import FormatError, FormulaError, InvalidField

CUE = "cue"
STEPS, CONDITIONS = 5, 3
WHEN = (
    ("press", "you press it"), ("event", "something happens"), ("chat", "somebody says a word in chat"),
    ("crosses", "a value gets to a level"), ("becomes", "a value changes"), ("still", "a value does not change"),
    ("scene", "the scene changes"), ("times", "it is a certain time"), ("every", "some minutes have passed"),
    ("before", "an entry of the calendar comes near"), ("session", "a stream session starts"),
    ("feed", "a feed goes down or comes back"),
)  # fmt: skip
DO = (
    ("", "nothing more"), (SCENE, "switch the scene"), (COMMAND, "give an instrument a command"), (SET, "set a value"),
    (MOMENT, "show words for a moment"), (SOUND_ON, "play a sound on an overlay"), (PRESS, "press another cue"),
    (CALL, "call a web address"),
)  # fmt: skip
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


def _wording(raw: object) -> str:
    typed = text(2_000, empty=True)(raw)
    try:
        compile_wording(typed)
    except (FormulaError, FormatError) as error:
        raise InvalidField(str(error)) from None
    return typed


def _level(raw: object) -> str:
    typed = str(raw).strip().replace("\u2212", "-")
    try:
        found = float(typed)
    except ValueError:
        raise InvalidField("Give a number, such as 4.") from None
    if not -1e15 < found < 1e15:
        raise InvalidField("This number is too large to be compared with.")
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


def _address(raw: object) -> str:
    typed = str(raw).strip()
    if not re.fullmatch(r"https?://[^\s/?#@]+(?:[/?#]\S*)?", typed) or len(typed) > 2_000:
        raise InvalidField("Give a whole address, such as http://127.0.0.1:5050/lamp.")
    return typed


_LATER = text(200, empty=True)


def _conditions() -> dict[str, Field]:
    fields: dict[str, Field] = {}
    for at in range(1, CONDITIONS + 1):
        fields |= {
            f"field_{at}": Field("And its field", _LATER, kind="datum", only_if=("when", ("event",)),
                                 placeholder="amount"),
            f"how_{at}": one_of("is so", HOW, IS, only_if=("when", ("event",))),
            f"value_{at}": Field("what", _LATER, only_if=("when", ("event",))),
        }  # fmt: skip
    return fields


def _step(at: int) -> dict[str, Field]:
    def only(*kinds: str) -> tuple[str, tuple[str, ...]]:
        return (f"do_{at}", kinds)

    first = DO[1:] if at == 1 else DO
    return {
        f"do_{at}": one_of("Do this" if at == 1 else "Then", first, first[0][0],
                           only_if=None if at == 1 else (f"do_{at - 1}", tuple(kind for kind, _ in DO if kind))),
        f"after_{at}": number("after", 0, 3_600, 0, "seconds", only_if=only(*(kind for kind, _ in DO if kind))),
        f"scene_{at}": Field("To the scene", _LATER, kind="scene", only_if=only(SCENE), placeholder="choose one"),
        f"for_{at}": number("and back after", 0, 86_400, 0, "seconds; 0 stays", only_if=only(SCENE)),
        f"instrument_{at}": Field("The instrument", _LATER, kind="instrument", only_if=only(COMMAND)),
        f"command_{at}": Field("The command", _LATER, kind="command", only_if=only(COMMAND), placeholder="start"),
        f"with_{at}": Field("with", _wording, only_if=only(COMMAND), placeholder="by 3 min"),
        f"signal_{at}": Field("The value", _LATER, kind="signal", only_if=only(SET),
                              placeholder="script.cheers", help="One set by hand, or one of the script feed."),
        f"value_of_{at}": Field("to", _wording, only_if=only(SET), placeholder="{event.name}"),
        f"piece_{at}": Field("On the piece", _LATER, kind="piece", only_if=only(MOMENT)),
        f"words_{at}": Field("The words", _wording, kind="wording", only_if=only(MOMENT), placeholder="{event.name}"),
        f"shown_{at}": number("for", 1, 600, 6, "seconds", only_if=only(MOMENT)),
        f"cue_{at}": Field("The cue", _LATER, kind="instrument", of="cue", only_if=only(PRESS)),
        f"sound_{at}": Field("The sound", _LATER, kind="sound", only_if=only(SOUND_ON)),
        f"overlay_{at}": Field("on the overlay", _LATER, kind="overlay", only_if=only(SOUND_ON)),
        f"address_{at}": Field("The address", _address, only_if=only(CALL), placeholder="http://127.0.0.1:5050/lamp"),
        f"body_{at}": Field("and send", _wording, only_if=only(CALL), placeholder='{"name": "{event.name}"}'),
    }  # fmt: skip


FIELDS: Mapping[str, Field] = {
    "title": Field("Its name", line(60)),
    "group": Field("Among", text(40, empty=True), placeholder="gifts", advanced=True),
    "when": one_of("When", WHEN, "press"),
    "event": Field("What happens", text(120, empty=True), kind="event", only_if=("when", ("event",))),
    **_conditions(),
    "person": Field("Who did it", _LATER, kind="datum", default="name", only_if=("when", ("event",))),
    "word": Field("The word", text(60, empty=True), only_if=("when", ("chat",)), placeholder="!spin"),
    "who": one_of("Said by", WHO, ANYONE, only_if=("when", ("chat",))),
    "where": one_of("It stands", (("first", "first in the line"), ("anywhere", "anywhere")), FIRST,
                    only_if=("when", ("chat",))),
    "signal": Field("The value", text(200, empty=True), kind="signal", only_if=("when", _SIGNALS)),
    "way": one_of("It", (("up", "reaches"), ("down", "falls to")), "up", only_if=("when", ("crosses",))),
    "level": Field("the level", _level, only_if=("when", ("crosses",)), placeholder="4"),
    "back": Field("Again once it was beyond", _back, only_if=("when", ("crosses",)), placeholder="the level itself"),
    "value": Field("It becomes", _LATER, only_if=("when", ("becomes",)), placeholder="anything else"),
    "still_for": Field("for", _needed_length, default="30 s", only_if=("when", ("still",))),
    "to_scene": Field("To", _LATER, kind="scene", only_if=("when", ("scene",)), placeholder="any other"),
    "times": Field("At", _times, only_if=("when", ("times",)), placeholder="19:30, 20:00"),
    "days": Field("on", _days, kind="several", options=tuple((str(at), one) for at, one in enumerate(DAYS)),
                  default=",".join(str(at) for at in range(len(DAYS))), only_if=("when", ("times",))),
    "every_min": number("Every", 1, 1_440, 10, "minutes", only_if=("when", ("every",))),
    "before_min": number("So long before", 0, 1_440, 10, "minutes", only_if=("when", ("before",))),
    "feed": Field("The feed", text(60, empty=True), kind="feed", only_if=("when", ("feed",))),
    "feed_state": one_of("It", ((DOWN, "goes down"), (BACK, "comes back")), DOWN, only_if=("when", ("feed",))),
    "if_formula": Field("This is true", _formula, kind="formula", placeholder="match.deaths < 3"),
    "if_scenes": Field("Only in these scenes", _LATER, placeholder="Play, Talk", advanced=True),
    "if_session": switch("Only while a session runs", "no", advanced=True),
    **{name: field for at in range(1, STEPS + 1) for name, field in _step(at).items()},
    "rests": Field("Every", _length, placeholder="2 min"),
    "person_rests": Field("and each person every", _length, placeholder="10 min", advanced=True),
    "may_wait": Field("So many may wait", whole(0, MOST_WAITING), default=0, kind="number", least=0, most=MOST_WAITING,
                      advanced=True),
    "busy": Field("When it is busy", choice([one for one, _ in BUSY]), default=QUEUE, kind="choice", options=BUSY,
                  advanced=True),
    "late": switch("Do late what a crash left undone", "no", advanced=True),
}  # fmt: skip
_UNASKED = {name: field.default for name, field in FIELDS.items()}
GROUPS = ("When", "Only if", "Do", "No more often than", "")
"""The headings of its form, in their order."""


def group_of(name: str) -> str:
    """Under which heading a field stands."""
    if name in ("title", "group"):
        return ""
    if name.startswith("if_"):
        return "Only if"
    if name in ("rests", "person_rests", "may_wait", "busy", "late"):
        return "No more often than"
    return "Do" if re.fullmatch(r"[a-z_]+_\d", name) and not re.match(r"(field|how|value)_\d", name) else "When"


def check(choices: Mapping[str, Any]) -> dict[str, str]:
    """What is missing, by field."""
    given = {**_UNASKED, **choices}
    wrong = {}
    needs = {"event": "event", "chat": "word", "feed": "feed", **dict.fromkeys(_SIGNALS, "signal")}.get(given["when"])
    if needs and not str(given[needs]).strip():
        wrong[needs] = _MISSING[needs]
    for at in range(1, STEPS + 1):
        kind = given[f"do_{at}"]
        for name in _NEEDS.get(kind, ()):
            if str(given[f"{name}_{at}"]).strip() in ("", "none"):
                wrong[f"{name}_{at}"] = _MISSING[name]
        if kind == SET and f"signal_{at}" not in wrong and not _SIGNAL.fullmatch(given[f"signal_{at}"].strip()):
            wrong[f"signal_{at}"] = "Give a value that is set by hand, or a new one such as script.cheers."
    if given["when"] == "crosses" and given["back"]:
        level, back, up = float(given["level"]), float(given["back"]), given["way"] == "up"
        if (back > level) if up else (back < level):
            wrong["back"] = f"The way back lies {'below' if up else 'above'} the level."
    return wrong


_SIGNAL = re.compile(r"[A-Za-z_]\w*\.[A-Za-z_]\w*")
_MISSING = {
    "event": "Say what happens: choose a type of event that has come, such as gift.",
    "word": "Give the word that is said, such as !spin.",
    "signal": "Choose a value, such as reach.members.",
    "feed": "Choose the feed.",
    "scene": "Choose a scene; they are named under Preferences.",
    "instrument": "Choose the instrument that gets the command.",
    "command": "Give the command, such as start.",
    "piece": "Choose a piece that shows moments; make one on the mat first if there is none.",
    "words": "Give the words to show, such as Thank you, {event.name}.",
    "cue": "Choose the cue to press.",
    "sound": "Choose a sound.",
    "overlay": "Choose the overlay on which it is heard.",
    "address": "Give a whole address, such as http://127.0.0.1:5050/lamp.",
}
_NEEDS = {SCENE: ("scene",), COMMAND: ("instrument", "command"), SET: ("signal",), MOMENT: ("piece", "words"),
          PRESS: ("cue",), SOUND_ON: ("sound", "overlay"), CALL: ("address",)}  # fmt: skip


def plan(name: str, choices: Mapping[str, Any], almanac: Almanac) -> CuePlan:
    """The plan that checked choices come to. What was not asked for stands at its default."""
    given = {**_UNASKED, **choices}
    steps = CueSteps(tuple(_made(given, at) for at in range(1, STEPS + 1) if given[f"do_{at}"]))
    rests = max(_seconds(given["rests"]), steps.lasts_s)
    formula = compile_formula(given["if_formula"]) if given["if_formula"] else None
    scenes = tuple(one.strip() for one in str(given["if_scenes"]).split(",") if one.strip())
    only_if = OnlyIf(formula, scenes, almanac.scene_signal, given["if_session"] == "yes", bool(almanac.session_began))
    limits = Limits(rests, _seconds(given["person_rests"]), int(given["may_wait"]), given["busy"])
    return CuePlan(name, given["title"], trigger(given, almanac), only_if, steps, limits, given["late"] == "yes")


def trigger(given: Mapping[str, Any], almanac: Almanac) -> Trigger:
    """What sets it off, of checked choices."""
    signal, when = str(given["signal"]), given["when"]
    if when == "event":
        conditions = tuple(
            Condition(given[f"field_{at}"], given[f"how_{at}"], given[f"value_{at}"])
            for at in range(1, CONDITIONS + 1) if given[f"field_{at}"]
        )  # fmt: skip
        return Happens(given["event"], conditions, given["person"])
    if when == "chat":
        return ChatWord(given["word"], given["who"], given["where"])
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
    kind = given[f"do_{at}"]
    after = float(given[f"after_{at}"])
    if kind == SCENE:
        return step(SCENE, given[f"scene_{at}"], {}, after, float(given[f"for_{at}"]))
    if kind == COMMAND:
        told = {"command": given[f"command_{at}"], "with": given[f"with_{at}"]}
        return step(COMMAND, given[f"instrument_{at}"], told, after)
    if kind == SET:
        return step(SET, given[f"signal_{at}"], {"value": given[f"value_of_{at}"]}, after)
    if kind == MOMENT:
        words = {"words": given[f"words_{at}"]}
        return step(MOMENT, given[f"piece_{at}"], words, after, float(given[f"shown_{at}"]))
    if kind == SOUND_ON:
        return step(SOUND_ON, given[f"overlay_{at}"], {"sound": given[f"sound_{at}"]}, after)
    if kind == CALL:
        return step(CALL, given[f"address_{at}"], {"body": given[f"body_{at}"]}, after)
    return step(PRESS, given[f"cue_{at}"], {}, after)


def _seconds(length: str) -> float:
    with suppress(InvalidField):
        return duration(length).total_seconds()
    return 0.0


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
        parts += [(", no more often than every ", False), (brief(timedelta(seconds=it.limits.rests_s)), True)]
    if it.limits.person_s:
        parts += [(", each person every ", False), (brief(timedelta(seconds=it.limits.person_s)), True)]
    if it.limits.may_wait:
        parts += [("; ", False), (f"{it.limits.may_wait} may wait", True)]
    return [*parts, (".", False)]
