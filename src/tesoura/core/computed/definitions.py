"""Computed signals as forms and as documents: what is asked for each kind, and what is made of the answers."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from tesoura.core.computed.almanac import MAX_EVENTS, MAX_MINUTES, SPAN_WORDS, SPANS, Span
from tesoura.core.computed.chain import Chain
from tesoura.core.computed.derived import Change, Derived, Goal
from tesoura.core.computed.graph import Definition
from tesoura.core.computed.window_definition import ANONYMOUS, MAX_TOP, STATS, Window
from tesoura.core.forms.checks import choice, whole
from tesoura.core.forms.fields import Field
from tesoura.core.instants import iso_instant
from tesoura.core.language.formula import compile_formula
from tesoura.core.names import is_signal_name
from tesoura.core.values import MAX_NUMBER
from tesoura.errors import FormulaError, InvalidField

MAX_TYPES = 20


@dataclass(frozen=True, slots=True)
class ComputedKind:
    """A kind of computed signal: its form, and what makes a definition of a filled form."""

    name: str
    title: str
    meaning: str
    fields: Mapping[str, Field]
    build: Callable[[str, Mapping[str, Any]], Definition]


def build(kind: str, name: str, choices: Mapping[str, Any]) -> Definition:
    """The definition that was stored. Raises FormulaError or KeyError when this version cannot read it."""
    return COMPUTED[kind].build(name, choices)


# Checks


def _formula(raw: object) -> str:
    source = str(raw).strip()
    try:
        compile_formula(source)
    except FormulaError as error:
        raise InvalidField(str(error)) from None
    return source


def _rule(raw: object) -> str:
    if not str(raw).strip():
        return ""
    source = _formula(raw)
    for name in compile_formula(source).names:
        if not name.startswith("event."):
            raise InvalidField(f"Conditions use the event only. Write event.{name.partition('.')[2]}, not {name}.")
    return source


def _types(raw: object) -> list[str]:
    parts = raw if isinstance(raw, list) else str(raw).split(",")
    types = list(dict.fromkeys(part.strip() for part in parts if part.strip()))
    if not types:
        raise InvalidField("Choose an event type, such as gift. The log lists those received so far.")
    if len(types) > MAX_TYPES or any(len(one) > 120 for one in types):
        raise InvalidField(f"At most {MAX_TYPES} types, of at most 120 characters each.")
    return types


def _stats(raw: object) -> list[str]:
    parts = raw if isinstance(raw, list) else str(raw).split(",")
    wanted = {part.strip() for part in parts if part.strip()}
    if not wanted:
        raise InvalidField("Tick at least one of them.")
    if unknown := wanted - set(STATS):
        raise InvalidField(f"“{sorted(unknown)[0][:40]}” is unknown. Choose from: {', '.join(STATS)}.")
    return [stat for stat in STATS if stat in wanted]


def _field(raw: object) -> str:
    path = str(raw).strip()
    if len(path) > 80 or any(char.isspace() for char in path):
        raise InvalidField("Give one field of the event's data, such as amount or user.name.")
    return path


def _signal(raw: object) -> str:
    name = str(raw).strip().lower()
    if not is_signal_name(name):
        raise InvalidField("Choose a signal, such as reach.members.")
    return name


def _number(raw: object) -> float:
    typed = str(raw).strip().replace(" ", "")
    try:
        number = float(typed)
    except ValueError:
        raise InvalidField(f"“{typed[:20]}” is not a number. Write it as 2000 or 2000.5.") from None
    if not -MAX_NUMBER < number < MAX_NUMBER:
        raise InvalidField("The number has over 30 digits.")
    return number


def _seconds(raw: object) -> float:
    number = _number(raw)
    if not 0.1 <= number <= 3_600:
        raise InvalidField("Give from 0.1 seconds to 3,600 (an hour).")
    return number


def _instant(raw: object) -> str:
    typed = str(raw).strip()
    if not typed:
        return ""
    if iso_instant(typed, UTC) is None:
        raise InvalidField(f"“{typed[:30]}” is not a date. Write it as 2026-12-24 20:00.")
    return datetime.fromisoformat(typed).isoformat()


def _label(longest: int) -> Callable[[object], str]:
    def check(raw: object) -> str:
        typed = " ".join(str(raw).split())
        if len(typed) > longest:
            raise InvalidField(f"This has {len(typed)} characters; at most {longest} fit.")
        return typed

    return check


# What is made of the answers


def _window(name: str, chosen: Mapping[str, Any]) -> Window:
    rule = chosen.get("only_if", "")
    return Window(
        name,
        tuple(chosen["types"]),
        Span(chosen["over"], int(chosen.get("length") or 0)),
        tuple(chosen["stats"]),
        chosen.get("amount", ""),
        chosen.get("by", ""),
        int(chosen.get("top") or 3),
        chosen.get("rank_by") or "sum",
        chosen.get("anonymous_as") or ANONYMOUS,
        chosen.get("rank_anonymous", "yes") == "yes",
        chosen.get("unit", ""),
        compile_formula(rule) if rule else None,
    )


def _chain(name: str, chosen: Mapping[str, Any]) -> Chain:
    return Chain(name, tuple(chosen["types"]), float(chosen["within_s"]), chosen.get("by", ""))


def _derived(name: str, chosen: Mapping[str, Any]) -> Derived:
    return Derived(name, compile_formula(chosen["formula"]), chosen.get("unit", ""))


def _goal(name: str, chosen: Mapping[str, Any]) -> Goal:
    by, began = chosen.get("by", ""), chosen.get("began", "")
    return Goal(
        name,
        chosen["signal"],
        float(chosen["start"]),
        float(chosen["target"]),
        _aware(began),
        _aware(by),
        chosen.get("unit", ""),
    )


def _aware(text: str) -> datetime | None:
    return iso_instant(text, UTC)


def _change(name: str, chosen: Mapping[str, Any]) -> Change:
    minutes = int(chosen.get("minutes") or 0) if chosen["since"] == "minutes" else 0
    return Change(name, chosen["signal"], minutes, chosen.get("unit", ""))


# Forms

_TYPES = Field("Events", _types, kind="events", help="One or more event types.")
_BY = Field("Whose", _field, kind="datum", placeholder="name", help="The field with the person's name, if needed.")
_UNIT = Field("Unit shown to viewers", _label(60), placeholder="spools")
_ROLLING = ("over", ("minutes", "events"))

COMPUTED: Mapping[str, ComputedKind] = {
    kind.name: kind
    for kind in (
        ComputedKind(
            "formula",
            "A formula",
            "A value computed from others: a ratio, a difference, a text.",
            {
                "formula": Field("Formula", _formula, kind="formula", placeholder="kill.count_this_session / 3"),
                "unit": _UNIT,
            },
            _derived,
        ),
        ComputedKind(
            "window",
            "A window over events",
            "Count, sum, ranking or latest over today, this session…",
            {
                "types": _TYPES,
                "amount": Field(
                    "How much",
                    _field,
                    kind="datum",
                    placeholder="amount",
                    help="The field with the amount. Empty: each event counts 1.",
                ),
                "by": _BY,
                "over": Field(
                    "Over", choice(SPANS), kind="choice", default="session", options=tuple(SPAN_WORDS.items())
                ),
                "length": Field(
                    "Number of events",
                    whole(1, max(MAX_MINUTES, MAX_EVENTS)),
                    kind="number",
                    default="10",
                    help="Minutes up to 7 days, events up to 10,000.",
                    only_if=_ROLLING,
                ),
                "stats": Field("Values", _stats, kind="several", default="count", options=tuple(STATS.items())),
                "top": Field("Ranking size", whole(1, MAX_TOP), kind="number", default="3"),
                "rank_by": Field(
                    "Ranked by",
                    choice(("sum", "count")),
                    kind="choice",
                    default="sum",
                    options=(("sum", "the sum"), ("count", "how often")),
                ),
                "anonymous_as": Field("Name when missing", _label(60), default=ANONYMOUS),
                "rank_anonymous": Field(
                    "Unit",
                    choice(("yes", "no")),
                    kind="choice",
                    default="yes",
                    options=(("yes", "in the ranking"), ("no", "outside the ranking")),
                ),
                "unit": _UNIT,
                "only_if": Field(
                    "Only if",
                    _rule,
                    kind="formula",
                    placeholder="event.amount >= 5",
                    help="A formula over the event's fields. Empty: all count.",
                ),
            },
            _window,
        ),
        ComputedKind(
            "chain",
            "A chain",
            "Events in quick succession: length, people, and time until it breaks.",
            {
                "types": _TYPES,
                "within_s": Field(
                    "Maximum gap", _seconds, kind="number", default="10", unit="seconds", help="After the one before."
                ),
                "by": _BY,
            },
            _chain,
        ),
        ComputedKind(
            "goal",
            "A goal",
            "Progress between two numbers: how far, the required pace, the expected time.",
            {
                "signal": Field("Signal", _signal, kind="signal", placeholder="reach.members"),
                "start": Field("From", _number, kind="number", default="0"),
                "target": Field("To", _number, kind="number", placeholder="2000"),
                "began": Field("Since", _instant, kind="instant", help="When it was at “From”."),
                "by": Field("By", _instant, kind="instant", help="Optional."),
                "unit": _UNIT,
            },
            _goal,
        ),
        ComputedKind(
            "change",
            "A change",
            "The growth of a number since the session started or over the last minutes.",
            {
                "signal": Field("Signal", _signal, kind="signal", placeholder="reach.members"),
                "since": Field(
                    "Since",
                    choice(("session", "minutes")),
                    kind="choice",
                    default="session",
                    options=(("session", "the session began"), ("minutes", "some minutes ago")),
                ),
                "minutes": Field(
                    "How many",
                    whole(1, 1_440),
                    kind="number",
                    default="10",
                    unit="minutes",
                    only_if=("since", ("minutes",)),
                ),
                "unit": _UNIT,
            },
            _change,
        ),
    )
}
