"""What game statistics do with each event of a game, and with those that are strange."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Self

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, amount_of, name_of, number
from tesoura.core.instruments.base import Instrument
from tesoura.core.instruments.statistics import figures
from tesoura.core.instruments.statistics.course import Course, Fight, Match, Since
from tesoura.core.instruments.statistics.plan import StatisticsPlan, source_key
from tesoura.core.instruments.statistics.rule import LEFT_SELF, LEFT_WARM_UP, parties_of
from tesoura.core.instruments.statistics.tally import (
    AIM,
    ASSIST,
    DEALT,
    DEATH,
    KILL,
    LEFT_DEATH,
    LEFT_KILL,
    PAUSE,
    RESUME,
    SEEN,
    TAKEN,
    TallyMark,
)

MAX_ODD = 20
LONGEST_MATCH_S = 86_400.0
"""No match is taken to have been longer."""
FITS_US = 120_000_000
"""How long before a match's start an end may say that it began and still be that match's."""
LAST_SHOWN = "last"
OF_A_MATCH = frozenset({"kill", "death", "assist", "damage", "round.end"})
"""What happens in matches only. Vitals may be told between them, too."""


@dataclass(frozen=True, slots=True)
class Act:
    """A command that can be taken back: its place in the log, what was reset and how all of it was before, or what was
    corrected."""

    seq: int
    what: str
    was: Mapping[str, Since | None] = field(default_factory=dict)
    mark: TallyMark | None = None
    added: bool = False


@dataclass(frozen=True, slots=True)
class Odd:
    """An event that could not be used as it came, and why."""

    seq: int
    type: str
    why: str


class Hearing(Instrument):
    """The events that were heard: the course of matches, the vitals, what was strange."""

    def __init__(self, plan: StatisticsPlan, almanac: Almanac) -> None:
        self.plan = plan
        self.course = Course(almanac.zone, almanac.session_began, plan.within_us)
        self.froms: dict[str, Since] = {}
        self.acts: list[Act] = []
        self.vitals: dict[str, float] = {}
        self.vitals_at: dict[str, Since] = {}
        self.odd: deque[Odd] = deque(maxlen=MAX_ODD)
        self.told: set[str] = set()
        """The ends, by their ids, that are in the log."""
        self.card = (LAST_SHOWN, 0, 0)
        """What the card shows: the last match or how many made-up ones; since when; by which place in the log."""
        self.beaten, self.told_death = 0, False
        """Which place in the log the last kill of the player has, and whether a death was ever told."""
        self._kept: dict[str, tuple[Any, Any]] = {}

    # Events

    def on_event(self, event: Occurrence) -> Self:
        """Take an event of the game, or of its own."""
        taken = _HEARD.get(event.type)
        if taken is not None:
            if self.plan.sources and source_key(event.source) not in self.plan.sources:
                return self
            if not (event.type.startswith("match.") and self._of_others(event)):
                added = self.course.added
                taken(self, event)
                if event.type in OF_A_MATCH and self.course.added == added:
                    # It concerns others; a match that never ends is over since its last event all the same.
                    self._mark(event, SEEN)
        elif event.type == f"{self.plan.name}.match_ended":
            self.told.add(str(event.data.get("of")))
        return self

    def why_not(self, event: Occurrence) -> str | None:
        """Why an event does not count, or None when it does."""
        if self.plan.sources and source_key(event.source) not in self.plan.sources:
            return "it's from a source you excluded"
        if event.type in ("kill", "death") and (why := self.plan.rule.left_out(event.data)):
            return why
        if event.type == "kill" and not self._mine(event.data, "actor"):
            return "another player's"
        return None

    def _strange(self, event: Occurrence, why: str) -> None:
        self.odd.append(Odd(event.seq, event.type, why))

    def _mine(self, data: Mapping[str, object], role: str) -> bool:
        rule = self.plan.rule
        return not rule.players or rule.is_me(name_of(data.get(role)))

    def _of_others(self, event: Occurrence) -> bool:
        """Whether a match is told to be somebody else's: a service may tell of several players."""
        return bool(name_of(event.data.get("actor"))) and not self._mine(event.data, "actor")

    def _mark(self, event: Occurrence, what: int, amount: float = 1, of: float = 0) -> None:
        self.course.add(TallyMark(event.at, event.seq, what, amount, of, self._told(event)))

    def _told(self, event: Occurrence) -> str:
        """The id of the match that an event tells. One that started without an id has the first that is told in it."""
        raw = event.data.get("match")
        if raw is None:
            return ""
        id = name_of(raw)
        if id and self.course.by_id(id) is None:
            match = self.course.current
            if match is not None and not match.id and match.began <= event.at:
                match.id = id
                self.course.changed()
        return id

    def _amount(self, event: Occurrence, field: str) -> float | None:
        raw = event.data.get(field)
        if raw is None:
            return None
        millionths = amount_of(raw.replace(",", "") if isinstance(raw, str) else raw)
        if millionths is None or isinstance(raw, bool):
            self._strange(event, f"its {field} is “{str(raw)[:30]}”, which is not a number")
            return None
        return float(number(millionths))

    def _kill(self, event: Occurrence) -> None:
        rule, parties = self.plan.rule, parties_of(event.data)
        left = rule.left_out(event.data, parties)
        mine = not rule.players or parties.actor_key in rule.players
        if parties.target_key in rule.players:
            self.beaten = event.seq
            if self.plan.deaths_by == "kill":
                # However it came about, the player did die.
                self._mark(event, LEFT_DEATH if left == LEFT_WARM_UP else DEATH)
        if left:
            if mine and left != LEFT_SELF:
                self._mark(event, LEFT_KILL)
            return
        if parties.actor or parties.target:
            told = self._told(event)
            self.course.add_fight(Fight(event.at, event.seq, told, parties.actor_key, parties.target_key))
        if rule.players and not parties.actor:
            self._strange(event, "it has no actor")
        if mine:
            if not parties.target:
                self._strange(event, "it names no player; counted anyway")
            self._mark(event, KILL)

    def _death(self, event: Occurrence) -> None:
        if event.data.get("target") is None or self._mine(event.data, "target"):
            self.told_death = True
            if self.plan.deaths_by == "kill":
                return
            left = self.plan.rule.left_out(event.data) == LEFT_WARM_UP
            self._mark(event, LEFT_DEATH if left else DEATH)

    def _assist(self, event: Occurrence) -> None:
        if self._mine(event.data, "actor"):
            self._mark(event, ASSIST)

    def _damage(self, event: Occurrence) -> None:
        amount = self._amount(event, "amount")
        if amount is not None and amount < 0:
            self._strange(event, f"it does {amount:g} damage, which is negative")
        elif amount:
            if self._mine(event.data, "actor"):
                self._mark(event, DEALT, amount)
            elif self._mine(event.data, "target"):
                self._mark(event, TAKEN, amount)
        if self._mine(event.data, "actor"):
            self._aim(event)

    def _aim(self, event: Occurrence, match: int | None = None) -> None:
        shots, hits = self._amount(event, "shots"), self._amount(event, "hits")
        if shots is not None and hits is not None:
            if 0 <= hits <= shots:
                told = self._told(event) if match is None else match
                self.course.add(TallyMark(event.at, event.seq, AIM, hits, shots, told))
            else:
                self._strange(event, f"it tells {hits:g} hits of {shots:g} shots")

    def _round_end(self, event: Occurrence) -> None:
        self._aim(event)

    def _vitals(self, event: Occurrence) -> None:
        if not self._mine(event.data, "actor") and event.data.get("actor") is not None:
            return
        for name in self.plan.vitals:
            value = self._amount(event, name)
            if value is not None and value < 0:
                self._strange(event, f"its {name} is {value:g}; counted as 0")
            at = (event.at, event.seq)
            if value is not None and at >= self.vitals_at.get(name, (0, 0)):
                self.vitals[name], self.vitals_at[name] = max(value, 0.0), at

    def _rated(self, at: int, event: Occurrence, field: str) -> float | None:
        rating = self._amount(event, field)
        if rating is not None:
            self.course.rated(at, event.seq, rating)
        return rating

    def _start(self, event: Occurrence) -> None:
        course, id = self.course, name_of(event.data.get("match"))
        known, present = course.by_id(id), course.current
        if (known is not None and known.started) or (
            known is None and present and present.began == event.at and present.id == id
        ):
            return self._strange(event, "this match has already started")
        if known is not None:
            # Its end came first.
            known.began, known.started = min(event.at, known.ended or event.at), True
            match = known
            course.changed()
        else:
            if present is not None and event.at >= present.began:
                self._strange(event, "the previous match never ended; closed at its last event")
            match = course.add_match(Match(event.seq, event.at, id, source=event.source))
        rating = self._rated(event.at, event, "rating")
        match.before = rating if rating is not None else match.before
        self._describe(match, event)
        return None

    def _describe(self, match: Match, event: Occurrence) -> None:
        match.opponent = name_of(event.data.get("opponent")) or match.opponent
        match.arena = name_of(event.data.get("arena")) or match.arena

    def _ending(self, event: Occurrence) -> Match | None:
        """The match that an end ends; None when it is of one that was not known."""
        course, id = self.course, name_of(event.data.get("match"))
        if (known := course.by_id(id)) is not None:
            return known
        last = course.started_by(event.at)
        if id and (last is None or last.id or last.finished or not self._fits(last, event)):
            return None
        if last is not None and last.ended is not None and event.at > last.ended:
            return None
        return last

    def _long_us(self, event: Occurrence) -> int | None:
        long_s = self._amount(event, "duration_s")
        return None if long_s is None else round(min(max(long_s, 0), LONGEST_MATCH_S) * 1_000_000)

    def _fits(self, match: Match, event: Occurrence) -> bool:
        """Whether an end may be this match's, by how long it is told to have been."""
        long_us = self._long_us(event)
        return long_us is None or event.at - long_us >= match.began - FITS_US

    def _end(self, event: Occurrence) -> None:
        course = self.course
        match = self._ending(event)
        if match is not None and match.finished:
            if event.source != match.source:
                return course.join(match, self._as_told(event, match.number))
            return self._strange(event, "this match has already ended")
        if match is None:
            match = self._as_told(event, event.seq)
            same = course.other_side(match)
            if same is not None:
                return course.join(same, match)
            if course.current is None:
                self._strange(event, "no match had started; its length is unknown")
            course.add_match(match)
        else:
            match.id = match.id or name_of(event.data.get("match"))
            told = self._as_told(event, match.number)
            match.ended = max(event.at, match.began)
            match.result, match.totals, match.rating = told.result, told.totals, told.rating
            match.before = told.before if told.before is not None else match.before
            match.opponent, match.arena = told.opponent or match.opponent, told.arena or match.arena
            course.ended(match)
            if (same := course.other_side(match)) is not None:
                course.join(match, same)
        self._aim(event, match.number)
        if match.before is not None and event.data.get("rating_before") is not None:
            course.rated(match.began, event.seq, match.before)
        if match.rating is not None:
            course.rated(match.ended or event.at, event.seq, match.rating)
        self.card = (LAST_SHOWN, 0, 0)
        return None

    def _as_told(self, event: Occurrence, number: int) -> Match:
        """A match as its end tells it."""
        raw = name_of(event.data.get("result")).casefold()
        result = figures.RESULT_OF.get(raw, "")
        if raw and not result:
            self._strange(event, f"its result is “{raw[:30]}”; won, lost and drawn are known")
        totals = {
            name: amount
            for name in ("kills", "deaths", "assists")
            if (amount := self._amount(event, name)) is not None and amount > 0
        }
        began, id = event.at - (self._long_us(event) or 0), name_of(event.data.get("match"))
        match = Match(
            number,
            began,
            id,
            event.at,
            result,
            self._amount(event, "rating"),
            self._amount(event, "rating_before"),
            "",
            "",
            totals,
            False,
            event.source,
        )
        self._describe(match, event)
        return match

    def _pause(self, event: Occurrence) -> None:
        self._mark(event, PAUSE)

    def _resume(self, event: Occurrence) -> None:
        self._mark(event, RESUME)


_HEARD: Mapping[str, Callable[[Hearing, Occurrence], None]] = {
    "kill": Hearing._kill,
    "death": Hearing._death,
    "assist": Hearing._assist,
    "damage": Hearing._damage,
    "vitals": Hearing._vitals,
    "round.end": Hearing._round_end,
    "match.start": Hearing._start,
    "match.end": Hearing._end,
    "match.pause": Hearing._pause,
    "match.resume": Hearing._resume,
}
