"""A rotation operated: the next one, hold, this one now, shown and hidden by hand; and what its signals tell."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.instruments.base import Step, Told, by_name
from tesoura.core.instruments.campaign.state import clock_of
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.rotation.plan import promises
from tesoura.core.instruments.rotation.state import RotationBase, SponsorItem
from tesoura.core.signals.extremes import Extremes
from tesoura.core.sponsors.plan import HOUR, MINUTE, Promise
from tesoura.core.sponsors.rotation import SECOND, shares
from tesoura.errors import CommandRefused

SIGNALS: Mapping[str, str] = {
    "state": "",
    "there": "",
    "sponsor": "",
    "item": "",
    "sponsor_2": "",
    "next": "",
    "next_at": "instant",
    "face": "drawing",
    "ahead": "drawing",
    "note": "",
}
SHOWS, HIDDEN, WAY, HELD, NOTHING = "shown", "hidden", "in the way", "held", "nothing to show"


class SponsorRotation(RotationBase):
    """A rotation, operated."""

    __slots__ = ()

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or CommandRefused."""
        step: Step = by_name(self.advance(now), command, now)
        return step

    def _skip(self, command: Command, now: datetime) -> Step:
        before = self.turning.slots[0].item
        if not before:
            raise CommandRefused("Nothing to skip: no item can be shown.")
        after = replace(self, turning=self.turning.skipped())
        chosen = after.item(after.turning.slots[0].item)
        if chosen is None or chosen.id == before:
            raise CommandRefused("No other item can be shown.")
        return Step(after, f"{self._called(before)} → {chosen.called}")

    def _called(self, id: str) -> str:
        found = self.item(id)
        return found.called if found else "nothing"

    def _hold(self, command: Command, now: datetime) -> Step:
        held = command.name == "hold"
        if held == self.turning.held:
            raise CommandRefused("Already held." if held else "Not held.")
        words = "keeps the current item on screen until resumed" if held else "resumes"
        return Step(
            replace(self, turning=replace(self.turning, held=held)), words, undo=("go_on" if held else "hold", {})
        )

    _go_on = _hold

    def _this_now(self, command: Command, now: datetime) -> Step:
        wanted = str(command.given.get("item") or "").strip().casefold()
        found = [one for one in self.knows.items if wanted in one.names()]
        if not wanted or not found:
            there = ", ".join(dict.fromkeys(one.sponsor for one in self.knows.items)) or "none"
            raise CommandRefused(f"No such item can be shown. Sponsors now: {there}.")
        chosen = found[0]
        after = replace(self, turning=self.turning.shown_now(chosen.id))
        way = f", once {self.knows.why_not} no more" if self.knows.why_not else ""
        return Step(after, f"viewers see {chosen.called}{way}", {"item": chosen.id})

    def _show(self, command: Command, now: datetime) -> Step:
        if not self.turning.items:
            raise CommandRefused("Nothing to show: no running campaign has an item.")
        if not self.plan.rule.hidden or self.turning.is_shown:
            raise CommandRefused("It's already on screen.")
        after = replace(self, turning=replace(self.turning, hidden_left=0, shown_left=self.plan.rule.shown))
        return Step(after, f"on screen for {clock_of(self.plan.rule.shown)}")

    def _hide(self, command: Command, now: datetime) -> Step:
        if not self.turning.is_shown:
            raise CommandRefused("Already hidden.")
        if not self.plan.rule.hidden:
            raise CommandRefused("It has no gap. Hold it, or set a gap.")
        after = replace(
            self, turning=replace(self.turning, hidden_left=self.plan.rule.hidden, shown_left=self.plan.rule.shown)
        )
        return Step(after, f"hidden; it appears again in {clock_of(self.plan.rule.hidden)}")

    # What it tells

    def read(self, now: datetime) -> Told:
        """The present value of each of its signals."""
        it = self.advance(now)
        turning = it.turning
        seen = [it.item(one) for one in turning.seen]
        first, second = seen[0], seen[1] if len(seen) > 1 else None
        state = it.state()
        hidden = turning.hidden_left
        return {
            "state": state,
            "there": any(seen),
            "sponsor": first.sponsor if first else "",
            "item": first.words if first else "",
            "sponsor_2": second.sponsor if second else "",
            "next": clock_of(-(-hidden // SECOND) * SECOND) if hidden else "",
            "next_at": instant(turning.next_appearance()).isoformat() if hidden else None,
            "face": _drawn(seen),
            "ahead": _drawn(list(it.ahead())),
            "note": it.knows.why_not,
        }

    def state(self) -> str:
        """How it stands, in a word or three."""
        turning = self.turning
        if not turning.items:
            return NOTHING
        if not turning.is_shown:
            return HIDDEN
        return WAY if not turning.free else HELD if turning.held else SHOWS

    def ahead(self) -> list[SponsorItem]:
        """What comes next in each slot, and what is there: pages have it ready before it is seen."""
        turning, found = self.turning, dict[str, None]()
        if any(one.item for one in turning.slots):
            later = replace(turning, hidden_left=0, free=True, held=False)
            found |= dict.fromkeys(one.item for one in later.slots)
            for place in range(len(later.slots)):
                later = later.skipped(place)
                found |= dict.fromkeys(one.item for one in later.slots)
        else:
            found |= dict.fromkeys(one.id for one in turning.items[:2])
        return [one for name in found if (one := self.item(name))]

    def next_change(self, now: datetime) -> datetime | None:
        """When it shows something else, or its countdown to that has another second."""
        at = RotationBase.next_change(self, now)
        hidden = self.advance(now).turning.hidden_left
        if not hidden or at is None:
            return at
        return instant(micros(now) + (hidden % SECOND or SECOND))

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """What its texts may come to."""
        longest = max((one.sponsor for one in self.knows.items), key=len, default="")
        item = max((one.words for one in self.knows.items), key=len, default="")
        return {
            "sponsor": Extremes(longest),
            "sponsor_2": Extremes(longest),
            "item": Extremes(item),
            "next": Extremes(clock_of(self.plan.rule.hidden)),
        }

    def view(self, at: datetime) -> Mapping[str, Any]:
        """What its pages show."""
        it = self.advance(at)
        turning = it.turning
        part = shares(turning.items)
        given = turning.given
        wanted = {one.sponsor: one for one in promises(it.plan.members)}
        return {
            "items": [{**one.told(), "share": part[one.id], "seen": one.id in turning.seen} for one in it.knows.items],
            "round_s": sum(one.seconds for one in it.knows.items),
            "state": it.state(),
            "why_not": it.knows.why_not,
            "sponsors": [
                {
                    "sponsor": one,
                    "had_min": given.get(one, 0) / MINUTE,
                    "promised_min": wanted.get(one, Promise(one)).time / MINUTE,
                    "an_hour": wanted.get(one, Promise(one)).an_hour,
                }
                for one in dict.fromkeys([*(each.sponsor for each in it.plan.members), *given])
            ],
            "next_at": instant(turning.next_appearance()) if turning.hidden_left else None,
            "left_s": turning.shown_left / SECOND if it.plan.rule.hidden and turning.is_shown else None,
            "rule": it.plan.rule,
            "members": it.plan.members,
            "hour": HOUR,
            "broken": list(it.broken),
            "held": turning.held,
        }


def _drawn(shown: list[SponsorItem | None] | list[SponsorItem]) -> str:
    found = [
        [one.id, one.picture, one.video, "" if one.picture or one.video else one.text, one.sponsor] if one else []
        for one in shown
    ]
    return json.dumps(found, ensure_ascii=False, separators=(",", ":")) if any(found) else "[]"
