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
            raise InvalidField(f"A rule looks at the event alone: write event.{name.partition('.')[2]}, not {name}.")
    return source


def _types(raw: object) -> list[str]:
    parts = raw if isinstance(raw, list) else str(raw).split(",")
    types = list(dict.fromkeys(part.strip() for part in parts if part.strip()))
    if not types:
        raise InvalidField("Choose what is counted, such as gift. The log shows what has come so far.")
    if len(types) > MAX_TYPES or any(len(one) > 120 for one in types):
        raise InvalidField(f"At most {MAX_TYPES} types, of at most 120 characters each.")
    return types


def _stats(raw: object) -> list[str]:
    parts = raw if isinstance(raw, list) else str(raw).split(",")
    wanted = {part.strip() for part in parts if part.strip()}
    if not wanted:
        raise InvalidField("Tick at least one of them.")
    if unknown := wanted - set(STATS):
        raise InvalidField(f"“{sorted(unknown)[0][:40]}” cannot be told. Choose from: {', '.join(STATS)}.")
    return [stat for stat in STATS if stat in wanted]


def _field(raw: object) -> str:
    path = str(raw).strip()
    if len(path) > 80 or any(char.isspace() for char in path):
        raise InvalidField("Name one field of the event's data, such as amount; a dot goes inside: user.name.")
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

_TYPES = Field("What happens", _types, kind="events", help="One or more kinds of event.")
_BY = Field("Whose", _field, kind="datum", placeholder="name", help="The field with the name, if it matters.")
_UNIT = Field("Unit, as viewers read it", _label(60), placeholder="spools")
_ROLLING = ("over", ("minutes", "events"))

COMPUTED: Mapping[str, ComputedKind] = {
    kind.name: kind
    for kind in (
        ComputedKind(
            "formula",
            "A formula",
            "One value from others: a ratio, a difference, a text.",
            {
                "formula": Field("Formula", _formula, kind="formula", placeholder="kill.count_this_session / 3"),
                "unit": _UNIT,
            },
            _derived,
        ),
        ComputedKind(
            "window",
            "A window over events",
            "How many, how much, who is first, the latest: today, this session…",
            {
                "types": _TYPES,
                "amount": Field(
                    "How much",
                    _field,
                    kind="datum",
                    placeholder="amount",
                    help="The field with the amount. Left empty, each event counts 1.",
                ),
                "by": _BY,
                "over": Field(
                    "Over", choice(SPANS), kind="choice", default="session", options=tuple(SPAN_WORDS.items())
                ),
                "length": Field(
                    "How many of them",
                    whole(1, max(MAX_MINUTES, MAX_EVENTS)),
                    kind="number",
                    default="10",
                    help="Minutes up to 7 days, events up to 10,000.",
                    only_if=_ROLLING,
                ),
                "stats": Field("What to tell", _stats, kind="several", default="count", options=tuple(STATS.items())),
                "top": Field("Places in the ranking", whole(1, MAX_TOP), kind="number", default="3"),
                "rank_by": Field(
                    "Ranked by",
                    choice(("sum", "count")),
                    kind="choice",
                    default="sum",
                    options=(("sum", "the sum"), ("count", "how often")),
                ),
                "anonymous_as": Field("Without a name, it is", _label(60), default=ANONYMOUS),
                "rank_anonymous": Field(
                    "And that stands",
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
                    help="A formula over the event's own fields. Left empty, all count.",
                ),
            },
            _window,
        ),
        ComputedKind(
            "chain",
            "A chain",
            "Events in quick succession: how long, who, and how long until it breaks.",
            {
                "types": _TYPES,
                "within_s": Field(
                    "Each within", _seconds, kind="number", default="10", unit="seconds", help="Of the one before."
                ),
                "by": _BY,
            },
            _chain,
        ),
        ComputedKind(
            "goal",
            "A goal",
            "From a number to a number: how far, how fast it must go, when it will be there.",
            {
                "signal": Field("Signal", _signal, kind="signal", placeholder="reach.members"),
                "start": Field("From", _number, kind="number", default="0"),
                "target": Field("To", _number, kind="number", placeholder="2000"),
                "began": Field("Since", _instant, kind="instant", help="When it stood at “From”."),
                "by": Field("By", _instant, kind="instant", help="May stay empty."),
                "unit": _UNIT,
            },
            _goal,
        ),
        ComputedKind(
            "change",
            "A change",
            "How much a number grew: since the session began, or over the last minutes.",
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
