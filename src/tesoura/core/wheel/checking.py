"""A spin checked by anybody: what was told of it, as JSON, and the sum done again."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence

from tesoura.core.wheel.draw import SpinRecord, problem_of
from tesoura.errors import InvalidField

MOST_SPINS, MOST_CHARACTERS = 10_000, 20_000_000


def spins_of(text: str) -> list[SpinRecord]:
    """The spins that a JSON text tells of: one, a list, or lines of one each. Raises InvalidField."""
    if len(text) > MOST_CHARACTERS:
        raise InvalidField("This is too long to be a list of spins.")
    try:
        told = json.loads(text)
    except (ValueError, RecursionError):
        try:
            told = [json.loads(line) for line in text.splitlines() if line.strip()]
        except (ValueError, RecursionError):
            raise InvalidField("This does not read as JSON. Give what the wheel's page exports as spins.") from None
    rows = told if isinstance(told, list) else [told]
    if not rows or len(rows) > MOST_SPINS:
        raise InvalidField(f"Give one spin, or a list of at most {MOST_SPINS:,}.")
    return [_spin(one) for one in rows]


def _spin(told: object) -> SpinRecord:
    if isinstance(told, Mapping) and isinstance(told.get("data"), Mapping):
        # An event of the log has them in its data.
        told = told["data"]
    if not isinstance(told, Mapping):
        raise InvalidField("A spin is a group of values: hash, opened, number, weights, came.")
    missing = [name for name in ("hash", "opened", "number", "weights", "came") if name not in told]
    if missing:
        raise InvalidField(f"A spin needs {', '.join(missing)}. It is told in full once it has landed.")
    weights, number, came = told["weights"], told["number"], told["came"]
    whole = isinstance(weights, Sequence) and all(type(one) is int for one in (*weights, number, came))
    if not whole or isinstance(weights, str):
        raise InvalidField("number and came are whole numbers, and weights a list of them, in millionths.")
    return SpinRecord(str(told["hash"]), str(told["opened"]), number, tuple(weights), came - 1)


def checked(text: str) -> list[tuple[SpinRecord, str | None]]:
    """Each spin with what is wrong with it; None where nothing is. Raises InvalidField."""
    return [(one, problem_of(one)) for one in spins_of(text)]
