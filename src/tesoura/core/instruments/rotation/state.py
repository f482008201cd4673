"""A rotation of sponsors as it stands: what is in its slots, what is in its way, and what of it the log has.

What it is told of the present (the scene, other pieces, whose items there are) counts once it is in the log, as
`NAME.knows`; what viewers see from an instant on is told as `NAME.shown`, and airtime rests on those events.
"""

from __future__ import annotations

import json
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, Self

from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.instruments.base import Fired, Instrument
from tesoura.core.instruments.rotation.plan import RotationMember, RotationSetup
from tesoura.core.overlays.moments import TROUBLE
from tesoura.core.signals.assignments import seen_signal
from tesoura.core.sponsors.rotation import SECOND, SHOWN, Rotation, RotationItem, RotationSlot
from tesoura.core.values import Scalar

KNOWS = "knows"
MOMENTS: Mapping[str, str] = {SHOWN: "shows something else"}
STEP_BACK = 5 * 60 * SECOND
"""What was missed longer ago, because Tesoura did not run, is not told: nobody saw it."""
MOST_BROKEN = 100


@dataclass(frozen=True, slots=True)
class SponsorItem:
    """What a rotation shows of an item: its id, its campaign and sponsor, what is drawn, its seconds."""

    id: str
    campaign: str
    sponsor: str
    words: str
    picture: str = ""
    video: str = ""
    text: str = ""
    seconds: int = 9
    test: bool = False

    @property
    def called(self) -> str:
        """What it is called by, for people."""
        return self.sponsor if self.words == self.sponsor else f"{self.sponsor}, {self.words}"

    def names(self) -> tuple[str, ...]:
        """What it may be called by."""
        return (self.id.casefold(), self.words.casefold(), self.sponsor.casefold(), self.campaign)

    def told(self) -> dict[str, Any]:
        """It, for the log and for pages."""
        return {
            "id": self.id,
            "campaign": self.campaign,
            "sponsor": self.sponsor,
            "words": self.words,
            "picture": self.picture,
            "video": self.video,
            "text": self.text,
            "seconds": self.seconds,
            "test": self.test,
        }


@dataclass(frozen=True, slots=True)
class Knows:
    """What a rotation knows of the present: the items there are, and what is in its way, in words."""

    items: tuple[SponsorItem, ...] = ()
    why_not: str = ""

    def told(self) -> dict[str, Any]:
        """It, for the log."""
        return {"items": [one.told() for one in self.items], "why_not": self.why_not}


def knows_of(told: Mapping[str, Any]) -> Knows:
    """It, as it was told."""
    return Knows(tuple(SponsorItem(**one) for one in told.get("items", ())), str(told.get("why_not") or ""))


def items_of(members: Sequence[RotationMember], values: Mapping[str, Scalar]) -> list[SponsorItem]:
    """What the campaigns of a rotation have to show, as their signals tell."""
    return [
        SponsorItem(campaign=member.name, sponsor=member.sponsor, test=member.test, **told)
        for member in members
        for told in _listed(values.get(f"{member.name}.items"))
    ]


@dataclass(frozen=True, slots=True)
class RotationBase(Instrument):
    """A rotation. `sees` is what it is told now, `knows` what of that is in the log, `number` how often that changed.

    `told` is what the log says that viewers see, slot by slot; `broken` are items that a page could not show.
    """

    plan: RotationSetup
    turning: Rotation
    knows: Knows = field(default_factory=Knows)
    sees: Knows = field(default_factory=Knows)
    number: int = 0
    told: tuple[str, ...] = ()
    broken: Mapping[str, str] = field(default_factory=dict)

    def item(self, id: str) -> SponsorItem | None:
        """One of its items."""
        return next((one for one in self.knows.items if one.id == id), None)

    # The shape of all instruments

    def advance(self, at: datetime) -> Self:
        """It at this instant."""
        turning, _ = self.turning.advance(micros(at))
        return self if turning is self.turning else replace(self, turning=turning)

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Self:
        """It, once it knows the scene, what else is seen, and the items of its campaigns."""
        plan = self.plan
        found = [one for one in items_of(plan.members, values) if self.broken.get(one.id) != (one.picture or one.video)]
        scene = str(values.get(plan.scene_signal) or "")
        why = ""
        if plan.scenes and scene.casefold() not in plan.scenes:
            why = f"the scene is {scene}" if scene else "no scene is known"
        why = why or next(
            (f"{one} is on screen" for one in plan.never_with if values.get(seen_signal(one)) is True), ""
        )
        sees = Knows(tuple(found), why)
        return self if sees == self.sees else replace(self, sees=sees)

    def on_event(self, event: Occurrence) -> Self:
        """It after an event: one of its own, which is in the log now, or a page that could not show an item."""
        if event.type == f"{self.plan.name}.{KNOWS}":
            # It begins when it first knows what to show: so the log alone says when, however often it is read again.
            it = self if self.number else replace(self, turning=begun(self.plan, instant(event.at)))
            return it._knowing(knows_of(event.data))
        if event.type == f"{self.plan.name}.{SHOWN}":
            slots = event.data.get("slots")
            return replace(self, told=tuple(str(one.get("id", "")) if one else "" for one in slots or ()))  # type: ignore[attr-defined]
        if event.type == TROUBLE:
            item = self.item(str(event.data.get("of") or ""))
            if item is None:
                return self
            broken = dict(list(self.broken.items())[-MOST_BROKEN:]) | {item.id: item.picture or item.video}
            return replace(self, broken=broken)
        return self

    def _knowing(self, knows: Knows) -> Self:
        items = turning_items(self.plan, knows.items)
        turning = self.turning.with_items(items, frozenset(one.id for one in items))
        return replace(
            self, knows=knows, sees=knows, number=self.number + 1, turning=replace(turning, free=not knows.why_not)
        )

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What it knows now, and what viewers see, as far as the log does not have it yet."""
        found, name = list[Fired](), self.plan.name
        if self.sees != self.knows:
            data = self.sees.told()
            print_of = zlib.crc32(json.dumps(data, sort_keys=True).encode("utf-8", "surrogatepass"))
            found.append(Fired(f"{KNOWS}:{self.number + 1}:{print_of:x}", f"{name}.{KNOWS}", now, data))
        last = self.told
        due, changes = self.turning.advance(micros(now))
        seen, steps = list(self.turning.seen), {self.turning.at: self.turning.seen}
        for change in changes:
            seen[change.slot] = change.item
            steps[change.at] = tuple(seen)
        if micros(now) - self.turning.at > STEP_BACK:
            # Tesoura did not run meanwhile, or the machine slept: nobody saw what would have been.
            steps = {micros(now): due.seen}
        for when, slots in steps.items():
            if slots != (last or ("",) * len(slots)):
                found.append(self._shown(when, slots))
                last = slots
        return found

    def _shown(self, at: int, slots: tuple[str, ...]) -> Fired:
        items = [self.item(one) for one in slots]
        told = [one.told() if one else {} for one in items]
        print_of = zlib.crc32("|".join(slots).encode("utf-8", "surrogatepass"))
        id = f"{SHOWN}:{at}:{print_of:x}"
        data = {"id": id, "slots": told, "why_not": self.knows.why_not}
        return Fired(id, f"{self.plan.name}.{SHOWN}", instant(at), data)

    def next_change(self, now: datetime) -> datetime | None:
        """When it shows something else."""
        it = self.advance(now)
        at = it.turning.next_change()
        return instant(at) if at is not None else None

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        it = self.turning
        return {
            "at": it.at,
            "free": it.free,
            "held": it.held,
            "hidden_left": it.hidden_left,
            "shown_left": it.shown_left,
            "slots": [[one.item, one.left, one.last] for one in it.slots],
            "given": dict(it.given),
            "bag": list(it.bag),
            "rounds": it.rounds,
            "knows": self.knows.told(),
            "number": self.number,
            "told": list(self.told),
            "broken": dict(self.broken),
        }


def turning_items(plan: RotationSetup, shown: Sequence[SponsorItem]) -> tuple[RotationItem, ...]:
    """The items as they go round, each with what was promised to its sponsor."""
    members = {one.name: one for one in plan.members}
    found = []
    for one in shown:
        member = members.get(one.campaign)
        promised = float(member.promise.time) if member and member.promise.time else 1.0
        apart = member.apart if member else frozenset()
        found.append(RotationItem(one.id, one.sponsor, one.seconds * SECOND, promised, apart))
    return tuple(found)


def _listed(raw: Scalar | None) -> list[dict[str, Any]]:
    try:
        found = json.loads(str(raw or "[]"))
    except ValueError:
        return []
    return found if isinstance(found, list) else []


def begun(plan: RotationSetup, now: datetime) -> Rotation:
    """A rotation without items, which begins now."""
    return Rotation.begun(plan.rule, (), micros(now), frozenset())


def kept(plan: RotationSetup, saved: Mapping[str, Any], bare: type[RotationBase]) -> RotationBase:
    """It, as it was stored."""
    empty = begun(plan, instant(saved["at"]))
    slots = tuple(RotationSlot(*one) for one in saved["slots"])
    if len(slots) != plan.rule.slots:
        slots = empty.slots
    it = bare(plan, empty, number=saved["number"], told=tuple(saved["told"]), broken=saved["broken"])
    it = it._knowing(knows_of(saved["knows"]))
    hidden_left = min(saved["hidden_left"], plan.rule.hidden)
    turning = replace(
        it.turning,
        at=saved["at"],
        free=saved["free"],
        held=saved["held"],
        hidden_left=hidden_left,
        shown_left=min(saved["shown_left"], plan.rule.shown) or plan.rule.shown,
        slots=slots,
        given=saved["given"],
        bag=tuple(saved["bag"]),
        rounds=saved["rounds"],
    )
    return replace(it, turning=turning.with_items(it.turning.items, it.turning.able), number=saved["number"])
