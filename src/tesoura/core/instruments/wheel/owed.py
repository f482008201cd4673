"""Spins owed: who may still spin, how often; and the rules by which they are earned."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from tesoura.core.computed.occurrence import MICRO, Occurrence, amount_of, field_of, name_key, name_of
from tesoura.errors import CommandRefused

MOST_PEOPLE, MOST_AT_ONCE = 2_000, 100_000


@dataclass(frozen=True, slots=True)
class EarningRule:
    """For an event of this type: so many spins, or so many for every `each` of an amount, to whom `by` names."""

    number: int
    type: str
    spins: int = 1
    amount: str = ""
    each: int = 1
    by: str = "name"


@dataclass(frozen=True, slots=True)
class Earned:
    """Spins that somebody has earned by an event: by which rule, whose, how many."""

    rule: int
    who: str
    spins: int


@dataclass(frozen=True, slots=True)
class Owed:
    """Who may still spin: by what two ways of writing a name share, the name as it is shown and how many spins; the
    first who was owed one stands first. `rests` is what of an amount has not come to a spin yet, in millionths."""

    people: Mapping[str, tuple[str, int]] = field(default_factory=dict)
    rests: Mapping[str, int] = field(default_factory=dict)

    @property
    def total(self) -> int:
        """How many spins are owed in all."""
        return sum(count for _, count in self.people.values())

    def of(self, who: str) -> int:
        """How many somebody has."""
        return self.people.get(name_key(who), ("", 0))[1]

    def first(self) -> str:
        """Who has waited longest; empty for nobody."""
        return next((name for name, _ in self.people.values()), "")

    def given(self, who: str, spins: int) -> Owed:
        """With spins more, or fewer with a minus; nobody has fewer than none. Raises CommandRefused."""
        key, people = name_key(who), dict(self.people)
        count = people.get(key, ("", 0))[1] + spins
        if key not in people and len(people) >= MOST_PEOPLE:
            raise CommandRefused(f"{MOST_PEOPLE:,} people are owed spins already.")
        if count > 0:
            people[key] = (people.get(key, (who, 0))[0] if spins < 0 else who, min(count, MOST_AT_ONCE))
        else:
            people.pop(key, None)
        return replace(self, people=people)

    def renamed(self, before: str, after: str, rules: tuple[EarningRule, ...]) -> Owed:
        """With all that one name has under another one, added to what that has; so are the remainders of the rules, and
        the spins that two of them come to. Raises CommandRefused where there is nothing."""
        old, new, found = name_key(before), name_key(after), self.of(before)
        moved = {rule.number: value for rule in rules if (value := self.rests.get(f"{rule.number}|{old}"))}
        if not found and not moved:
            raise CommandRefused(f"{before[:60]} has no spins owed.")
        if old == new:
            return replace(self, people={**self.people, new: (after, found)}) if found else self
        rests = {key: value for key, value in self.rests.items() if key.partition("|")[2] != old}
        spins = found + sum(_counted(rests, rule, new, moved[rule.number]) for rule in rules if rule.number in moved)
        owed = Owed({key: value for key, value in self.people.items() if key != old}, rests)
        return owed.given(after, spins) if spins else owed

    def earned(self, event: Occurrence, rules: tuple[EarningRule, ...]) -> tuple[Owed, list[Earned]]:
        """It with what an event adds to what has not come to a spin yet, and the spins that it comes to."""
        rests, found = dict(self.rests), []
        for rule in rules:
            who = name_of(field_of(event.data, rule.by)) if rule.type == event.type else ""
            if not who:
                continue
            spins = rule.spins
            if rule.amount:
                spins = _counted(rests, rule, name_key(who), max(amount_of(field_of(event.data, rule.amount)) or 0, 0))
            if spins > 0:
                found.append(Earned(rule.number, who, min(spins, MOST_AT_ONCE)))
        while len(rests) > MOST_PEOPLE:
            del rests[next(iter(rests))]
        return (replace(self, rests=rests) if rests != self.rests else self), found

    def listed(self) -> Iterator[tuple[str, int]]:
        """Who has how many, the first owed first."""
        yield from self.people.values()

    def saved(self) -> dict[str, Any]:
        """It, to be stored."""
        return {"people": {key: list(one) for key, one in self.people.items()}, "rests": dict(self.rests)}


def _counted(rests: dict[str, int], rule: EarningRule, who: str, amount: int) -> int:
    """The spins that a remainder comes to with an amount more, in millionths; what is left rests."""
    key = f"{rule.number}|{who}"
    whole, rest = divmod(rests.pop(key, 0) + amount, rule.each * MICRO)
    if rest:
        rests[key] = rest
    return rule.spins * whole


def owed_of(saved: Mapping[str, Any]) -> Owed:
    """Spins owed as they were stored."""
    people = {key: (str(one[0]), int(one[1])) for key, one in saved["people"].items()}
    return Owed(people, {key: int(value) for key, value in saved["rests"].items()})
