"""A scoreboard as it stands: its match act by act, its sides, its notices, and what it owes the log."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any, Self

from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.instruments.base import Fired, Instrument
from tesoura.core.instruments.records import Record
from tesoura.core.instruments.scoreboard import acts as kinds
from tesoura.core.instruments.scoreboard import stage as stages
from tesoura.core.instruments.scoreboard.acts import SIDES, MatchAct, act_of
from tesoura.core.instruments.scoreboard.notices import Notices, driven, notices_of, rally_over, saved_notices, showing
from tesoura.core.instruments.scoreboard.plan import MatchPlan
from tesoura.core.instruments.scoreboard.sides import Lineup, Side, lineup_of
from tesoura.core.instruments.scoreboard.stage import MatchStage, told_again
from tesoura.core.instruments.scoreboard.words import (
    led_to,
    point_to_play,
    result_of,
    score_text,
    spans_text,
    winner_of,
)
from tesoura.core.sports.rally import RallyMatch

MOMENTS: Mapping[str, str] = {
    kinds.POINT: "a point is scored",
    stages.UNIT: "a set or game is won",
    stages.MATCH: "match finished",
    stages.LEAD: "the lead changes",
    stages.STREAK: "a side has a run",
    stages.ENDS: "ends change",
    stages.SPAN: "a period has ended",
    "set_point": "a side has set point",
    "match_point": "a side has match point",
    "time_up": "the time of a period is up",
    kinds.COUNT: "a foul, a card or a time-out is counted",
}
"""What it tells, by the last part of the event's type, each with words that follow “when”."""
TYPE_OF = {stages.UNIT: "set", stages.STREAK: "run", kinds.COUNT: "counted"}
"""The last part of the type, where it is another than the mark's."""
POINTS = {
    "match point": "match_point",
    "championship point": "match_point",
    "set point": "set_point",
    "game point": "set_point",
}
"""What is told of the point that is played next, by how it is called."""
MATCH_RECORD = "match"


@dataclass(frozen=True, slots=True)
class Board(Instrument):
    """A match with its two sides. `stages` are how it stood before each act and after the last one; `idle` says why
    acts lead to nothing, by their number. `owed` is what has happened and is not in the log yet."""

    plan: MatchPlan
    lineup: Lineup = field(default_factory=Lineup)
    draft: Lineup = field(default_factory=Lineup)
    acts: tuple[MatchAct, ...] = ()
    stages: tuple[MatchStage, ...] = ()
    idle: Mapping[int, str] = field(default_factory=dict)
    previous: tuple[MatchAct, ...] = ()
    notices: Notices = ()
    teams: Mapping[str, Side] = field(default_factory=dict)
    owed: tuple[Fired, ...] = ()
    written: tuple[Record, ...] = ()

    @classmethod
    def made(cls, plan: MatchPlan, **more: Any) -> Self:
        """One whose stages follow from its acts."""
        it = cls(plan, **more)
        return it.told_again(it.acts)

    @property
    def stage(self) -> MatchStage:
        """The match as it stands."""
        return self.stages[-1]

    @property
    def is_begun(self) -> bool:
        """Whether anything was scored, counted or timed."""
        return any(not one.struck and one.kind not in (kinds.SERVE, kinds.SWAP) for one in self.acts)

    def told_again(self, acts: tuple[MatchAct, ...]) -> Self:
        """It with these acts, told from the first on."""
        found, idle = told_again(self.plan.rules(self.lineup), acts)
        return replace(self, acts=acts, stages=found, idle=idle)

    def with_act(self, act: MatchAct) -> Self:
        """It after one more act, with what that leads to. Raises InvalidField when it can do nothing."""
        rules = self.plan.rules(self.lineup)
        after = self.stage.after(act, rules)
        notices = driven(rally_over(self.notices), instant(act.at)) if act.kind == kinds.POINT else self.notices
        it = replace(self, acts=(*self.acts, act), stages=(*self.stages, after), notices=notices)
        return replace(it, owed=(*it.owed, *it.happened(self.stage, act)))

    def happened(self, before: MatchStage, act: MatchAct) -> list[Fired]:
        """What the last act has led to, as events."""
        after, final = self.stage, self.plan.final
        found = [self._fired(mark, act, before, act.side) for mark in after.led_to if mark in MOMENTS]
        if isinstance(after.match, RallyMatch) and isinstance(before.match, RallyMatch):
            now, was = point_to_play(after.match, final), point_to_play(before.match, final)
            if now != was and (mark := POINTS.get(now[0])):
                found.append(self._fired(mark, act, before, now[1]))
        return found

    def _fired(self, mark: str, act: MatchAct, before: MatchStage, who: int) -> Fired:
        stage, lineup = self.stage, self.lineup
        if mark == stages.MATCH:
            won = winner_of(stage)
            who = -1 if won is None else won
        data: dict[str, Any] = {
            "id": f"{act.number}:{mark}",
            "score": score_text(result_of(stage)),
            "sets": spans_text(stage),
            "words": led_to(before, stage, act, lineup, self.plan.final),
            "heading": lineup.heading,
        }
        if who >= 0:
            data |= {"side": SIDES[who], "name": lineup.sides[who].name}
        if mark == stages.STREAK:
            data["row"] = stage.row[1]
        if act.what:
            data["what"] = act.what
        return Fired(data["id"], self.type_of(mark), instant(act.at), data)

    def type_of(self, mark: str) -> str:
        """The type of the event that a mark is in the log."""
        return f"{self.plan.name}.{TYPE_OF.get(mark, mark)}"

    # The shape of all instruments

    def advance(self, at: datetime) -> Self:
        """It at this instant: notices go and come by themselves."""
        notices = driven(self.notices, at)
        return self if notices == self.notices else replace(self, notices=notices)

    def on_event(self, event: Occurrence) -> Self:
        """What it has told is in the log now."""
        it = replace(self, written=()) if self.written else self
        told = event.data.get("id")
        owed = tuple(one for one in it.owed if one.id != told)
        return it if len(owed) == len(it.owed) else replace(it, owed=owed)

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What has happened and is not in the log yet; and that a period's time is up."""
        clock, found = self.stage.clock, list(self.owed)
        up_at = clock.up_at()
        if up_at is not None and up_at <= micros(now) and self.acts:
            id = f"{self.acts[-1].number}:time_up"
            data = {"id": id, "period": getattr(self.stage.match, "period", 1)}
            found.append(Fired(id, f"{self.plan.name}.time_up", instant(up_at), data))
        return found

    def recorded(self) -> Sequence[Record]:
        """What the last command has added to its records."""
        return self.written

    def next_change(self, now: datetime) -> datetime | None:
        """When a signal changes, or something happens, by itself."""
        at, clock = micros(now), self.stage.clock
        found = [clock.next_second(at), clock.up_at()]
        times = [instant(one) for one in found if one is not None]
        seen = showing(driven(self.notices, now))
        times += [one for one in (seen.ends_at if seen else None, self._card_ends()) if one is not None]
        return min((one for one in times if one > now), default=None)

    def _card_ends(self) -> datetime | None:
        ended = next((act.at for act, stage in zip(self.acts, self.stages[1:], strict=True) if stage.over), None)
        if ended is None or not self.plan.card_s or not self.stage.over:
            return None
        return instant(ended) + timedelta(seconds=self.plan.card_s)

    def card_is_there(self, now: datetime) -> bool:
        """Whether the card at the end is shown."""
        ends = self._card_ends()
        return self.stage.over and (ends is None or now < ends)

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return {
            "lineup": self.lineup.saved(),
            "draft": self.draft.saved(),
            "acts": [one.told() for one in self.acts],
            "previous": [one.told() for one in self.previous],
            "notices": saved_notices(self.notices),
            "owed": [[one.id, one.type, micros(one.at), dict(one.data)] for one in self.owed],
        }


def kept(saved: Mapping[str, Any]) -> dict[str, Any]:
    """What was stored, by the names of its fields."""
    return {
        "lineup": lineup_of(saved["lineup"]),
        "draft": lineup_of(saved["draft"]),
        "acts": tuple(map(act_of, saved["acts"])),
        "previous": tuple(map(act_of, saved["previous"])),
        "notices": notices_of(saved["notices"]),
        "owed": tuple(Fired(id, kind, instant(at), data) for id, kind, at, data in saved["owed"]),
    }
