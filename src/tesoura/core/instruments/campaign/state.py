"""A campaign as it stands: the read that goes on, which points were said, its card, when chat was told last."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any, Self

from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.effects import SAY, Effect
from tesoura.core.instruments.base import Fired, Instrument, Step, Told, by_name
from tesoura.core.instruments.campaign.plan import CampaignPlan
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.items import InstrumentItem
from tesoura.core.instruments.owed_events import fired_of, plain_of
from tesoura.core.instruments.records import Record
from tesoura.core.signals.extremes import Extremes
from tesoura.errors import CommandRefused, InvalidField

EFFECT_ENDED = "tesoura.effect_ended"
"""An event that tells what became of an effect: which it is `of`, the `outcome`, and `why` it failed."""
BEGUN, ENDED, LINKED, CARD = "read_begun", "read_ended", "linked", "card"
MOMENTS: Mapping[str, str] = {
    BEGUN: "is being read",
    ENDED: "was read",
    LINKED: "has its link in chat",
    CARD: "has its card shown or hidden",
}
READ_RECORD = "read"
LEFT_OUT, LONGEST = "cancelled", timedelta(hours=2)
"""A read that nobody ended is over after so long: it counts as broken off."""
TOLD_FOR = timedelta(seconds=30)
SIGNALS: Mapping[str, str] = {
    "state": "",
    "sponsor": "",
    "reading": "",
    "elapsed": "",
    "point": "",
    "said": "",
    "points": "",
    "reads": "",
    "card": "",
    "card_words": "",
    "mark": "drawing",
    "link_left": "s",
    "link_in": "",
    "may_link": "",
    "items": "drawing",
    "text": "",
}


@dataclass(frozen=True, slots=True)
class SponsorRead:
    """A read that goes on: since when, µs since 1970, and which points were said, by their places."""

    at: int
    said: frozenset[int] = frozenset()


@dataclass(frozen=True, slots=True)
class Campaign(Instrument):
    """A campaign. `reads` counts those of this session that were not broken off; `card_at` is since when it is seen."""

    plan: CampaignPlan
    rows: tuple[InstrumentItem, ...] = ()
    reading: SponsorRead | None = None
    card_at: int = 0
    linked_at: int = 0
    reads: int = 0
    debts: tuple[Fired, ...] = ()
    """What has happened and is not in the log yet."""
    written: tuple[Record, ...] = ()
    not_told: str = ""
    """Why chat was not told the link when it was last asked for; empty once it was."""

    def with_items(self, items: Sequence[InstrumentItem]) -> Self:
        """With these items."""
        return replace(self, rows=tuple(items))

    # What there is

    def link_from(self) -> int:
        """From when on chat may be told again, µs since 1970."""
        return self.linked_at + micros_of(self.plan.pause) if self.linked_at else 0

    def why_no_link(self, now: datetime) -> str:
        """Why chat is not told now, in words; empty when it may be."""
        if not self.plan.link and not self.plan.code:
            return "No link set. Add one in the campaign's settings."
        if not self.plan.chat:
            return "No chat chosen. Choose one in the campaign's settings, or copy the text."
        if self.plan.state(now) != "on":
            return "The campaign has ended." if self.plan.state(now) == "over" else "The campaign hasn't started."
        left = self.link_from() - micros(now)
        return f"Just sent to chat. You can send it again in {spoken(left)}." if left > 0 else ""

    def items_told(self, now: datetime) -> str:
        """Its items for a rotation, as JSON; none while it does not go on."""
        if self.plan.state(now) != "on":
            return "[]"
        found = [
            {
                "id": f"{self.plan.name}:{one.id}",
                "words": one.values["words"],
                "picture": one.values["picture"],
                "video": one.values["video"],
                "text": one.values["text"],
                "seconds": one.values["seconds"],
            }
            for one in self.rows
            if one.values["picture"] or one.values["video"] or str(one.values["text"]).strip()
        ]
        if not found:
            plan = self.plan
            found = [
                {
                    "id": f"{plan.name}:mark",
                    "words": plan.sponsor,
                    "picture": plan.mark,
                    "video": "",
                    "text": "" if plan.mark else plan.sponsor,
                    "seconds": 9,
                }
            ]
        return json.dumps(found, ensure_ascii=False, separators=(",", ":"))

    # The shape of all instruments

    def advance(self, at: datetime) -> Self:
        """It at this instant: a read that nobody ended is over at last."""
        read = self.reading
        if read is not None and micros(at) - read.at >= micros_of(LONGEST):
            return self._ended(instant(read.at) + LONGEST, broken=True)
        return self

    def on_event(self, event: Occurrence) -> Self:
        """It after an event of its own, which is in the log now, or one that tells what became of its link."""
        it = replace(self, written=()) if self.written else self
        if event.type == EFFECT_ENDED:
            return it._link_ended(event)
        told = str(event.data.get("id") or "")
        due = next((one for one in it.debts if one.id == told), None)
        if due is None:
            return it
        it = replace(it, debts=tuple(one for one in it.debts if one.id != told))
        if event.type == f"{it.plan.name}.{ENDED}" and not it.plan.test:
            row = {name: due.data[name] for name in ("seconds", "said", "points", "ended")}
            it = replace(it, written=(Record(READ_RECORD, instant(event.at), row),))
        return it

    def _link_ended(self, event: Occurrence) -> Self:
        if event.data.get("of") != self._link_id(self.linked_at):
            return self
        if event.data.get("outcome") == "done":
            return replace(self, not_told="") if self.not_told else self
        # Chat was not told, so it may be told again at once.
        return replace(self, linked_at=0, not_told=str(event.data.get("why") or event.data.get("outcome")))

    def _link_id(self, at: int) -> str:
        return f"{self.plan.name}.{LINKED}:{at}"

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What has happened by now and is not in the log yet."""
        return [one for one in self.advance(now).debts if one.at <= now]

    def recorded(self) -> Sequence[Record]:
        """What the last event has added to its records."""
        return self.written

    def next_change(self, now: datetime) -> datetime | None:
        """When something it tells changes: each second while it is read or chat waits, and at midnight."""
        turn = self.plan.next_turn(now)
        steps = [turn] if turn else []
        if self.reading is not None:
            steps.append(_next_second(self.reading.at, now))
        if (until := self.link_from()) > micros(now):
            steps.append(_next_second(until, now))
        return min(steps, default=None)

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """What its texts may come to."""
        longest = max(self.plan.points, key=len, default="")
        return {
            "elapsed": Extremes("2:00:00", sample="0:42"),
            "point": Extremes(longest, sample=longest),
            "card_words": Extremes(self.plan.card, sample=self.plan.card),
        }

    def read(self, now: datetime) -> Told:
        """The present value of each of its signals."""
        plan, read = self.plan, self.reading
        left = max(self.link_from() - micros(now), 0)
        after = next((one for at, one in enumerate(plan.points) if read and at not in read.said), "")
        return {
            "state": plan.state(now),
            "sponsor": plan.sponsor,
            "reading": read is not None,
            "elapsed": clock_of(micros(now) - read.at) if read else "",
            "point": after,
            "said": len(read.said) if read else 0,
            "points": len(plan.points),
            "reads": self.reads,
            "card": bool(self.card_at),
            "card_words": plan.card if self.card_at else "",
            "mark": plan.mark if self.card_at else "",
            "link_left": -(-left // 1_000_000),
            "link_in": spoken(left) if left else "",
            "may_link": not self.why_no_link(now),
            "items": self.items_told(now),
            "text": f"{plan.sponsor}: {after}" if after else plan.sponsor,
        }

    def view(self, at: datetime) -> Mapping[str, Any]:
        """What its pages show."""
        read = self.reading
        return {
            "points": [
                (place + 1, words, bool(read and place in read.said)) for place, words in enumerate(self.plan.points)
            ],
            "reading": read is not None,
            "began": instant(read.at) if read else None,
            "card": bool(self.card_at),
            "why_no_link": self.why_no_link(at),
            "says": self.plan.said(),
            "chat": self.plan.chat,
            "not_told": self.not_told,
            "state": self.plan.state(at),
            "test": self.plan.test,
            "reads": self.reads,
            "promised": self.plan.reads,
            "link_left": spoken(self.link_from() - micros(at)) if self.link_from() > micros(at) else "",
        }

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored; its items are kept beside it."""
        read = self.reading
        return {
            "reading": [read.at, sorted(read.said)] if read else None,
            "card_at": self.card_at,
            "linked_at": self.linked_at,
            "reads": self.reads,
            "debts": [plain_of(one) for one in self.debts],
            "not_told": self.not_told,
        }

    # What is done

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or CommandRefused."""
        step: Step = by_name(replace(self.advance(now), written=()), command, now)
        return step

    def _fired(self, what: str, now: datetime, data: Mapping[str, Any], effects: Sequence[Effect] = ()) -> Fired:
        id = f"{what}:{micros(now)}"
        told = {"id": id, "sponsor": self.plan.sponsor, "test": self.plan.test, **data}
        return Fired(id, f"{self.plan.name}.{what}", now, told, effects)

    def _begin_read(self, command: Command, now: datetime) -> Step:
        if self.reading is not None:
            raise CommandRefused("A read is already in progress. End it first.")
        if self.plan.state(now) != "on":
            raise CommandRefused(self.why_not_on(now))
        it = replace(self, reading=SponsorRead(micros(now)), card_at=self.card_at or micros(now))
        debts = [self._fired(BEGUN, now, {"points": len(self.plan.points)})]
        if not self.card_at:
            debts.append(self._fired(CARD, now, {"shown": True}))
        return Step(replace(it, debts=(*it.debts, *debts)), "starts the read and shows the card")

    def why_not_on(self, now: datetime) -> str:
        """Why it is not read now."""
        if self.plan.state(now) == "before":
            return f"The campaign begins on {self.plan.first_day}. Change its dates, or wait."
        return f"The campaign ended on {self.plan.last_day}. Change its dates to read it again."

    def _tick(self, command: Command, now: datetime) -> Step:
        read = self.reading
        if read is None:
            raise CommandRefused("No read in progress. Start the read first.")
        points = self.plan.points
        given = str(command.given.get("point") or "").strip()
        if given:
            if not given.isdecimal() or not 1 <= int(given) <= len(points):
                raise InvalidField(
                    f"Points are numbered 1 to {len(points)}." if points else "There are no talking points."
                )
            place = int(given) - 1
        else:
            left = [at for at in range(len(points)) if at not in read.said]
            if not left:
                raise CommandRefused("All points are ticked." if points else "There are no talking points.")
            place = left[0]
        said = read.said ^ {place}
        words = f"point {place + 1} is said" if place in said else f"point {place + 1} is unticked"
        after = replace(self, reading=replace(read, said=said))
        return Step(after, words, {"point": str(place + 1)}, undo=("tick", {"point": str(place + 1)}))

    def _end_read(self, command: Command, now: datetime) -> Step:
        if self.reading is None:
            raise CommandRefused("No read in progress.")
        broken = command.name == "break_off"
        after = self._ended(now, broken)
        long = clock_of(micros(now) - self.reading.at)
        words = f"read ended after {long}, {len(self.reading.said)} of {len(self.plan.points)} points said"
        return Step(after, f"{words}; logged as cancelled" if broken else words)

    _break_off = _end_read

    def _ended(self, now: datetime, broken: bool) -> Self:
        read = self.reading
        assert read is not None
        counts = not broken and not self.plan.test
        began = self.plan.session_began
        in_session = began is None or now >= began
        data = {
            "seconds": round((micros(now) - read.at) / 1_000_000, 1),
            "said": len(read.said),
            "points": len(self.plan.points),
            "ended": LEFT_OUT if broken else "read",
        }
        debts = [self._fired(ENDED, now, data)]
        if self.card_at:
            debts.append(self._fired(CARD, now, {"shown": False}))
        return replace(
            self, reading=None, card_at=0, reads=self.reads + (counts and in_session), debts=(*self.debts, *debts)
        )

    def _show_card(self, command: Command, now: datetime) -> Step:
        shown = command.name == "show_card"
        if shown == bool(self.card_at):
            raise CommandRefused("The card is already on screen." if shown else "The card is already hidden.")
        after = replace(self, card_at=micros(now) if shown else 0)
        after = replace(after, debts=(*after.debts, self._fired(CARD, now, {"shown": shown})))
        return Step(
            after,
            "the card is on screen" if shown else "the card is hidden",
            undo=("hide_card" if shown else "show_card", {}),
        )

    _hide_card = _show_card

    def _link(self, command: Command, now: datetime) -> Step:
        if why := self.why_no_link(now):
            raise CommandRefused(why)
        line = self.plan.said()
        told = {"line": line, "of": self._link_id(micros(now))}
        effects = [Effect(SAY, self.plan.chat, told, now + TOLD_FOR)]
        after = replace(self, linked_at=micros(now), not_told="")
        after = replace(after, debts=(*after.debts, self._fired(LINKED, now, {"line": line}, effects)))
        return Step(after, f"sends to chat: “{line}”")


def micros_of(length: timedelta) -> int:
    """A length in µs."""
    return length // timedelta(microseconds=1)


def _next_second(of: int, now: datetime) -> datetime:
    """The next instant that is a whole number of seconds away from one, in µs since 1970."""
    past = (micros(now) - of) % 1_000_000
    return now + timedelta(microseconds=1_000_000 - past)


def clock_of(length: int) -> str:
    """A length, µs, as it is shown: `1:05`."""
    minutes, seconds = divmod(max(length, 0) // 1_000_000, 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02d}:{seconds:02d}" if hours else f"{minutes}:{seconds:02d}"


def spoken(length: int) -> str:
    """A length, µs, in words: `4 min 10 s`."""
    minutes, seconds = divmod(-(-max(length, 0) // 1_000_000), 60)
    return f"{minutes} min {seconds} s" if minutes else f"{seconds} s"


def kept(saved: Mapping[str, Any]) -> dict[str, Any]:
    """What was stored, by the names of its fields."""
    read = saved["reading"]
    return {
        "reading": SponsorRead(read[0], frozenset(read[1])) if read else None,
        "card_at": saved["card_at"],
        "linked_at": saved["linked_at"],
        "reads": saved["reads"],
        "debts": tuple(map(fired_of, saved["debts"])),
        "not_told": saved.get("not_told", ""),
    }
