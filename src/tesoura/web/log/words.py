"""What happened, in a person's words: events of Tesoura's own say what was done, to what, and by whom."""

from __future__ import annotations

from collections import ChainMap
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from flask import g

from tesoura.core.cues.cue import FIRES, REFUSED, WAITS
from tesoura.core.cues.happenings import BACK, FEED_CHANGED
from tesoura.core.instruments.registry import KINDS
from tesoura.core.instruments.runner import COMMAND, clock_words
from tesoura.core.values import Event
from tesoura.runtime.facade import Runtime
from tesoura.store.event_corrections import FROM_INSTRUMENTS
from tesoura.store.search_words import exactly, words_in
from tesoura.web.shared.doors import runtime
from tesoura.web.shared.shown import actor_words, at_time

NO_FACTS = frozenset(
    ("command", "secret", "chance", "effect", "lines", "file", "id", "path", "at", "time", "match", "route", "item")
)
"""Fields that say nothing to a reader."""
MOST_FACTS, LONGEST_FACT = 3, 40
PAST: Mapping[tuple[str, str], str] = {
    ("countdown", "start"): "started",
    ("countdown", "pause"): "paused",
    ("countdown", "go_on"): "resumed",
    ("countdown", "stop"): "stopped",
    ("countdown", "restart"): "started again",
    ("countdown", "add"): "{by} added",
    ("countdown", "set"): "end set to {until}",
    ("countdown", "dismiss"): "last text hidden",
    ("countdown", "show_end"): "end tested on air",
    ("countdown", "undo"): "last entry undone",
    ("scoreboard", "point"): "point for {side}",
    ("scoreboard", "take_back"): "last entry undone",
    ("wheel", "spin"): "spun",
    ("wheel", "owe"): "{spins} spins added for {who}",
    ("run", "hit"): "a hit",
    ("run", "way_hit"): "hit outside a fight",
    ("run", "next"): "next split",
    ("run", "previous"): "previous split",
    ("run", "undo"): "last entry undone",
    ("rotation", "hold"): "held",
    ("rotation", "go_on"): "resumed",
    ("rotation", "skip"): "next item",
    ("rotation", "show"): "shown",
    ("rotation", "hide"): "hidden",
    ("campaign", "begin_read"): "read started",
    ("campaign", "end_read"): "read ended",
    ("campaign", "link"): "link sent to chat",
}
"""How a command is told once it was given: for those that are given most, by the kind of instrument."""


@dataclass(frozen=True, slots=True)
class CalledThings:
    """The titles of what events are about: instruments by name, with their kinds; feeds by name; moments by type."""

    instruments: Mapping[str, tuple[str, str]]
    feeds: Mapping[str, str]
    moments: Mapping[str, str] = field(default_factory=dict)


def called_things() -> CalledThings:
    """How everything is called now."""
    if "called_things" not in g:

        def gather(self: Runtime) -> CalledThings:
            setups = self.instruments.setups()
            moments = ChainMap(*(dict(one.kind_of.moments(one.name, one.choices)) for one in setups))
            return CalledThings(
                {one.name: (one.kind, one.title) for one in setups}, dict(self.feeds.titles()), dict(moments)
            )

        g.called_things = runtime().call(gather)
    found: CalledThings = g.called_things
    return found


def event_words(event: Event) -> str:
    """One of Tesoura's own events in words; empty for events from outside, which are shown by their types."""
    return told(event, called_things()) if is_own(event) else ""


def is_own(event: Event) -> bool:
    """Whether Tesoura or one of its instruments made the event."""
    return event.type.startswith("tesoura.") or event.source.startswith(FROM_INSTRUMENTS)


def source_words(source: str) -> str:
    """A source by its title: the feed's, the instrument's, or the name of the API key."""
    kind, _, name = source.partition(":")
    called = called_things()
    if kind == "instrument":
        return called.instruments.get(name, ("", name))[1]
    return called.feeds.get(name, name) if kind == "feed" else f"key “{name}”" if kind == "key" else source


def found_by(word: str, called: CalledThings) -> list[str]:
    """By which expressions of the index events may be found that are told with a word that begins so."""

    def has(words: str) -> bool:
        return any(one.startswith(word) for one in words_in(words))

    names = [*((name, title) for name, (_, title) in called.instruments.items()), *called.feeds.items()]
    found = [exactly(name) for name, title in names if has(title)]
    for name, (kind, _) in called.instruments.items():
        commands = {command: words for (of, command), words in PAST.items() if of == kind}
        commands = {**{one.name: one.label for one in KINDS[kind].commands}, **commands}
        found += [f"({exactly(command)} AND {exactly(name)})" for command, words in commands.items() if has(words)]
    found += [f"({exactly(kind)})" for kind, words in called.moments.items() if has(words)]
    for kind, words_of in _TOLD.items():
        if any(has(words_of(data, called)) for data in _VARIANTS.get(kind, ({},))):
            found.append(f"({exactly(kind)})")
    return found


def told(event: Event, called: CalledThings) -> str:
    """The same, with what things are called. `tesoura.` events that nobody need read have no words."""
    by = f" by {actor_words(event.actor)}" if event.actor and not event.actor.startswith("instrument:") else ""
    data = {key: value for key, value in event.data.items() if isinstance(value, str | int | float)}
    if event.type.startswith(COMMAND):
        return _command(event.type.removeprefix(COMMAND), data, called) + by
    if event.type.startswith("tesoura.cue."):
        _, title = called.instruments.get(event.type.removeprefix("tesoura.cue."), ("cue", event.type[12:]))
        return f"{title}: {outcome_words(str(data.get('outcome', 'checked')))}"
    if moment := called.moments.get(event.type):
        return ", ".join([moment, *_facts(data)])
    words = _TOLD.get(event.type)
    return words(data, called) + (by if event.type not in _BY_ITSELF else "") if words else ""


def outcome_words(outcome: str) -> str:
    """What became of a cue, in words."""
    return _OUTCOMES.get(outcome, outcome)


def _command(name: str, data: Mapping[str, Any], called: CalledThings) -> str:
    kind, title = called.instruments.get(name, ("", name.replace("_", " ")))
    command = str(data.get("command", ""))
    if (past := PAST.get((kind, command))) is not None:
        facts = {key: str(value)[:LONGEST_FACT] for key, value in data.items()}
        if "by_s" in data:
            facts["by"] = _length(float(data["by_s"]))
            past = past.replace("added", "taken") if float(data["by_s"]) < 0 else past
        if "until" in data:
            facts["until"] = at_time(str(data["until"]))
        return f"{title}: {past.format_map(_Facts(facts))}"
    known = KINDS[kind].command(command) if kind in KINDS else None
    label = known.label[:1].lower() + known.label[1:] if known else command.replace("_", " ")
    return ", ".join([f"{title}: {label}", *_facts(data)])


def facts_of(event: Event) -> list[tuple[str, str]]:
    """The fields of an event that say something to a reader."""
    return [(key, str(one)) for key, one in event.data.items() if _is_fact(key, one)]


def _facts(data: Mapping[str, Any]) -> list[str]:
    """The first fields that say something to a reader."""
    told = [f"{key.replace('_', ' ')} {str(one)[:LONGEST_FACT]}" for key, one in data.items() if _is_fact(key, one)]
    return told[:MOST_FACTS]


def _is_fact(key: str, value: object) -> bool:
    return isinstance(value, str | int | float) and key not in NO_FACTS


def _length(by_s: float) -> str:
    """A length of time as one says it: `3 minutes`, `90 s`."""
    minutes, rest = divmod(abs(by_s), 60)
    if rest or not minutes:
        return f"{abs(by_s):g} s"
    return "1 minute" if minutes == 1 else f"{minutes:g} minutes"


class _Facts(dict[str, str]):
    """What was given; what was not, is nothing."""

    def __missing__(self, key: str) -> str:
        return ""


def _feed(data: Mapping[str, Any], called: CalledThings) -> str:
    title = called.feeds.get(str(data.get("feed")), str(data.get("feed")))
    return f"{title} recovered" if data.get("state") == BACK else f"{title} failed: {data.get('why', 'nothing comes')}"


def _effect(data: Mapping[str, Any], called: CalledThings) -> str:
    what = _EFFECTS.get(str(data.get("effect")), str(data.get("effect", "")).replace("_", " "))
    target = str(data.get("target", ""))
    said = str(data.get("line") or data.get("sound") or "")
    return f"{what} {called.feeds.get(target, target)}".strip() + (f": {said}" if said else "")


def _correction(data: Mapping[str, Any]) -> str:
    if "void" in data:
        return "event voided" if data["void"] else "voided event restored"
    if "time" in data:
        return f"time corrected, {data.get('was')} → {data['time']}"
    return f"{data.get('field')} corrected, {data.get('was')} → {data.get('now')}"


_OUTCOMES = {FIRES: "ran", WAITS: "queued", REFUSED: "didn't run"}
_EFFECTS = {"say": "sent to", "scene": "scene", "sound_on": "sound played on", "sound": "sound", "call": "called"}
_TOLD: Mapping[str, Callable[[Mapping[str, Any], CalledThings], str]] = {
    "tesoura.action": lambda data, called: str(data.get("words", data.get("action", ""))).rstrip("."),
    FEED_CHANGED: _feed,
    "tesoura.started": lambda data, called: "Tesoura started",
    "tesoura.clock_set": lambda data, called: clock_words(data),
    "tesoura.scene": lambda data, called: f"scene: {data.get('value') or 'none'}",
    "tesoura.signal": lambda data, called: f"{data.get('signal')} set to {data.get('value')}",
    "tesoura.set_by_hand": lambda data, called: f"{data.get('signal')} set to {data.get('value')}",
    "tesoura.effect": _effect,
    "tesoura.effect_ended": lambda data, called: f"{_effect(data, called)}: {data.get('outcome', 'done')}",
    "tesoura.shown": lambda data, called: f"{data.get('piece')} {'shown' if data.get('shown') else 'hidden'}",
    "tesoura.skipped": lambda data, called: f"“{data.get('text') or data.get('piece') or 'a moment'}” skipped",
    "tesoura.shown_again": lambda data, called: "alert shown again",
    "tesoura.correction": lambda data, called: _correction(data),
    "tesoura.air_cleared": lambda data, called: (
        "everything hidden" if data.get("cleared") else "everything shown again"
    ),
    "tesoura.air": lambda data, called: "on-air content changed",
    "tesoura.page_trouble": lambda data, called: f"a page couldn't display {data.get('piece', 'a piece')}",
    "tesoura.clip": lambda data, called: f"clip saved: {data.get('title', '')}".rstrip(": "),
    "tesoura.reel": lambda data, called: "a reel was created",
    "tesoura.clips_let_go": lambda data, called: "old clips deleted",
    "tesoura.clips_nearly_full": lambda data, called: "clip storage is nearly full",
    "tesoura.wrong_password": lambda data, called: "wrong password entered",
    "tesoura.cover": lambda data, called: "cover loaded",
    "tesoura.seen": lambda data, called: f"{data.get('signal')} {'is' if data.get('value') else 'is not'} seen",
    "tesoura.painted": lambda data, called: "page report",
}
_VARIANTS: Mapping[str, Sequence[Mapping[str, Any]]] = {
    "tesoura.correction": ({"void": True}, {"void": False}, {"time": ""}, {}),
    FEED_CHANGED: ({"state": BACK}, {}),
    "tesoura.shown": ({"shown": True}, {}),
    "tesoura.air_cleared": ({"cleared": True}, {}),
    "tesoura.seen": ({"value": True}, {}),
    "tesoura.clock_set": ({"seconds": 60}, {"seconds": -60}),
    "tesoura.effect": tuple({"effect": one} for one in _EFFECTS),
    "tesoura.effect_ended": tuple({"effect": one} for one in _EFFECTS),
}
"""Data with which types are told in further words; the others are told in the same whatever their data."""
_BY_ITSELF = frozenset(
    {
        FEED_CHANGED,
        "tesoura.started",
        "tesoura.clock_set",
        "tesoura.effect_ended",
        "tesoura.seen",
        "tesoura.painted",
        "tesoura.cover",
        "tesoura.page_trouble",
    }
)
