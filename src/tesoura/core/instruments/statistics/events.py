"""What game statistics do with each event of a game, and with those that are strange."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Self

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, amount_of, name_key, name_of, number
from tesoura.core.instruments.statistics import figures
from tesoura.core.instruments.statistics.course import Course, Match
from tesoura.core.instruments.statistics.plan import StatisticsPlan
from tesoura.core.instruments.statistics.tally import (
    AIM,
    ASSIST,
    CLOCK_OFF,
    CLOCK_ON,
    DEALT,
    DEATH,
    KILL,
    TAKEN,
    TOTAL_ASSISTS,
    TOTAL_DEATHS,
    TOTAL_KILLS,
    TallyMark,
)
from tesoura.core.values import Scalar

MAX_ODD = 20
LONGEST_MATCH_S = 86_400.0
"""No match is taken to have been longer."""
LAST_SHOWN = "last"


@dataclass(frozen=True, slots=True)
class Act:
    """A command that can be taken back: its place in the log, what was reset and since when, or what was corrected."""

    seq: int
    what: str
    was: int | None = None
    mark: TallyMark | None = None
    added: bool = False


@dataclass(frozen=True, slots=True)
class Odd:
    """An event that could not be used as it came, and why."""

    seq: int
    type: str
    why: str


class Hearing:
    """The events that were heard: the course of matches, the vitals, what was strange."""

    def __init__(self, plan: StatisticsPlan, almanac: Almanac) -> None:
        self.plan = plan
        self.course = Course(almanac.zone, almanac.session_began, plan.within_us)
        self.froms: dict[str, int] = {}
        self.acts: list[Act] = []
        self.vitals: dict[str, float] = {}
        self.odd: deque[Odd] = deque(maxlen=MAX_ODD)
        self.told: set[str] = set()
        """The ends, by their ids, that are in the log."""
        self.card = (LAST_SHOWN, 0, 0)
        """What the card shows: the last match or how many made-up ones; since when; by which place in the log."""
        self._kept: dict[str, tuple[Any, Any]] = {}

    @property
    def stale(self) -> bool:
        """Whether only the log can set it right."""
        return self.course.stale

    # Events

    def advance(self, at: datetime) -> Self:
        """It is asked with the instant, and needs no driving."""
        return self

    def on_event(self, event: Occurrence) -> Self:
        """Take an event of the game, or of its own."""
        taken = _HEARD.get(event.type)
        if taken is not None:
            if not (event.type.startswith("match.") and self._of_others(event)):
                taken(self, event)
        elif event.type == f"{self.plan.name}.match_ended":
            self.told.add(str(event.data.get("of")))
        return self

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Self:
        """It reads no signals."""
        return self

    def why_not(self, event: Occurrence) -> str | None:
        """Why an event does not count, or None when it does."""
        if event.type in ("kill", "death") and (why := self.plan.rule.left_out(event.data)):
            return why
        if event.type == "kill" and not self._mine(event.data, "actor"):
            return "it is somebody else's"
        return None

    def _strange(self, event: Occurrence, why: str) -> None:
        self.odd.append(Odd(event.seq, event.type, why))

    def _match_of(self, event: Occurrence) -> Match | None:
        return self.course.by_id(name_of(event.data.get("match")))

    def _mine(self, data: Mapping[str, object], role: str) -> bool:
        rule = self.plan.rule
        return not rule.players or rule.is_me(name_of(data.get(role)))

    def _of_others(self, event: Occurrence) -> bool:
        """Whether a match is told to be somebody else's: a service may tell of several players."""
        return bool(name_of(event.data.get("actor"))) and not self._mine(event.data, "actor")

    def _mark(self, event: Occurrence, what: int, amount: float = 1, of: float = 0) -> None:
        self.course.add(TallyMark(event.at, event.seq, what, amount, of), self._match_of(event))

    def _amount(self, event: Occurrence, field: str) -> float | None:
        raw = event.data.get(field)
        if raw is None:
            return None
        millionths = amount_of(raw.replace(",", "") if isinstance(raw, str) else raw)
        if millionths is None or isinstance(raw, bool):
            self._strange(event, f"its {field} is “{str(raw)[:30]}”, which is no number")
            return None
        return float(number(millionths))

    def _kill(self, event: Occurrence) -> None:
        data, rule = event.data, self.plan.rule
        if rule.left_out(data):
            return
        actor, target = name_of(data.get("actor")), name_of(data.get("target"))
        match = self._match_of(event) or self.course.open
        if match is not None:
            for name, more in ((actor, 1), (target, 0)):
                if name:
                    match.kills[name_key(name)] = match.kills.get(name_key(name), 0) + more
        if rule.players and not actor:
            self._strange(event, "it does not tell who did it")
        if self._mine(data, "actor"):
            if not target:
                self._strange(event, "it does not tell whose end it was; it counts all the same")
            self._mark(event, KILL)
        elif self.plan.deaths_by == "kill" and rule.is_me(target):
            self._mark(event, DEATH)

    def _death(self, event: Occurrence) -> None:
        if self.plan.deaths_by == "kill" or self.plan.rule.left_out(event.data) == "the warm-up is left out":
            return
        if event.data.get("target") is None or self._mine(event.data, "target"):
            self._mark(event, DEATH)

    def _assist(self, event: Occurrence) -> None:
        if self._mine(event.data, "actor"):
            self._mark(event, ASSIST)

    def _damage(self, event: Occurrence) -> None:
        amount = self._amount(event, "amount")
        if amount is not None and amount < 0:
            self._strange(event, f"it does {amount:g} damage, which is less than none")
        elif amount:
            if self._mine(event.data, "actor"):
                self._mark(event, DEALT, amount)
            elif self._mine(event.data, "target"):
                self._mark(event, TAKEN, amount)
        if self._mine(event.data, "actor"):
            self._aim(event)

    def _aim(self, event: Occurrence) -> None:
        shots, hits = self._amount(event, "shots"), self._amount(event, "hits")
        if shots is not None and hits is not None:
            if 0 <= hits <= shots:
                self._mark(event, AIM, hits, shots)
            else:
                self._strange(event, f"it tells {hits:g} hits of {shots:g} shots")

    def _vitals(self, event: Occurrence) -> None:
        if not self._mine(event.data, "actor") and event.data.get("actor") is not None:
            return
        for name in self.plan.vitals:
            value = self._amount(event, name)
            if value is not None and value < 0:
                self._strange(event, f"its {name} is {value:g}; it is taken as 0")
            if value is not None:
                self.vitals[name] = max(value, 0.0)

    def _rated(self, at: int, rating: float | None, before: bool) -> None:
        if rating is None:
            return
        self.course.ratings.append((at, rating, before))
        if len(self.course.ratings) > 1 and self.course.ratings[-2][0] > at:
            self.course.ratings.sort(key=lambda one: one[0])
        self.course.rating = self.course.ratings[-1][1]

    def _start(self, event: Occurrence) -> None:
        course, id = self.course, name_of(event.data.get("match"))
        if course.open is not None:
            if id and course.open.id == id:
                return self._strange(event, "this match has started already")
            if event.at < course.open.began:
                return self._strange(event, "a later match has started already")
            self._strange(event, "the match before it never ended; it is over since its last event")
        rating = self._amount(event, "rating")
        self._rated(event.at, rating, True)
        match = course.start_match(event.at, id)
        match.before = course.rating
        self._describe(match, event)
        self.froms.pop("match", None)
        return None

    def _describe(self, match: Match, event: Occurrence) -> None:
        match.opponent = name_of(event.data.get("opponent")) or match.opponent
        match.arena = name_of(event.data.get("arena")) or match.arena

    def _end(self, event: Occurrence) -> None:
        course = self.course
        match = self._match_of(event) or course.open
        if match is not None and match.finished:
            return self._strange(event, "this match has ended already")
        if match is None:
            self._strange(event, "no match had started; how long it was is not known")
            long_s = self._amount(event, "duration_s") or 0
            long_us = round(min(max(long_s, 0), LONGEST_MATCH_S) * 1_000_000)
            match = course.start_match(event.at - long_us, name_of(event.data.get("match")),
                                       started=False)  # fmt: skip
            match.before = course.rating
        self._aim(event)
        self._totals(event, match)
        raw = name_of(event.data.get("result")).casefold()
        match.result = figures.RESULT_OF.get(raw, "")
        if raw and not match.result:
            self._strange(event, f"its result is “{raw[:30]}”; won, lost and drawn are known")
        self._describe(match, event)
        at = max(event.at, match.began)
        course.end_match(match, at, finished=True)
        if (before := self._amount(event, "rating_before")) is not None:
            match.before = before
            self._rated(match.began, before, True)
        self.card = (LAST_SHOWN, 0, 0)
        match.rating = self._amount(event, "rating")
        self._rated(at, match.rating, False)
        return None

    def _totals(self, event: Occurrence, match: Match) -> None:
        """The end's own sums, for a match of which no single kill or death was told."""
        tally = self.course.of_match(match)
        if tally.kills or tally.deaths or tally.assists:
            return
        for name, what in (("kills", TOTAL_KILLS), ("deaths", TOTAL_DEATHS), ("assists", TOTAL_ASSISTS)):
            amount = self._amount(event, name)
            if amount is not None and amount > 0:
                self.course.add(TallyMark(event.at, event.seq, what, amount), match)

    def _pause(self, event: Occurrence) -> None:
        self._mark(event, CLOCK_OFF)

    def _resume(self, event: Occurrence) -> None:
        if self.course.open is not None:
            self._mark(event, CLOCK_ON)


_HEARD: Mapping[str, Callable[[Hearing, Occurrence], None]] = {
    "kill": Hearing._kill, "death": Hearing._death, "assist": Hearing._assist, "damage": Hearing._damage,
    "vitals": Hearing._vitals, "round.end": Hearing._aim, "match.start": Hearing._start,
    "match.end": Hearing._end, "match.pause": Hearing._pause, "match.resume": Hearing._resume,
}  # fmt: skip
