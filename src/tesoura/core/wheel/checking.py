"""A spin checked by anybody: what was told of it, as JSON, and the sum done again."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.values import from_json
from tesoura.core.wheel.draw import SpinRecord, problem_of
from tesoura.errors import InvalidField

MOST_SPINS, MOST_CHARACTERS = 10_000, 20_000_000
NEEDED = ("hash", "opened", "number", "weights", "came")


@dataclass(frozen=True, slots=True)
class CheckedSpin:
    """A spin, and all that is wrong with it; nothing when it is as it should be."""

    spin: SpinRecord
    wrong: tuple[str, ...] = ()


def rows_of(text: str) -> list[Mapping[str, Any]]:
    """Return the spins in a JSON text: one, a list, or lines of one each. Raises InvalidField."""
    if len(text) > MOST_CHARACTERS:
        raise InvalidField("This is too long to be a list of spins.")
    try:
        told = from_json(text)
    except ValueError:
        try:
            told = [from_json(line) for line in text.splitlines() if line.strip()]
        except ValueError:
            raise InvalidField("Not valid JSON. Use the spins exported from the wheel's page.") from None
    rows = told if isinstance(told, list) else [told]
    if not rows or len(rows) > MOST_SPINS:
        raise InvalidField(f"Give one spin, or a list of at most {MOST_SPINS:,}.")
    # An event of the log has them in its data.
    found = [row["data"] if isinstance(row, dict) and isinstance(row.get("data"), dict) else row for row in rows]
    if not all(isinstance(row, dict) for row in found):
        raise InvalidField(f"A spin is a group of values: {', '.join(NEEDED)}.")
    return found


def spin_of(row: Mapping[str, Any]) -> SpinRecord:
    """Return what a spin's sum needs. Raises InvalidField when some of it is missing or no number."""
    missing = [name for name in NEEDED if name not in row]
    if missing:
        raise InvalidField(f"This is not a complete spin: {', '.join(missing)} missing. Use a spin that has landed.")
    weights, number, came = row["weights"], row["number"], row["came"]
    whole = isinstance(weights, list) and all(type(one) is int for one in (*weights, number, came))
    if not whole:
        raise InvalidField("number and came are whole numbers, and weights a list of them, in millionths.")
    return SpinRecord(str(row["hash"]), str(row["opened"]), number, tuple(weights), came - 1)


def checked_rows(rows: Sequence[Mapping[str, Any]]) -> list[CheckedSpin]:
    """Check each spin by its sum and by what it tells beside it, and all of them against each other.

    Raises InvalidField for what is no spin.
    """
    spins = [spin_of(row) for row in rows]
    numbers = Counter(one.number for one in spins)
    hashes = Counter(one.hash.strip().lower() for one in spins)
    first = min(numbers)
    found = []
    for row, one in zip(rows, spins, strict=True):
        wrong = [problem] if (problem := problem_of(one)) else _mismatches(row, one)
        if numbers[one.number] > 1:
            wrong.append("There is more than one spin of this number.")
        if hashes[one.hash.strip().lower()] > 1:
            wrong.append("Its secret is that of another spin, too.")
        if one.number > first and one.number - 1 not in numbers:
            wrong.append(f"Spin {one.number - 1} is missing before it.")
        if len(rows) > 1 and one.number == first > 1:
            wrong.append(f"Spin {one.number - 1} is missing before it.")
        found.append(CheckedSpin(one, tuple(wrong)))
    return found


def _mismatches(row: Mapping[str, Any], one: SpinRecord) -> list[str]:
    """Return how a spin's field contradicts its weights and fields."""
    wrong = []
    fields = row.get("fields")
    if not isinstance(fields, list) or not all(isinstance(name, str) for name in fields):
        return ["It doesn't contain one field name per weight."]
    if len(fields) != len(one.weights):
        return [f"It has {len(fields)} fields and {len(one.weights)} weights."]
    if row.get("field") != fields[one.came]:
        wrong.append(f"It says that “{str(row.get('field'))[:60]}” came; field {one.came + 1} is “{fields[one.came]}”.")
    if not isinstance(row.get("who"), str):
        wrong.append("It doesn't contain the viewer.")
    chance = round(100 * one.weights[one.came] / sum(one.weights), 2)
    told = row.get("chance_pct")
    if isinstance(told, bool) or not isinstance(told, int | float) or abs(told - chance) > 0.0051:
        wrong.append(f"It says that the chance was {written_chance(told)}; by its weights it was {chance} %.")
    return wrong


def written_chance(told: object) -> str:
    """A chance as it was told."""
    return f"{told} %" if isinstance(told, int | float) else "nothing"
