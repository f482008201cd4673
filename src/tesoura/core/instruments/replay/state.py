"""Replays as they stand: what deserves one, whose clip is asked for, what waits, what is seen.

It changes by what is in the log alone. What it decides by what it is told of the present (the scene, a formula), it
fires; and only when that is in the log it is so. So the log gives the same again.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any, Self

from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.instruments.base import Instrument
from tesoura.core.instruments.records import Record
from tesoura.core.instruments.replay.game import GameState
from tesoura.core.instruments.replay.plan import ReplayPlan
from tesoura.core.instruments.replay.wishes import Clip, Kill, ReadyReplay, Wish, kill_of, made_ready, wish_of
from tesoura.core.language.functions import Undefined
from tesoura.core.language.scope import Missing, Scope
from tesoura.core.overlays.moments import TROUBLE
from tesoura.core.replays.occasions import CLIP_CAME, MICRO, Occasions
from tesoura.core.replays.showing import GONE, SHOWN_RECORD, TOO_MANY, ReplayLine, WaitingReplay
from tesoura.core.signals.assignments import seen_signal
from tesoura.core.values import Scalar

WANTED, BEGUN, PASSED, AWAY = "wanted", "begun", "passed", "away"
MOMENTS: Mapping[str, str] = {
    WANTED: "asks for a clip",
    BEGUN: "shows a replay",
    PASSED: "skips a replay",
    AWAY: "hides a replay for something else",
}
LEAD = 300_000
"""So long after it was decided a replay begins, so that every page has its first picture by then; µs."""
CLIP_WAIT = 120 * MICRO
"""A clip that has not come by then is waited for no longer."""
NO_CLIP, NOT_IN_IT, SMALLER, OTHER = (
    "no clip arrived in time",
    "the received clip doesn't contain the moment",
    "a better one in the same match",
    "another was shown",
)
LATEST = 90 * MICRO
"""What is told of so much later, as after an hour without a link, deserves none: nobody has kept the picture."""
RECENT, PASSED_KEPT = 50, 10


@dataclass(frozen=True, slots=True)
class ShownReplay:
    """A replay that is seen, or was: since when, and until when at most; µs."""

    replay: ReadyReplay
    at: int
    until: int


@dataclass(frozen=True, slots=True)
class PassedReplay:
    """One that was not shown, and why."""

    caption: str
    why: str
    at: int


@dataclass(frozen=True, slots=True)
class ReplayBase(Instrument):
    """Replays. `kills` are those that may belong to an occasion still, `recent` the places of the last that counted.

    `asked` were asked for by hand and are not in the log as wishes yet; `wishes` wait for their clip, `ready` for the
    right moment, `candidates` for the end of the match. `gone` are to be told of as passed, each with the reason.
    """

    plan: ReplayPlan
    occasions: Occasions
    kills: Mapping[int, Kill] = field(default_factory=dict)
    recent: tuple[int, ...] = ()
    asked: tuple[Wish, ...] = ()
    wishes: tuple[Wish, ...] = ()
    ready: tuple[ReadyReplay, ...] = ()
    candidates: tuple[ReadyReplay, ...] = ()
    gone: tuple[tuple[Wish, str], ...] = ()
    chosen: str = ""
    line: ReplayLine = field(kw_only=True)
    showing: ShownReplay | None = None
    game: GameState = field(default_factory=GameState)
    outside: str = ""
    """Why a replay hides nothing, by what lies outside the game: the scene, a formula."""
    never: str = ""
    """Why none may be seen now, whatever else."""
    shown: int = 0
    passed: tuple[PassedReplay, ...] = ()
    written: tuple[Record, ...] = ()

    # The shape of all instruments

    def advance(self, at: datetime) -> Self:
        """It at this instant: kills that can belong to nothing more are let go of."""
        now = micros(at)
        # Those that deserve a replay stay until the log has the wish.
        occasions, it = self.occasions.pruned(now, LATEST), self
        if occasions is not self.occasions:
            still = occasions.instants
            it = replace(it, occasions=occasions, kills={seq: one for seq, one in self.kills.items() if seq in still})
        return it._at(now)

    def _at(self, now: int) -> Self:
        line = self.line.freed(self.may(now) == "", now)
        return self if line is self.line else replace(self, line=line)

    def may(self, now: int) -> str:
        """Why no replay may be seen now, in words; empty when one may."""
        if self.never:
            return self.never
        if not self.plan.held or self.outside or self.game.free(self.plan.free, now):
            return ""
        return "the game is running"

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Self:
        """It, once it knows the scene and what formulas come to."""
        plan = self.plan
        scene = str(values.get(plan.scene_signal) or "")
        outside = ""
        if plan.free.game_scenes and scene and scene.casefold() not in plan.free.game_scenes:
            outside = f"the scene is {scene}"
        elif plan.free.also is not None and _true(plan.free.also, values):
            outside = f"{plan.free.also.source.strip()} is true"
        never = next((f"{one} is on screen" for one in plan.never_with if values.get(seen_signal(one)) is True), "")
        if not never and plan.never is not None and _true(plan.never, values):
            never = f"{plan.never.source.strip()} is true"
        it = self
        if (outside, never) != (self.outside, self.never):
            it = replace(self, outside=outside, never=never)
        return it._at(micros(now))

    def on_event(self, event: Occurrence) -> Self:
        """It after an event: of the game, of a clip, or one of its own, which is in the log now."""
        it = replace(self, written=()) if self.written else self
        plan = self.plan
        if event.type.startswith(f"{plan.name}."):
            it = it._own(event)
        elif event.type == CLIP_CAME:
            if event.data.get("instrument") == plan.name:
                it = it._clip(event)
        elif event.type == TROUBLE:
            it = it._unseen(event)
        else:
            if plan.counted_by and event.type == f"tesoura.command.{plan.counted_by}":
                it = it._corrected(event)
            it = it._heard(event)
        return it._at(event.at)

    # The game

    def _heard(self, event: Occurrence) -> Self:
        game = self.game.after(event, self.plan.rule)
        it = self if game is self.game or game == self.game else replace(self, game=game)
        if event.type == self.plan.when and self.counts(event) == "":
            kill = kill_of(event)
            it = replace(
                it,
                occasions=it.occasions.killed(event.seq, event.at),
                kills={**it.kills, event.seq: kill},
                recent=(*it.recent, event.seq)[-RECENT:],
            )
        if event.type == "match.end" and self.plan.best:
            it = it._match_over(event.at)
        return it

    def counts(self, event: Occurrence) -> str:
        """Why an event does not count; empty when it does."""
        rule = self.plan.rule
        if rule is not None and event.type == "kill":
            if why := rule.left_out(event.data):
                return why
            if rule.players and not rule.is_me(str(event.data.get("actor") or "")):
                return "another player's"
        unmet = next((one for one in self.plan.conditions if not one.met(event.data)), None)
        return f"{unmet.words()} is false" if unmet is not None else ""

    def _corrected(self, event: Occurrence) -> Self:
        """Kills were deleted by hand: the newest ones are gone, and whatever waits because of them."""
        by = event.data.get("by")
        if event.data.get("command") != "correct" or event.data.get("what") != "kills" or not isinstance(by, int):
            return self
        it = self
        for _ in range(min(max(-by, 0), len(self.recent))):
            seq = it.recent[-1]
            it = replace(
                it,
                recent=it.recent[:-1],
                occasions=it.occasions.without(seq),
                kills={key: one for key, one in it.kills.items() if key != seq},
            )
            for wish in (*it.wishes, *(one.wish for one in (*it.ready, *it.candidates))):
                if seq in wish.seqs:
                    it = it._without(wish.id, GONE)
        return it

    def _match_over(self, at: int) -> Self:
        """The greatest of the match is the one that is shown; its clip may be on its way still."""
        on_way = [one for one in self.wishes if not one.by_hand]
        every = [*(one.wish for one in self.candidates), *on_way]
        if not every:
            return self
        best = max(every, key=lambda one: one.rank)
        it = replace(self, chosen=best.id)
        for one in every:
            if one.id != best.id:
                it = it._without(one.id, SMALLER)
        there = next((one for one in it.candidates if one.id == best.id), None)
        return replace(it, candidates=(), chosen="")._waits(replace(there, since=at)) if there else it

    # Clips

    def _clip(self, event: Occurrence) -> Self:
        of = str(event.data.get("of"))
        wish = next((one for one in self.wishes if one.id == of), None)
        if wish is None:
            return self
        it = replace(self, wishes=tuple(one for one in self.wishes if one.id != of))
        if event.data.get("failed"):
            return replace(it, gone=(*it.gone, (wish, str(event.data["failed"]))))
        data: Mapping[str, Any] = event.data
        clip = Clip(
            int(data["clip"]),
            str(data["file"]),
            int(data["length"]),
            int(data["shows_from"]),
            int(data.get("width_px", 0)),
            int(data.get("height_px", 0)),
        )
        ready = made_ready(it.plan, wish, clip, event.at)
        if ready is None:
            return replace(it, gone=(*it.gone, (wish, NOT_IN_IT)))
        if wish.by_hand:
            return replace(it, ready=(*it.ready, replace(ready, pressed=True)))
        if it.plan.best and it.chosen != of:
            return replace(it, candidates=(*it.candidates, ready))
        return replace(it, chosen="" if it.chosen == of else it.chosen)._waits(ready)

    def _unseen(self, event: Occurrence) -> Self:
        """A page cannot show what is seen elsewhere: whoever operates sees that."""
        shown = self.showing
        if shown is None or event.data.get("of") != shown.replay.id:
            return self
        why = f"not on a page of {event.data.get('overlay')}: {event.data.get('why')}"
        told = PassedReplay(shown.replay.wish.caption, why, event.at)
        return replace(self, passed=(told, *self.passed)[:PASSED_KEPT])

    def _waits(self, ready: ReadyReplay) -> Self:
        line, told = self.line.added(WaitingReplay(ready.id, ready.wish.rank, ready.since, ready.length))
        it = replace(self, ready=(*self.ready, ready), line=line)
        for one in told:
            it = it._without(str(one.id), TOO_MANY)
        return it

    def _without(self, id: str, why: str) -> Self:
        """Without one that is on its way, which is told."""
        every = [*self.wishes, *(one.wish for one in (*self.ready, *self.candidates))]
        wish = next((one for one in every if one.id == id), None)
        it = self._let_go(id)
        return replace(it, gone=(*it.gone, (wish, why))) if wish is not None else it

    def _let_go(self, id: str) -> Self:
        return replace(
            self,
            wishes=tuple(one for one in self.wishes if one.id != id),
            ready=tuple(one for one in self.ready if one.id != id),
            candidates=tuple(one for one in self.candidates if one.id != id),
            gone=tuple(one for one in self.gone if one[0].id != id),
            line=self.line.without(id, 0)[0],
        )

    # Its own events, which make it so

    def _own(self, event: Occurrence) -> Self:
        kind = event.type.rpartition(".")[2]
        of = str(event.data.get("of"))
        if kind == WANTED:
            return self._wanted(event)
        if kind == PASSED:
            last = PassedReplay(str(event.data.get("caption") or ""), str(event.data.get("why") or ""), event.at)
            return replace(self._let_go(of), passed=(last, *self.passed)[:PASSED_KEPT])
        if kind == BEGUN:
            ready = next((one for one in self.ready if one.id == of), None)
            return self._begun(ready, event) if ready is not None else self
        shown = self.showing
        if kind == AWAY and shown is not None and shown.replay.id == of:
            told = PassedReplay(shown.replay.wish.caption, f"hidden: {event.data.get('why')}", event.at)
            return replace(self.ended(event.at), passed=(told, *self.passed)[:PASSED_KEPT])
        return self

    def ended(self, at: int) -> Self:
        """It, with what is seen put away; the gap counts from then."""
        shown = self.showing
        if shown is None or at >= shown.until:
            return self
        return replace(self, showing=replace(shown, until=at), line=replace(self.line, ends_at=at))

    def _wanted(self, event: Occurrence) -> Self:
        wish = wish_of(event.data, event.at, event.seq)
        gone = set(wish.seqs)
        occasions = self.occasions.only({seq for seq in self.occasions.instants if seq not in gone})
        return replace(
            self,
            occasions=occasions,
            kills={seq: one for seq, one in self.kills.items() if seq not in gone},
            asked=tuple(one for one in self.asked if one.id != wish.id),
            wishes=(*self.wishes, wish),
        )

    def _begun(self, ready: ReadyReplay, event: Occurrence) -> Self:
        at = event.at + LEAD
        shown = ShownReplay(ready, at, at + ready.length)
        line = replace(self.line.without(ready.id, event.at)[0], ends_at=shown.until)
        it = replace(self, ready=tuple(one for one in self.ready if one.id != ready.id), line=line, showing=shown)
        if ready.trial:
            return it
        wish = ready.wish
        row = {"clip": ready.clip.number, "caption": wish.caption, "kills": len(wish.kills)}
        return replace(it, shown=it.shown + 1, written=(Record(SHOWN_RECORD, instant(event.at), row),))

    # What is seen, and what is written down

    def shows(self, now: int) -> ShownReplay | None:
        """The replay that is seen at this instant."""
        one = self.showing
        return one if one is not None and one.at <= now < one.until else None

    def recorded(self) -> Sequence[Record]:
        """What the last event has added to its records."""
        return self.written


def _true(formula: Any, values: Mapping[str, Scalar]) -> bool:
    try:
        return bool(formula.evaluate(Scope(values)))
    except (Missing, Undefined):
        return False
