"""A match as it stands after an act: what each kind of act does to it, by the sport's rules or by hand."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

from tesoura.core.computed.occurrence import MICRO
from tesoura.core.instruments.scoreboard import acts as kinds
from tesoura.core.instruments.scoreboard.acts import MatchAct
from tesoura.core.instruments.scoreboard.clock import MatchClock
from tesoura.core.instruments.scoreboard.figures import PERIOD_FIGURE, with_figure
from tesoura.core.sports.own import Sport
from tesoura.core.sports.rally import NOTHING, Pair, RallyMatch
from tesoura.core.sports.serve_order import ServeOrder
from tesoura.core.sports.timed import TimedMatch, TimedSport
from tesoura.errors import InvalidField

UNIT, MATCH, ENDS, LEAD, STREAK, SPAN = "unit", "match", "ends", "lead", "streak", "period"
"""What an act may have led to, beside itself."""


@dataclass(frozen=True, slots=True)
class MatchRules:
    """By what a match is played: the sport, how many players each side has, and after how many points in a row that is
    told."""

    sport: Sport
    players: Pair = (1, 1)
    streak: int = 5


@dataclass(frozen=True, slots=True)
class MatchStage:
    """A match as it stands. `led_to` is what the last act has led to, `note` what there is to say of it in words.

    `row` is who has scored last, and how often in a row; `leader` who led last in what is played now. `played` is the
    playing time so far in µs, and `past` that of the periods before this one.
    """

    match: RallyMatch | TimedMatch
    clock: MatchClock
    order: ServeOrder | None = None
    row: tuple[int, int] = (-1, 0)
    leader: int | None = None
    led_to: tuple[str, ...] = ()
    note: str = ""
    rests: bool = False
    """Whether a set or a period is over, and the next has not begun."""
    played: int = 0
    past: int = 0
    height: float = 0.5
    """Home's chance to win at even strength; against the clock by how much it is ahead."""
    periods: tuple[Pair, ...] = ()
    """The score at the end of each period that is over, of a sport against the clock."""

    @property
    def over(self) -> bool:
        """Whether the match is over."""
        return self.match.over if isinstance(self.match, TimedMatch) else self.match.winner is not None

    def playing_us(self, at: int) -> int:
        """The playing time so far."""
        return self.past + self.clock.passed(at)

    def after(self, act: MatchAct, rules: MatchRules) -> MatchStage:
        """The match after an act. Raises InvalidField when the act can do nothing here."""
        if self.over and act.kind not in (kinds.FIGURE, kinds.OVER):
            raise InvalidField("The match has ended. Undo the last entry, or start a new match.")
        it = self._with_time(act.at)
        after = _ACTS[act.kind](replace(it, led_to=(), note=""), act, rules)
        return after if after.match is it.match else replace(after, height=_height(after.match))

    def _with_time(self, at: int) -> MatchStage:
        """It with the playing time that has passed since the last act: penalties run with it."""
        now = self.playing_us(at)
        if not isinstance(self.match, TimedMatch) or now == self.played:
            return replace(self, played=now)
        gone = max(now - self.played, 0) / MICRO
        return replace(self, match=self.match.passed(gone), played=now)


def _height(match: RallyMatch | TimedMatch) -> float:
    return float(match.score[0] - match.score[1]) if isinstance(match, TimedMatch) else match.chance(0)


def begun(rules: MatchRules) -> MatchStage:
    """A match before anything was done."""
    sport = rules.sport
    if isinstance(sport, TimedSport):
        return MatchStage(TimedMatch(sport), _clock_of(sport, 1), height=0.0)
    order = ServeOrder.begun(sport.order, rules.players, 0) if sport.order else None
    return MatchStage(RallyMatch.begun(sport), MatchClock(), order)


def _clock_of(sport: TimedSport, period: int) -> MatchClock:
    length = round(sport.length_s(period) * MICRO)
    before = round(sport.before_s(period) * MICRO) if sport.runs_on else 0
    closed = sport.counts_down or sport.stops
    return MatchClock(length, sport.counts_down and length > 0, closed, before)


def told_again(rules: MatchRules, acts: Sequence[MatchAct]) -> tuple[tuple[MatchStage, ...], Mapping[int, str]]:
    """How the match stood before its first act and after each; and why acts lead to nothing, by their number.

    An act that is struck, or that can do nothing where it stands, leaves the match as it is.
    """
    stages, idle = [begun(rules)], {}
    for act in acts:
        last = stages[-1]
        if act.struck:
            stages.append(replace(last, led_to=(), note=""))
            continue
        try:
            stages.append(last.after(act, rules))
        except InvalidField as error:
            idle[act.number] = str(error)
            stages.append(replace(last, led_to=(), note=""))
    return tuple(stages), idle


# Points


def _point(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    match, side = stage.match, act.side
    if isinstance(match, TimedMatch):
        after: RallyMatch | TimedMatch = match.scored(side, act.what or next(iter(match.sport.scores)))
        led = [MATCH] if after.winner is not None else []
        order, score, fresh = stage.order, _score_of(after), False
    else:
        after = match.point(side)
        units = [name for name in after.told if name != "ends"]
        led = [
            *([UNIT] if units else []),
            *([MATCH] if after.winner is not None else []),
            *([ENDS] if "ends" in after.told else []),
        ]
        order = stage.order.moved(match, after, side) if stage.order else None
        fresh = bool(units)
        score = after.finished[-1].score if fresh and after.finished else after.counts[0]
    row = (side, stage.row[1] + 1 if stage.row[0] == side else 1)
    leader = 0 if score[0] > score[1] else 1 if score[1] > score[0] else None
    changed = leader is not None and stage.leader is not None and leader != stage.leader
    led += [LEAD] * (changed and not fresh) + [STREAK] * (row[1] == rules.streak)
    kept = None if fresh else leader if leader is not None else stage.leader
    stage = _clock_stops(stage, act.at) if MATCH in led else stage
    rests = _rests(after) and MATCH not in led
    return replace(stage, match=after, order=order, row=row, leader=kept, led_to=(kinds.POINT, *led), rests=rests)


def _rests(match: RallyMatch | TimedMatch) -> bool:
    """Whether a unit right below the match has just been won."""
    if isinstance(match, TimedMatch) or len(match.counts) < 2:
        return False
    top = match.finished[-1] if match.finished and match.told else None
    return top is not None and top.level == len(match.counts) - 2 and sum(match.counts[0]) == 0


def _score_of(match: RallyMatch | TimedMatch) -> Pair:
    return match.score if isinstance(match, TimedMatch) else match.counts[0]


def _count(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    after = _timed(stage).count(act.side, act.what)
    return replace(stage, match=after, note=after.told, led_to=(kinds.COUNT,))


def _penalty(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    match = _timed(stage)
    if act.value < 0:
        served = next((one for one in match.penalties if one.side == act.side), None)
        if served is None:
            raise InvalidField("This side serves no penalty.")
        after = replace(match, penalties=tuple(one for one in match.penalties if one is not served), told="ended early")
    else:
        after = match.penalised(act.side, act.what)
    return replace(stage, match=after, note=after.told, led_to=(kinds.PENALTY,))


def _timed(stage: MatchStage) -> TimedMatch:
    if not isinstance(stage.match, TimedMatch):
        raise InvalidField(f"{stage.match.sport.title} counts points alone.")
    return stage.match


def _rally(stage: MatchStage) -> RallyMatch:
    if not isinstance(stage.match, RallyMatch):
        raise InvalidField(f"In {stage.match.sport.title.lower()} there is no serve and no change of ends.")
    return stage.match


# Serve, ends, the end


def _serve(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    match, order = _rally(stage), stage.order
    if match.server != act.side:
        first = 1 - match.first
        match = replace(match, server=act.side, first=first)
        if order is not None and not any(map(sum, match.counts)):
            order = ServeOrder.begun(order.kind, order.players, act.side)
    if order is not None:
        order = order.chosen((act.side, round(act.value)))
    return replace(stage, match=match, order=order)


def _swap(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    match = _rally(stage)
    return replace(stage, match=replace(match, swapped=not match.swapped))


def _over(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    if stage.over:
        raise InvalidField("The match is already over.")
    stage = _clock_stops(stage, act.at)
    if isinstance(stage.match, TimedMatch):
        return replace(stage, match=replace(stage.match, over=True), led_to=(MATCH,), rests=False)
    if act.side < 0:
        raise InvalidField("Give the winner: side is home or away.")
    return replace(stage, match=replace(stage.match, winner=act.side, told=()), led_to=(MATCH,), rests=False)


# The clock


def _clock_stops(stage: MatchStage, at: int) -> MatchStage:
    return replace(stage, clock=stage.clock.stopped(at)) if stage.clock.runs else stage


def _run(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    return replace(stage, clock=stage.clock.started(act.at), rests=False)


def _stand(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    return replace(stage, clock=stage.clock.stopped(act.at))


def _set_clock(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    clock = stage.clock.set_to(act.value, act.at)
    # What is corrected was not played: penalties stay as they are.
    return replace(stage, clock=clock, played=stage.past + clock.passed(act.at))


def _added(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    if not stage.clock.length or stage.clock.closed:
        raise InvalidField("Added minutes exist only in sports whose clock runs past the end of a period.")
    return replace(stage, clock=replace(stage.clock, added_min=round(act.value)))


def _period(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    match = _timed(stage)
    after = match.next_period()
    past = stage.past + stage.clock.passed(act.at)
    done = tuple(sum(one[side] for one in stage.periods) for side in (0, 1))
    score = (match.score[0] - done[0], match.score[1] - done[1])
    stage = replace(stage, match=after, periods=(*stage.periods, score), past=past, played=past, note=after.told)
    if after.over:
        return replace(_clock_stops(stage, act.at), past=past - stage.clock.passed(act.at), led_to=(SPAN, MATCH))
    return replace(stage, clock=_clock_of(after.sport, after.period), led_to=(SPAN,), rests=True)


# By hand


def _figure(stage: MatchStage, act: MatchAct, rules: MatchRules) -> MatchStage:
    before = stage.match
    after = with_figure(before, act.what, act.side, round(act.value))
    if isinstance(after, TimedMatch) and isinstance(before, TimedMatch):
        clock = stage.clock if after.period == before.period else _clock_of(after.sport, after.period)
        return replace(stage, match=after, clock=clock, rests=stage.rests and act.what != PERIOD_FIGURE)
    order = stage.order
    if isinstance(after, RallyMatch) and order is not None and order.cycle and order.server(after)[0] != after.server:
        order = replace(order, at=(order.at + 1) % 4)
    return replace(stage, match=after, order=order, rests=False)


_ACTS: Mapping[str, Callable[[MatchStage, MatchAct, MatchRules], MatchStage]] = {
    kinds.POINT: _point,
    kinds.COUNT: _count,
    kinds.PENALTY: _penalty,
    kinds.SERVE: _serve,
    kinds.SWAP: _swap,
    kinds.OVER: _over,
    kinds.RUN: _run,
    kinds.STAND: _stand,
    kinds.CLOCK: _set_clock,
    kinds.ADDED: _added,
    kinds.PERIOD: _period,
    kinds.FIGURE: _figure,
}


def spans(stage: MatchStage) -> list[tuple[str, Pair]]:
    """The sets or periods that are over and the one that is played, each with its name and score."""
    match = stage.match
    if isinstance(match, TimedMatch):
        done = [sum(one[side] for one in stage.periods) for side in (0, 1)]
        present = [(match.score[0] - done[0], match.score[1] - done[1])]
        periods = [*stage.periods, *([] if match.over and stage.periods else present)]
        return [(f"{match.sport.called} {at}", score) for at, score in enumerate(periods, 1)]
    level = max(len(match.counts) - 2, 0)
    name = match.sport.units[level].name
    rows = [one.score for one in match.finished if one.level == level]
    played = match.counts[level]
    # A match that somebody retired from keeps the score of the game that was being played.
    if not rows or played != NOTHING or (match.winner is None and not stage.rests):
        rows.append(played)
    return [(f"{name} {at}", score) for at, score in enumerate(rows, 1)]
