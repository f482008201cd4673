"""Whose mark is seen when: items one after another, in appearances with time hidden between, each for its seconds."""

from __future__ import annotations

import random
from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from typing import Any, Self

SECOND = 1_000_000
LEAST = SECOND
"""For at least so long an item is seen."""
ORDERED, SHUFFLED, BEHIND = "in order", "shuffled", "who is behind"
ORDERS = (ORDERED, SHUFFLED, BEHIND)
SHOWN = "shown"
"""Ends the type of the event that tells what a rotation shows."""


@dataclass(frozen=True, slots=True)
class RotationItem:
    """Something that is seen for so long, µs: of which sponsor, and how much of the time was promised to that one.

    `apart` are sponsors that are never seen at the same time.
    """

    id: str
    sponsor: str
    seconds: int
    promised: float = 1.0
    apart: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class RotationRule:
    """How it goes round: the order, hidden for so long and then shown for so long, µs, and in how many slots.

    Hidden for 0, it is always shown.
    """

    order: str = ORDERED
    hidden: int = 0
    shown: int = 90 * SECOND
    slots: int = 1
    seed: str = ""


@dataclass(frozen=True, slots=True)
class RotationSlot:
    """What is in a slot: which item, and for how much longer, µs, which counts only while it is seen.

    `last` is the place of the item that came into it last.
    """

    item: str = ""
    left: int = 0
    last: int = -1


@dataclass(frozen=True, slots=True)
class RotationChange:
    """From this instant on, a slot has this item; with no item, viewers see nothing in it."""

    at: int
    slot: int
    item: str


@dataclass(frozen=True, slots=True)
class Rotation:
    """The rotation as it stands at an instant.

    `able` are the items that may be seen now; none of the others is. `free` says that nothing is in its way: while
    something is, its clock stands still, so that each item has its seconds and each appearance its length all the same.
    `held` keeps what is in the slots.
    """

    rule: RotationRule
    items: tuple[RotationItem, ...]
    at: int
    able: frozenset[str]
    free: bool = True
    held: bool = False
    hidden_left: int = 0
    shown_left: int = 0
    slots: tuple[RotationSlot, ...] = ()
    given: Mapping[str, int] = field(default_factory=dict)
    """For how long each sponsor was seen, µs."""
    bag: tuple[str, ...] = ()
    rounds: int = 0
    places: Mapping[str, int] = field(default_factory=dict)
    """Where each item stands in the order, by its id."""
    groups: tuple[tuple[RotationItem, tuple[int, ...]], ...] = ()
    """The items that are alike in whose they are and what was promised: one of each, and where all of them stand."""

    @classmethod
    def begun(cls, rule: RotationRule, items: Sequence[RotationItem], at: int, able: frozenset[str]) -> Self:
        """A rotation that begins: hidden first, if it is hidden at all."""
        empty, places = (RotationSlot(),) * rule.slots, {one.id: place for place, one in enumerate(items)}
        return cls(
            rule,
            tuple(items),
            at,
            able,
            hidden_left=rule.hidden,
            shown_left=rule.shown,
            slots=empty,
            places=places,
            groups=_grouped(items),
        )

    # What is seen

    @property
    def is_shown(self) -> bool:
        """Whether it is its time to be seen; it is, unless something is in the way."""
        return self.hidden_left == 0

    @property
    def seen(self) -> tuple[str, ...]:
        """The item of each slot, as viewers see it."""
        going = self.is_shown and self.free
        return tuple(one.item if going else "" for one in self.slots)

    def next_appearance(self) -> int:
        """When it is seen next, if nothing is in its way; now, while it is its time."""
        return self.at + self.hidden_left

    def next_change(self) -> int | None:
        """When it changes by itself; None when it does not."""
        if not self.is_shown:
            return self.at + self.hidden_left
        if not self.free:
            return None
        steps = [] if self.held else [one.left for one in self.slots if one.item]
        if self.rule.hidden:
            steps.append(self.shown_left)
        return self.at + min(steps) if steps else None

    # As time goes on

    def advance(self, now: int) -> tuple[Self, list[RotationChange]]:
        """It at a later instant, and what has changed until then, each at its very instant."""
        it, found = self._filled()
        while (change := it.next_change()) is not None and change <= now:
            later = it._passed(change - it.at)._turned()
            found += later._changes(it.seen)
            it = later
        return it._passed(now - it.at), found

    def _but(self, **changed: Any) -> Self:
        """It with these changed. An evening of many items makes thousands of them: this is quicker than `replace`."""
        new = object.__new__(type(self))
        for name in _FIELDS:
            object.__setattr__(new, name, changed[name] if name in changed else getattr(self, name))
        return new

    def _passed(self, time: int) -> Self:
        """It so much later, with no change in between."""
        if time <= 0:
            return self
        if not self.is_shown:
            return self._but(at=self.at + time, hidden_left=self.hidden_left - time)
        if not self.free:
            return self._but(at=self.at + time)
        given = dict(self.given)
        for one in self.slots:
            if one.item:
                sponsor = self._of(one.item).sponsor
                given[sponsor] = given.get(sponsor, 0) + time
        slots = self.slots if self.held else tuple(replace(one, left=max(one.left - time, 0)) for one in self.slots)
        shown_left = self.shown_left - time if self.rule.hidden else self.shown_left
        return self._but(at=self.at + time, given=given, slots=slots, shown_left=shown_left)

    def _turned(self) -> Self:
        """It once what is due now has happened."""
        it = self
        if it.rule.hidden and it.is_shown and it.shown_left <= 0:
            # What was in the middle of its seconds goes on with them when it appears again.
            it = it._but(hidden_left=it.rule.hidden, shown_left=it.rule.shown)
        if it.is_shown and not it.held:
            for place, one in enumerate(it.slots):
                if not one.item or one.left <= 0:
                    it = it._next_in(place)
        return it

    def _filled(self) -> tuple[Self, list[RotationChange]]:
        """It without what may not be seen any more, and with something in slots that are empty."""
        before, it = self.seen, self
        for place, one in enumerate(self.slots):
            if one.item not in it.able:
                it = it._next_in(place)
        return it, it._changes(before)

    def _changes(self, before: tuple[str, ...]) -> list[RotationChange]:
        return [
            RotationChange(self.at, place, after)
            for place, (was, after) in enumerate(zip(before, self.seen, strict=True))
            if was != after
        ]

    # Which comes next

    def _next_in(self, place: int) -> Self:
        beside = [self._of(one.item) for at, one in enumerate(self.slots) if at != place and one.item]
        last = self.slots[place].last
        if self.rule.order == ORDERED:
            it, chosen = self, self._following(last, beside)
        elif self.rule.order == SHUFFLED:
            it, chosen = self._drawn(beside, last)
        else:
            it, chosen = self, self._behind(beside, last)
        return it._with(place, it._filled_by(chosen) if chosen else RotationSlot(last=last))

    def _following(self, last: int, beside: Sequence[RotationItem]) -> RotationItem | None:
        """The next one in the order."""
        for step in range(1, len(self.items) + 1):
            one = self.items[(last + step) % len(self.items)]
            if one.id in self.able and not _clash(one, beside):
                return one
        return None

    def _with(self, place: int, slot: RotationSlot) -> Self:
        return self._but(slots=(*self.slots[:place], slot, *self.slots[place + 1 :]))

    def _filled_by(self, one: RotationItem) -> RotationSlot:
        # Something that is seen for no time would be followed by the next one without end.
        return RotationSlot(one.id, max(one.seconds, LEAST), self.places[one.id])

    def _may(self, one: RotationItem, beside: Sequence[RotationItem]) -> bool:
        return one.id in self.able and not _clash(one, beside)

    def _behind(self, beside: Sequence[RotationItem], last: int) -> RotationItem | None:
        """Of the sponsor who has had least of what was promised; of its items the next one after its last.

        One with a single item may follow itself: else it could never have more than every other turn.
        """
        best: tuple[float, bool, int] | None = None
        for group, places in self.groups:
            had = self.given.get(group.sponsor, 0) / group.promised if group.promised > 0 else float("inf")
            if (best is not None and had > best[0]) or (beside and _clash(group, beside)):
                continue
            begin = bisect_right(places, last)
            place = next((one for one in (*places[begin:], *places[:begin]) if self.items[one].id in self.able), None)
            if place is None:
                continue
            found = (had, place <= last, place)
            best = found if best is None else min(best, found)
        return self.items[best[2]] if best else None

    def _drawn(self, beside: Sequence[RotationItem], last: int) -> tuple[Self, RotationItem | None]:
        """The next of a round in which each comes once; a new round never begins with what the last one ended with."""
        it = self
        following = next((name for name in it.bag if it._may(it._of(name), beside)), None)
        if following is None:
            every = [one.id for one in it.items if one.id in it.able]
            # Anybody may know what comes next; what matters is that the same log tells the same.
            random.Random(f"{it.rule.seed}:{it.rounds}").shuffle(every)  # noqa: S311
            ended = it.items[last].id if last >= 0 else ""
            there = [name for name in every if not _clash(it._of(name), beside)]
            following = next((name for name in there if name != ended), there[0] if there else None)
            if following is None:
                return self, None
            it = it._but(bag=tuple(every), rounds=it.rounds + 1)
        at = it.bag.index(following)
        return it._but(bag=(*it.bag[:at], *it.bag[at + 1 :])), it._of(following)

    def _of(self, item: str) -> RotationItem:
        return self.items[self.places[item]]

    def with_items(self, items: Sequence[RotationItem], able: frozenset[str]) -> Self:
        """With other items; what is in a slot stays there for what is left of it, if it still may be seen."""
        places = {one.id: place for place, one in enumerate(items)}
        last = len(items) - 1
        slots = tuple(
            replace(one, last=places[one.item]) if one.item in places else RotationSlot(last=min(one.last, last))
            for one in self.slots
        )
        bag = tuple(one for one in self.bag if one in places)
        return replace(self, items=tuple(items), places=places, groups=_grouped(items), able=able, slots=slots, bag=bag)

    # What is done by hand

    def skipped(self, place: int = 0) -> Self:
        """With the next item in a slot: another one, if there is one."""
        now = self.slots[place].item
        if self.rule.order == BEHIND and len(self.able) > 1 and now:
            it = self._but(able=self.able - {now})._next_in(place)
            if it.slots[place].item:
                return it._but(able=self.able)
        return self._next_in(place)

    def shown_now(self, item: str, place: int = 0) -> Self:
        """With this item in a slot, now, for its seconds; another slot that has its sponsor gets the next one."""
        one = self._of(item)
        it = replace(self._with(place, self._filled_by(one)), hidden_left=0)
        for at, other in enumerate(it.slots):
            if at != place and other.item and _clash(it._of(other.item), [one]):
                it = it._next_in(at)
        return it


def _grouped(items: Sequence[RotationItem]) -> tuple[tuple[RotationItem, tuple[int, ...]], ...]:
    found: dict[tuple[str, float, frozenset[str]], list[int]] = {}
    for place, one in enumerate(items):
        found.setdefault((one.sponsor, one.promised, one.apart), []).append(place)
    return tuple((items[places[0]], tuple(places)) for places in found.values())


def _clash(one: RotationItem, beside: Sequence[RotationItem]) -> bool:
    """Whether something is never seen beside one of these: of the same sponsor, or of one that is kept apart."""
    return any(
        one.sponsor == other.sponsor or one.sponsor in other.apart or other.sponsor in one.apart for other in beside
    )


_FIELDS = tuple(one.name for one in fields(Rotation))


def shares(items: Sequence[RotationItem]) -> dict[str, float]:
    """The share of the time that each item has in a round, 0 to 1, by its id."""
    whole = sum(one.seconds for one in items)
    return {one.id: one.seconds / whole if whole else 0.0 for one in items}
