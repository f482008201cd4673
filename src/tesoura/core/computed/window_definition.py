"""What a window counts: which events, over which span, by which amount and name, and what it tells of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from tesoura.core.computed.almanac import Span
from tesoura.core.language.formula import Formula
from tesoura.core.language.functions import Undefined
from tesoura.core.language.scope import Missing, Scope
from tesoura.core.values import INSTANT, Scalar

MAX_TOP = 20
ANONYMOUS = "Anonymous"
STATS = {
    "count": "how many",
    "sum": "the sum",
    "mean": "the mean",
    "per_minute": "per minute",
    "latest": "the latest",
    "first": "the first",
    "largest": "the largest",
    "fastest": "the fastest (the smallest amount)",
    "top": "the ranking",
}


@dataclass(frozen=True, slots=True)
class Window:
    """What is counted. `amount` and `by` are fields of the events' data; `only_if` decides by each event's own values.

    Without `amount` every event counts 1. `rank_by` is `sum` or `count`. Events without a name are `anonymous_as`, and
    stand in the ranking only with `rank_anonymous`.
    """

    name: str
    types: tuple[str, ...]
    span: Span
    stats: tuple[str, ...] = ("count",)
    amount: str = ""
    by: str = ""
    top: int = 3
    rank_by: str = "sum"
    anonymous_as: str = ANONYMOUS
    rank_anonymous: bool = True
    unit: str = ""
    only_if: Formula | None = None

    def outputs(self) -> dict[str, str]:
        """The signals it gives, each with its unit."""
        units: dict[str, str] = {}
        for stat in STATS:
            if stat not in self.stats:
                continue
            if stat in ("count", "sum", "mean", "per_minute"):
                units[stat] = "" if stat == "count" else self.unit
            elif stat == "top":
                for place in range(1, self.top + 1):
                    units |= {f"top_{place}_name": "", f"top_{place}_amount": self.unit}
                units |= {"leaders": "", "names": "names"}
            else:
                units |= {f"{stat}_name": "", f"{stat}_amount": self.unit, f"{stat}_at": INSTANT}
        return {f"{self.name}.{field}": unit for field, unit in units.items()}


def passes(rule: Formula, data: Mapping[str, object]) -> bool:
    """Whether a rule lets an event in; one that has no result for it does not."""
    values: dict[str, Scalar] = {}
    for name in rule.names:
        raw = data.get(name.partition(".")[2])
        if isinstance(raw, str | int | float):
            values[name] = raw
        elif isinstance(raw, Iterable):
            values[name] = ", ".join(str(part) for part in raw)
    try:
        return bool(rule.run(Scope(values)))
    except (Missing, Undefined):
        return False
