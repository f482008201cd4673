"""Starters: recipes that make all that something on stream needs in one go, as TOML, without secrets.

A starter says which ways there are to get the data (each a feed, or none), what is computed of it, which instruments
there are, the overlay, the buttons and the text files; and what it asks of whoever uses it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tesoura.bundles.recipes import Recipe, opened, recipe_of, refuse_secrets, rows_in, table_in
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.language.plurals import plural_wording
from tesoura.core.names import is_part
from tesoura.core.overlays.pieces.registry import KINDS as PIECES
from tesoura.errors import RecipeRefused

VERSION = 2
ANSWER = "answer"
UNIT = frozenset({"unit", "of"})
MOST_ANSWERED = 4_000
NOT_NAMES = frozenset({"kind", "name", "look", "title"})
"""Under which no name of another thing stands, even if it reads like one."""
Answers = Mapping[str, str]


@dataclass(frozen=True, slots=True)
class StarterWay:
    """One way to get the data: the feed that it connects, or none.

    Without one, `takes` names the signal in whose place one is taken that comes already. `pick` names the signal of the
    feed whose place in what comes is chosen once something came.
    """

    words: str
    recipe: Recipe | None = None
    takes: str = ""
    pick: str = ""
    note: str = ""
    practice: str = ""
    """The stand-in that can be started to try it with."""
    units: Mapping[str, Any] = field(default_factory=dict)
    """The units of the feed's signals, which may be answers."""


@dataclass(frozen=True, slots=True)
class StarterQuestion:
    """Something that is asked. With `lines`, each line of the answer counts by itself."""

    name: str
    label: str
    help: str = ""
    start: str = ""
    lines: bool = False
    kind: str = "line"
    least: int = 0
    """So many lines it needs, or 1 for an answer that must be given."""


@dataclass(frozen=True, slots=True)
class StarterCommand:
    """A command given to an instrument once it is made; with `each`, one for every line of that answer."""

    name: str
    given: Mapping[str, Any] = field(default_factory=dict)
    each: str = ""


@dataclass(frozen=True, slots=True)
class StarterInstrument:
    """An instrument: its kind, the name that the rest of the starter calls it by, its choices, and what is asked."""

    kind: str
    name: str
    choices: Mapping[str, Any]
    ask: Mapping[str, str] = field(default_factory=dict)
    then: Sequence[StarterCommand] = ()


@dataclass(frozen=True, slots=True)
class StarterOverlay:
    """An overlay and its pieces, each a mapping of choices with its `kind` among them."""

    name: str
    width_px: int
    height_px: int
    pieces: Sequence[Mapping[str, Any]]


@dataclass(frozen=True, slots=True)
class Starter:
    """All that a starter makes. `sample` tells what its picture is drawn from, all of it made up."""

    title: str
    about: str
    ways: Sequence[StarterWay] = ()
    questions: Sequence[StarterQuestion] = ()
    computed: Sequence[Mapping[str, Any]] = ()
    instruments: Sequence[StarterInstrument] = ()
    overlay: StarterOverlay | None = None
    leaf: str = ""
    buttons_of: Sequence[str] = ()
    """The instruments whose ready buttons are laid on the leaf."""
    files: Sequence[Mapping[str, Any]] = ()
    sample: Mapping[str, Any] = field(default_factory=dict)
    place: int = 99
    """Where it stands among the others."""


def is_starter(text: str) -> bool:
    """Whether a recipe's text says that it is a starter. Raises RecipeRefused for a text that is no recipe."""
    return int(opened(text, VERSION)["version"]) == VERSION


def read(text: str, kinds: Mapping[str, Sequence[str]]) -> Starter:
    """The starter in a TOML text. `kinds` maps each kind of feed to its secret fields. Raises RecipeRefused."""
    document = opened(text, VERSION)
    refuse_secrets(document, ())
    overlay = table_in(document, "overlay")
    leaf = table_in(document, "leaf")
    starter = Starter(
        str(document.get("title", ""))[:80] or "A starter",
        str(document.get("about", ""))[:600],
        [_way(one, kinds) for one in rows_in(document, "feed")],
        [_question(one) for one in rows_in(document, "ask")],
        [_known(one, COMPUTED, "computed signal") for one in rows_in(document, "computed")],
        [_instrument(one) for one in rows_in(document, "instrument")],
        _overlay(overlay) if overlay else None,
        str(leaf.get("name", ""))[:30],
        _words(leaf, "buttons_of"),
        rows_in(document, "file"),
        table_in(document, "sample"),
        _whole(document, "place", 99),
    )
    asked = {one.name for one in starter.questions}
    for name in _answers_in(document):
        if name not in asked:
            raise RecipeRefused(f"It uses the answer “{name[:40]}”, which is not one of its questions.")
    return starter


def _whole(table: Mapping[str, Any], name: str, otherwise: int) -> int:
    value = table.get(name, otherwise)
    if not isinstance(value, int) or isinstance(value, bool):
        raise RecipeRefused(f"“{name}” must be a whole number.")
    return value


def _words(table: Mapping[str, Any], name: str) -> list[str]:
    value = table.get(name, [])
    if not isinstance(value, list):
        raise RecipeRefused(f"“{name}” must be a list of names.")
    return [str(one) for one in value]


def _way(row: Mapping[str, Any], kinds: Mapping[str, Sequence[str]]) -> StarterWay:
    words, note = str(row.get("way", ""))[:80], str(row.get("note", ""))[:300]
    if "kind" not in row:
        return StarterWay(words, None, str(row.get("takes", "")), note=note)
    feed = {key: row[key] for key in ("kind", "name", "choices", "ask") if key in row}
    title = str(row.get("title") or str(row.get("name", "")).replace("_", " ").capitalize())
    signals = rows_in(row, "signal")
    units = {str(one.get("name")): one["unit"] for one in signals if "unit" in one}
    plain = [{key: value for key, value in one.items() if key != "unit"} for one in signals]
    document = {"title": title, "feed": feed, "signal": plain, "event": row.get("event", [])}
    practice = str(row.get("practice", ""))
    return StarterWay(words, recipe_of(document, kinds), "", str(row.get("pick", "")), note, practice, units)


def _question(row: Mapping[str, Any]) -> StarterQuestion:
    name = str(row.get("name", ""))
    if not is_part(name):
        raise RecipeRefused(f"A question needs a lower-case name; “{name[:40]}” is none.")
    start = row.get("start", "")
    lines = bool(row.get("lines", False))
    return StarterQuestion(
        name,
        str(row.get("label", name))[:80],
        str(row.get("help", ""))[:300],
        "\n".join(map(str, start)) if isinstance(start, list) else str(start),
        lines,
        "area" if lines else str(row.get("kind", "line")),
        _whole(row, "least", 0),
    )


def _known(row: Mapping[str, Any], kinds: Mapping[str, Any], what: str) -> Mapping[str, Any]:
    if str(row.get("kind")) not in kinds:
        there = ", ".join(kinds)
        raise RecipeRefused(f"There is no kind of {what} “{str(row.get('kind'))[:40]}” here. There are: {there}.")
    return row


def _instrument(row: Mapping[str, Any]) -> StarterInstrument:
    _known(row, INSTRUMENTS, "instrument")
    name = str(row.get("name", row["kind"]))
    if not is_part(name):
        raise RecipeRefused(f"An instrument's name “{name[:40]}” is not valid: use lower case letters, digits and _.")
    then = [
        StarterCommand(str(one.get("command", "")), table_in(one, "given"), str(one.get("each", "")))
        for one in rows_in(row, "then")
    ]
    ask = {str(key): str(words) for key, words in table_in(row, "ask").items()}
    fields = INSTRUMENTS[row["kind"]].fields
    if unknown := [key for key in (*ask, *table_in(row, "choices")) if key not in fields]:
        raise RecipeRefused(f"{name} has no choice “{unknown[0][:40]}”. There are: {', '.join(fields)}.")
    return StarterInstrument(str(row["kind"]), name, table_in(row, "choices"), ask, then)


def _overlay(table: Mapping[str, Any]) -> StarterOverlay:
    pieces = [_known(one, PIECES, "piece") for one in rows_in(table, "piece")]
    return StarterOverlay(
        str(table.get("name", "My overlay"))[:60],
        _whole(table, "width_px", 1920),
        _whole(table, "height_px", 1080),
        pieces,
    )


def _answers_in(value: Any) -> Iterable[str]:
    if isinstance(value, Mapping):
        if set(value) == {ANSWER} or set(value) == UNIT:
            yield str(value.get(ANSWER) or value.get("unit"))
            return
        for key, one in value.items():
            if key == "each" and isinstance(one, str) and one:
                yield one
            yield from _answers_in(one)
    elif isinstance(value, list):
        for one in value:
            yield from _answers_in(one)


# What becomes of it, with these answers


def with_answers(value: Any, answers: Answers) -> Any:
    """A value with what was answered in its places.

    `{answer = "name"}` is that answer, and `{unit = "name", of = "gift.amount"}` in a wording that answer as a unit,
    as one says it of that value. A list with such among texts is a wording, put together of them: braces in an
    answer stand for themselves there.
    """
    if isinstance(value, Mapping):
        if set(value) == {ANSWER}:
            return answers.get(str(value[ANSWER]), "")
        return {key: with_answers(one, answers) for key, one in value.items()}
    if isinstance(value, list):
        if any(isinstance(one, Mapping) and (set(one) == {ANSWER} or set(one) == UNIT) for one in value):
            return "".join(_said(one, answers) for one in value)
        return [with_answers(one, answers) for one in value]
    return value


def _said(part: Any, answers: Answers) -> str:
    if not isinstance(part, Mapping):
        return str(part)
    if set(part) == UNIT:
        return plural_wording(str(part["of"]), answers.get(str(part["unit"]), ""))
    return str(with_answers(part, answers)).replace("{", "{{").replace("}", "}}")


def with_names(value: Any, names: Mapping[str, str]) -> Any:
    """A value in which other things stand under these names: as a whole, or before the dot of a signal's name."""
    if isinstance(value, Mapping):
        return {key: one if key in NOT_NAMES else with_names(one, names) for key, one in value.items()}
    if isinstance(value, list):
        return [with_names(one, names) for one in value]
    if not isinstance(value, str):
        return value
    if value in names:
        return names[value]
    if not names:
        return value
    either = "|".join(re.escape(one) for one in sorted(names, key=len, reverse=True))

    def other(found: re.Match[str]) -> str:
        before = found[1]
        whole = "." in before or re.match(r"\.[a-z_]", found.string[found.end() :])
        return names[before] if whole else before

    return re.sub(rf"(?<![\w.])({either})(?!\w)", other, value)


def lines_of(answer: str) -> list[str]:
    """The lines of an answer that say something."""
    return [one.strip() for one in answer[:MOST_ANSWERED].splitlines() if one.strip()]
