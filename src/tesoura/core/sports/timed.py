"""Sports that are played against the clock, as tables, and a match of one: score, periods, fouls, penalties.

A match reads no clock: whoever tells of something says what the clock of its period showed.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from tesoura.core.sports.rally import NOTHING, Pair
from tesoura.errors import InvalidField

PERIOD, HALF, MATCH = "period", "half", "match"
"""Over what something is counted before it begins again."""


@dataclass(frozen=True, slots=True)
class TeamCount:
    """Something counted for a side beside its score, anew in each `span`.

    `most` are how many there may be in each span, the last of them in all further ones; in extra time `in_extra`. At as
    many it `leads_to` something; with `barred` no further one can be taken, as a time-out. `most_a_half` holds too.
    """

    name: str
    title: str
    span: str = MATCH
    most: tuple[int, ...] = ()
    leads_to: str = ""
    barred: bool = False
    in_extra: int | None = None
    most_a_half: int | None = None
    goes_on: bool = False
    """Whether those of the last regular period are not forgotten in extra time."""


@dataclass(frozen=True, slots=True)
class TimedSport:
    """A sport against the clock: what scores and how much, its periods, what is counted, how long penalties are.

    With `to`, whoever has so many has won at once. Where nobody leads at the end, `extra` periods of `extra_minutes`
    follow, the first score of which ends the match if they are `sudden`; without any it is a draw.
    """

    name: str
    title: str
    scores: Mapping[str, int]
    periods: int
    minutes: float
    source: str
    counts_down: bool = False
    stops: bool = False
    """Whether the clock stands still whenever play does."""
    to: int | None = None
    extra: int = 0
    extra_minutes: float = 0.0
    sudden: bool = False
    team_counts: Sequence[TeamCount] = ()
    penalties: Mapping[str, float] | None = None
    """Minutes for which a side is one fewer, by the penalty's name."""
    called: str = PERIOD
    """What a period is called."""
    ends_on_score: frozenset[str] = frozenset()
    """The penalties of which the oldest ends when the other side scores against fewer players."""
    full_strength: frozenset[str] = frozenset()
    """The penalties that leave a side as many players as before."""
    extra_together: int = 1
    """So many extra periods are played before the score decides again."""

    @property
    def runs_on(self) -> bool:
        """Whether the clock of a period begins where that of the one before ended."""
        return not self.counts_down

    def length_s(self, period: int) -> float:
        """How long a period is, in seconds; 0 for one without an end."""
        return 60 * (self.minutes if period <= self.periods else self.extra_minutes)

    def before_s(self, period: int) -> float:
        """How much playing time lies before a period that goes as it should."""
        regular = min(period - 1, self.periods)
        return 60 * (regular * self.minutes + (period - 1 - regular) * self.extra_minutes)

    def counts(self, name: str) -> TeamCount:
        """One of what is counted. Raises InvalidField."""
        found = next((one for one in self.team_counts if one.name == name), None)
        if found is None:
            known = ", ".join(one.name for one in self.team_counts) or "nothing"
            raise InvalidField(f"{self.title} counts no “{name[:30]}”. It counts: {known}.")
        return found


_CARDS = (TeamCount("yellow", "Yellow cards"), TeamCount("red", "Red cards"))
TIMED_SPORTS: Mapping[str, TimedSport] = {
    one.name: one
    for one in (
        TimedSport(
            "football",
            "Football",
            {"goal": 1},
            2,
            45,
            "the laws of football, 7, 10, 12",
            called=HALF,
            extra=2,
            extra_minutes=15,
            extra_together=2,
            team_counts=_CARDS,
        ),
        TimedSport(
            "futsal",
            "Futsal",
            {"goal": 1},
            2,
            20,
            "the laws of futsal, 7, 10, 13",
            called=HALF,
            counts_down=True,
            stops=True,
            extra=2,
            extra_minutes=5,
            penalties={"sent off": 2},
            extra_together=2,
            ends_on_score=frozenset({"sent off"}),
            team_counts=(
                TeamCount("foul", "Fouls", PERIOD, (6,), "free kicks without a wall from now on", goes_on=True),
                TeamCount("time_out", "Time-outs", PERIOD, (1,), barred=True, in_extra=0),
                *_CARDS,
            ),
        ),
        TimedSport(
            "basketball",
            "Basketball",
            {"free throw": 1, "field goal": 2, "three": 3},
            4,
            10,
            "the rules of basketball, 8, 16, 18, 41",
            called="quarter",
            counts_down=True,
            stops=True,
            extra=99,
            extra_minutes=5,
            team_counts=(
                TeamCount("foul", "Team fouls", PERIOD, (5,), "free throws from now on", goes_on=True),
                TeamCount("time_out", "Time-outs", HALF, (2, 3), barred=True, in_extra=1),
            ),
        ),
        TimedSport(
            "handball",
            "Handball",
            {"goal": 1},
            2,
            30,
            "the rules of handball, 2, 9, 16",
            called=HALF,
            extra=4,
            extra_minutes=5,
            extra_together=2,
            penalties={"suspension": 2},
            team_counts=(
                TeamCount("time_out", "Time-outs", MATCH, (3,), barred=True, in_extra=0, most_a_half=2),
                *_CARDS,
            ),
        ),
        TimedSport(
            "ice_hockey",
            "Ice hockey",
            {"goal": 1},
            3,
            20,
            "the rules of ice hockey, 16 to 23, 77, 84, 87",
            counts_down=True,
            stops=True,
            extra=1,
            extra_minutes=5,
            sudden=True,
            penalties={"minor": 2, "major": 5, "misconduct": 10},
            ends_on_score=frozenset({"minor"}),
            full_strength=frozenset({"misconduct"}),
            team_counts=(TeamCount("time_out", "Time-outs", MATCH, (1,), barred=True),),
        ),
        TimedSport(
            "rugby",
            "Rugby union",
            {"try": 5, "conversion": 2, "penalty goal": 3, "drop goal": 3},
            2,
            40,
            "the laws of rugby union, 5, 8, 9",
            called=HALF,
            penalties={"yellow": 10},
            team_counts=_CARDS,
        ),
        TimedSport(
            "fencing",
            "Fencing",
            {"touch": 1},
            3,
            3,
            "the rules of fencing, t.36 to t.38, o.17",
            counts_down=True,
            stops=True,
            to=15,
            extra=1,
            extra_minutes=1,
            sudden=True,
            team_counts=_CARDS,
        ),
        TimedSport("free", "As you like", {"point": 1}, 1, 0, "your own"),
    )
}
"""The sports that ship, by name."""


@dataclass(frozen=True, slots=True)
class CountedOnce:
    """One thing that was counted for a side, and in which period."""

    name: str
    side: int
    period: int


@dataclass(frozen=True, slots=True)
class ServedPenalty:
    """A penalty that is being served: whose, which, and how much playing time of it is left, seconds."""

    side: int
    name: str
    left_s: float


@dataclass(frozen=True, slots=True)
class TimedMatch:
    """A match as it stands. `period` counts from 1, those of extra time behind the others; `told` is what came of the
    last thing that was told, in words."""

    sport: TimedSport
    score: Pair = NOTHING
    period: int = 1
    counted: tuple[CountedOnce, ...] = ()
    penalties: tuple[ServedPenalty, ...] = ()
    over: bool = False
    told: str = ""

    @property
    def winner(self) -> int | None:
        """Who has won; None while it goes on, and for a draw."""
        if not self.over or self.score[0] == self.score[1]:
            return None
        return 0 if self.score[0] > self.score[1] else 1

    @property
    def in_extra_time(self) -> bool:
        """Whether extra time is played."""
        return self.period > self.sport.periods

    def scored(self, side: int, what: str) -> TimedMatch:
        """The match after a score. Raises InvalidField for what scores nothing here."""
        sport = self.sport
        if what not in sport.scores:
            raise InvalidField(
                f"In {sport.title.lower()} there is no “{what[:30]}”. There are: {', '.join(sport.scores)}."
            )
        if self.over:
            return self
        added = sport.scores[what]
        score = (self.score[0] + added, self.score[1]) if side == 0 else (self.score[0], self.score[1] + added)
        over = (sport.to is not None and score[side] >= sport.to) or (sport.sudden and self.in_extra_time)
        told, left = ("the match is won", self.penalties) if over else self._after_score(side)
        return replace(self, score=score, over=over, told=told, penalties=left)

    @property
    def fewer(self) -> Pair:
        """How many players each side is short of, for its penalties."""
        short = [one.side for one in self.penalties if one.name not in self.sport.full_strength]
        return short.count(0), short.count(1)

    def _after_score(self, side: int) -> tuple[str, tuple[ServedPenalty, ...]]:
        """What a score ends of the penalties of the side that it went against, while that side has fewer players."""
        fewer = self.fewer
        against = 1 - side
        ends = next(
            (one for one in self.penalties if one.side == against and one.name in self.sport.ends_on_score), None
        )
        if ends is None or fewer[against] <= fewer[side]:
            return "", self.penalties
        return f"a {ends.name} penalty has ended", tuple(one for one in self.penalties if one is not ends)

    def count(self, side: int, name: str) -> TimedMatch:
        """The match after something was counted for a side. Raises InvalidField where there is no more of it."""
        rule, had, most = self.sport.counts(name), self.had(side, name), self.most(name)
        if rule.barred and most is not None and had >= most:
            span = "extra period" if self.in_extra_time else rule.span
            if not most:
                raise InvalidField(f"{rule.title}: there are none in extra time.")
            raise InvalidField(f"{rule.title}: all {most} of this {span} are taken.")
        if rule.most_a_half is not None and self._in_span(side, name, HALF) >= rule.most_a_half:
            raise InvalidField(f"{rule.title}: at most {rule.most_a_half} can be taken in one half.")
        told = rule.leads_to if most is not None and had + 1 >= most else ""
        return replace(self, counted=(*self.counted, CountedOnce(name, side, self.period)), told=told)

    def most(self, name: str) -> int | None:
        """How many of something there may be in the present span; None for as many as there are."""
        rule = self.sport.counts(name)
        if self.in_extra_time and rule.in_extra is not None:
            return rule.in_extra
        if not rule.most:
            return None
        number = {PERIOD: self.period - 1, HALF: int(self.period > self.sport.periods / 2), MATCH: 0}[rule.span]
        return rule.most[min(number, len(rule.most) - 1)]

    def had(self, side: int, name: str) -> int:
        """How many of something a side has in its present span."""
        return self._in_span(side, name, self.sport.counts(name).span)

    def _in_span(self, side: int, name: str, span: str) -> int:
        found = (one for one in self.counted if one.side == side and one.name == name)
        if self.in_extra_time and self.sport.counts(name).goes_on:
            return sum(one.period >= self.sport.periods for one in found)
        return sum(self._same_span(span, one.period) for one in found)

    def _same_span(self, span: str, period: int) -> bool:
        extra = self.in_extra_time and self.sport.extra > 0
        if span == PERIOD or (extra and span == HALF):
            return period == self.period
        half = self.sport.periods / 2
        return span == MATCH or (period > half) == (self.period > half)

    def penalised(self, side: int, name: str) -> TimedMatch:
        """The match after a penalty. Raises InvalidField for one that there is not."""
        known = self.sport.penalties or {}
        if name not in known:
            raise InvalidField(f"There is no such penalty. There are: {', '.join(known) or 'none'}.")
        served = ServedPenalty(side, name, known[name] * 60)
        return replace(self, penalties=(*self.penalties, served), told=f"{known[name]:g} min")

    def passed(self, seconds: float) -> TimedMatch:
        """The match after so much playing time: penalties run with it, and end with it."""
        left = tuple(replace(one, left_s=one.left_s - seconds) for one in self.penalties if one.left_s > seconds)
        ended = len(self.penalties) - len(left)
        return replace(self, penalties=left, told="a penalty has ended" if ended else "")

    def next_period(self) -> TimedMatch:
        """The match after the end of a period: the next one, extra time, or its end."""
        if self.over:
            return self
        sport, level = self.sport, self.score[0] == self.score[1]
        done = self.period - sport.periods
        if done < 0:
            return replace(self, period=self.period + 1, told=f"{sport.called} {self.period + 1} of {sport.periods}")
        if done < sport.extra and (level or done % sport.extra_together):
            return replace(self, period=self.period + 1, told="extra time")
        return replace(self, over=True, told="a draw" if level else "match finished")
