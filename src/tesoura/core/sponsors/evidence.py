"""Airtime out of the log: what rotations and the cards of reads sent, what pages painted of it, why not the rest."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from tesoura.core.signals.assignments import AIR
from tesoura.core.sponsors.airtime import AirtimeGap, Span, airtime, length_of, merged

PAINTED = "tesoura.painted"
"""An event that tells what pages painted: for each page its overlay, and spans of an item, ms since 1970, each with why
it does not count, where it does not."""
MS, MOST_SLOTS = 1_000, 2


@dataclass(frozen=True, slots=True)
class LoggedFact:
    """An event of the log as far as airtime rests on it: when it was, µs since 1970, its type, what it tells."""

    at: int
    type: str
    data: Mapping[str, Any]


class LoggedSpan(NamedTuple):
    """A span in which a page showed an item, µs since 1970, as the log has it."""

    item: str
    begin: int
    end: int
    why_not: str = ""


@dataclass(frozen=True, slots=True)
class ItemAirtime:
    """What was seen of an item: which it is, whose, what was sent, what was seen of that, and the gaps. Spans in µs."""

    item: str
    campaign: str
    sponsor: str
    words: str
    test: bool
    sent: tuple[Span, ...]
    seen: tuple[Span, ...]
    gaps: tuple[AirtimeGap, ...]

    @property
    def seen_s(self) -> float:
        """For how long it was seen, seconds."""
        return length_of(self.seen) / 1e6

    @property
    def sent_s(self) -> float:
        """For how long it was sent, seconds."""
        return length_of(self.sent) / 1e6


@dataclass(slots=True)
class _Sent:
    campaign: str
    sponsor: str
    words: str
    test: bool
    spans: list[Span] = field(default_factory=list)


class Evidence:
    """Takes the facts of the log, in their order, and gives the airtime that they come to.

    `rotations` are the names of rotations, `campaigns` those of campaigns: what they tell as `NAME.shown` and
    `NAME.card` is what was sent.
    """

    def __init__(self, rotations: Sequence[str], campaigns: Sequence[str]) -> None:
        self._shown = {f"{one}.shown": one for one in rotations}
        self._cards = {f"{one}.card": one for one in campaigns}
        self._sent: dict[str, _Sent] = {}
        self._slots: dict[tuple[str, int], tuple[str, int]] = {}
        self._painted: dict[str, list[LoggedSpan]] = {}
        self._pages: dict[str, int] = {}
        self._there: list[Span] = []
        self._since: int | None = None

    @property
    def types(self) -> tuple[str, ...]:
        """The types of the events that it rests on."""
        return (*self._shown, *self._cards, PAINTED, AIR)

    def take(self, fact: LoggedFact) -> None:
        """Take the next one."""
        if name := self._shown.get(fact.type):
            self._turn(name, fact)
        elif name := self._cards.get(fact.type):
            self._end((name, -1), fact.at)
            if fact.data.get("shown"):
                sponsor, test = str(fact.data.get("sponsor")), bool(fact.data.get("test"))
                self._begin((name, -1), f"{name}:card", _Sent(name, sponsor, "its card", test), fact.at)
        elif fact.type == PAINTED:
            for page in fact.data.get("pages") or ():
                for item, first, last, *why in page["spans"]:
                    self._painted.setdefault(item, []).append(LoggedSpan(item, first * MS, last * MS, *why))
        elif fact.type == AIR:
            self._pages[str(fact.data.get("signal"))] = int(fact.data.get("value") or 0)
            self._look(fact.at)

    def _turn(self, name: str, fact: LoggedFact) -> None:
        slots = fact.data.get("slots") or []
        for place in range(max(len(slots), MOST_SLOTS)):
            told = slots[place] if place < len(slots) else {}
            self._end((name, place), fact.at)
            if told:
                sent = _Sent(told["campaign"], told["sponsor"], told["words"], bool(told["test"]))
                self._begin((name, place), str(told["id"]), sent, fact.at)

    def _begin(self, slot: tuple[str, int], item: str, sent: _Sent, at: int) -> None:
        self._sent.setdefault(item, sent)
        self._slots[slot] = (item, at)

    def _end(self, slot: tuple[str, int], at: int) -> None:
        item, since = self._slots.pop(slot, ("", 0))
        if item and at > since:
            self._sent[item].spans.append((since, at))

    def _look(self, at: int) -> None:
        """Note since when any page shows an overlay."""
        there = any(self._pages.values())
        if there and self._since is None:
            self._since = at
        elif not there and self._since is not None:
            self._there.append((self._since, at))
            self._since = None

    def airtime(self, begin: int, end: int) -> list[ItemAirtime]:
        """The airtime of every item between two instants; what is sent still ends with the second one."""
        found = []
        there = [*self._there, *([(self._since, end)] if self._since is not None else [])]
        for item, one in self._sent.items():
            still = [(since, end) for own, since in self._slots.values() if own == item]
            sent = tuple((max(b, begin), min(e, end)) for b, e in merged([*one.spans, *still]) if e > begin and b < end)
            of_it = airtime(item, sent, self._painted.get(item, ()), there)
            found.append(
                ItemAirtime(item, one.campaign, one.sponsor, one.words, one.test, sent, of_it.seen, of_it.gaps)
            )
        return found


def joined(gaps: Sequence[AirtimeGap]) -> list[AirtimeGap]:
    """Gaps for the same reason that follow on each other, as one."""
    found: list[AirtimeGap] = []
    for one in gaps:
        last = found[-1] if found else None
        if last is not None and last.why == one.why and one.begin <= last.end:
            found[-1] = AirtimeGap(last.begin, max(last.end, one.end), one.why)
        else:
            found.append(one)
    return found
