"""What can be done to a run: presses while it goes on, its bests, its routes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any, Self

from tesoura.core.computed.occurrence import micros
from tesoura.core.instruments.base import Step, Told, by_name
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.run import routes, signals
from tesoura.core.instruments.run.plan import COMMAND, PRESS
from tesoura.core.instruments.run.state import CLEAN, HIT, LAST, RunBase
from tesoura.core.instruments.run.view import view_of
from tesoura.core.runs.attempt import FIGHT, PAUSED, READY, RUNNING, THROUGH, WAY, Attempt
from tesoura.core.runs.history import past
from tesoura.core.signals.extremes import Extremes
from tesoura.errors import CommandRefused, InvalidField


@dataclass(frozen=True, slots=True)
class Run(RunBase):
    """A run that can be told what to do."""

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or CommandRefused."""
        at = micros(now)
        if (change := routes.DOES.get(command.name)) is not None:
            after, words, undo = change(self._stepping(command, at), command)
            if after.attempt != self.attempt:
                after = self.changed(after, words)
            given = dict(command.given)
            if command.name == "bring_route":
                name, rows = routes.file_rows(command)
                given = {"title": name, "rows": [list(one) for one in rows]}
            return Step(after, words, given, undo=undo)
        self._not_twice(command.name, at)
        done, words = by_name(self, command, now)
        if command.name != "undo":
            done = self.changed(done, words)
        if command.name in PRESSED:
            done = replace(done, pressed={**done.pressed, command.name: at})
        return Step(done, words, dict(command.given), undo=None if command.name == "undo" else ("undo", {}))

    def _stepping(self, command: Command, at: int) -> Self:
        """It, before a change of the route that may put it into another split: the time until now stays in this one."""
        given = command.given
        moves = given.get("stood") or self.attempt.at in str(given.get("splits") or "").split(",")
        return replace(self, attempt=self.attempt.until(at)) if moves else self

    def _not_twice(self, name: str, at: int) -> None:
        last = self.pressed.get(name, 0)
        if name in PRESSED and last and 0 <= at - last < self.plan.apart:
            ago, apart = (at - last) // 1_000, self.plan.apart // 1_000
            raise CommandRefused(f"It was pressed {ago} ms ago; twice within {apart} ms counts once.")

    # Presses

    def _ready(self, now: datetime, what: str) -> Self:
        """It, begun if a press begins it. Raises CommandRefused when it cannot be."""
        if not self.route.splits:
            raise CommandRefused("The route has no splits. Add some first.")
        state, begins = self.attempt.state, self.plan.begins
        if state == THROUGH:
            raise CommandRefused("The run is complete. Start over, or go back a split.")
        if state != READY:
            return self
        if begins != PRESS:
            how = "press Begin" if begins == COMMAND else f"it begins with {self.plan.event}, or press Begin"
            raise CommandRefused(f"The run hasn't started, so there is nothing to {what}: {how}.")
        return self.begun(micros(now))

    def _begin(self, command: Command, now: datetime) -> tuple[Self, str]:
        if not self.route.splits:
            raise CommandRefused("The route has no splits. Add some first.")
        if self.attempt.state != READY:
            raise CommandRefused("The run has started. Start over first.")
        return self.begun(micros(now)), f"attempt {self.attempt.number} begins in {self.route.splits[0].name}"

    def _hit(self, command: Command, now: datetime) -> tuple[Self, str]:
        it, kind = self._ready(now, "hit"), WAY if command.name == "way_hit" else FIGHT
        attempt = it.attempt.counted(it.attempt.at, **{kind: 1})
        it = replace(it, attempt=replace(attempt, hits=(*attempt.hits, (attempt.at, kind))))
        split = it.split
        assert split is not None
        here = it.attempt.of(split.id)
        data = {"split": split.name, "kind": kind, "hits": here.fight + here.way}
        it = it.owes(HIT, now, command.seq, data)
        if it.over_at() is not None:
            it = it.ends(now, command.seq, "over")
        way = " on the way" if kind == WAY else ""
        return it, f"{split.name}: {it.plan.word}{way} {here[kind == WAY] - 1} → {here[kind == WAY]}"

    _way_hit = _hit

    def _hit_back(self, command: Command, now: datetime) -> tuple[Self, str]:
        hits = list(self.attempt.hits)
        while hits and not getattr(self.attempt.of(hits[-1][0]), hits[-1][1]):
            # It was set to fewer by hand meanwhile.
            hits.pop()
        if not hits:
            raise CommandRefused("No hit to undo.")
        split_id, kind = hits.pop()
        attempt = replace(self.attempt.counted(split_id, **{kind: -1}), hits=tuple(hits))
        split = self.route.split(split_id)
        return replace(self, attempt=attempt), f"last hit in {split.name if split else 'a split'} undone"

    def _next(self, command: Command, now: datetime) -> tuple[Self, str]:
        if self.attempt.state == READY and self.plan.begins == PRESS:
            return self._begin(command, now)
        it = self._ready(now, "pass")
        route, at = it.route, it.attempt.place(it.route)
        attempt, split = it.attempt.until(micros(now)), route.splits[at]
        clean = not attempt.of(split.id).hits(it.plan.rule)
        if at + 1 == len(route.splits):
            it = replace(it, attempt=replace(attempt, through=True, since=0))
            words = f"{split.name} passed; run complete"
        else:
            it = replace(it, attempt=replace(attempt, at=route.splits[at + 1].id))
            words = f"{split.name} → {route.splits[at + 1].name}"
        if clean:
            it = it.owes(CLEAN, now, command.seq, {"split": split.name, "number": at + 1})
        if at + 2 == len(route.splits):
            it = it.owes(LAST, now, command.seq, {"split": route.splits[-1].name, "over": it.over_at() is not None})
        if it.attempt.through:
            it = it.ends(now, command.seq, "through")
        return it, words

    def _previous(self, command: Command, now: datetime) -> tuple[Self, str]:
        if self.attempt.state == READY:
            raise CommandRefused("The run hasn't started.")
        route, at = self.route, self.attempt.place(self.route)
        if at == 0:
            raise CommandRefused(f"{route.splits[0].name} is the first split.")
        here = route.splits[at - 1]
        since = micros(now) if self.attempt.through else self.attempt.since
        attempt = replace(self.attempt.until(micros(now)), at=here.id, through=False)
        return replace(self, attempt=replace(attempt, since=since and micros(now))), f"back to {here.name}"

    def _start_over(self, command: Command, now: datetime) -> tuple[Self, str]:
        if self.attempt.state == READY:
            raise CommandRefused("The run hasn't started.")
        it = self.ends(now, command.seq, "through" if self.attempt.through else "abandoned")
        one = past(it.attempt, it.route, micros(now))
        number = it.attempt.number + 1
        it = replace(it, history=it.history.plus(one), attempt=Attempt(number))
        return it, f"attempt {one.number} is kept; attempt {number} is ready"

    def _pause(self, command: Command, now: datetime) -> tuple[Self, str]:
        state = self.attempt.state
        if state == RUNNING:
            return replace(self, attempt=replace(self.attempt.until(micros(now)), since=0)), "clock stopped"
        if state == PAUSED:
            return replace(self, attempt=replace(self.attempt, since=micros(now))), "clock running"
        raise CommandRefused("The run hasn't started." if state == READY else "The run is complete.")

    def _best(self, command: Command, now: datetime) -> tuple[Self, str]:
        if self.attempt.state == READY:
            mine = [one for one in self.history.attempts if one.route == self.route_id]
            if not mine:
                raise CommandRefused("No attempt yet.")
            one = mine[-1]
        else:
            one = past(self.attempt, self.route, micros(now))
        return self._as_best(one)

    def _use_best(self, command: Command, now: datetime) -> tuple[Self, str]:
        try:
            wanted = int(str(command.given.get("attempt") or 0))
        except ValueError:
            raise InvalidField("Give the attempt's number.") from None
        there = [*self.bests, *self.history.attempts]
        one = next((one for one in reversed(there) if one.route == self.route_id and one.number == wanted), None)
        if one is None:
            raise CommandRefused(f"There is no attempt {wanted} at this route.")
        return self._as_best(one)

    def _as_best(self, one: Any) -> tuple[Self, str]:
        before = self.best
        it = replace(self, bests=(*self.bests, one)).limited()
        had = f"{before.hits(self.plan.rule)} of attempt {before.number}" if before else "none"
        return it, f"the best: {had} → {one.hits(self.plan.rule)} of attempt {one.number}"

    def _set_hits(self, command: Command, now: datetime) -> tuple[Self, str]:
        split = self.route.split(str(command.given.get("split") or "")) or self.split
        if split is None or self.attempt.state == READY:
            raise CommandRefused("The run hasn't started.")
        wanted = {}
        for kind in (FIGHT, WAY):
            raw = str(command.given.get(kind, "")).strip()
            if raw:
                if not raw.isdecimal() or int(raw) > MOST_HITS:
                    raise InvalidField(f"Give a whole number from 0 to {MOST_HITS}.")
                wanted[kind] = int(raw)
        had = self.attempt.of(split.id)
        told = had._replace(**wanted)
        attempt = replace(self.attempt, counts={**self.attempt.counts, split.id: told})
        words = f"{split.name}: {had.fight + had.way} → {told.fight + told.way}"
        return replace(self, attempt=attempt), words

    def _choose_route(self, command: Command, now: datetime) -> tuple[Self, str]:
        wanted = str(command.given.get("route") or "")
        route = self.route_of(wanted) or next(
            (one for one in self.routes if one.name.casefold() == wanted.casefold()), None
        )
        if route is None:
            raise CommandRefused(
                f"There is no route “{wanted[:40]}”. There are: "
                f"{', '.join(one.name for one in self.routes) or 'none yet'}."
            )
        if route.id == self.route_id:
            raise CommandRefused(f"“{route.name}” is run already.")
        if self.attempt.state != READY:
            raise CommandRefused(f"“{self.route.name}” is being run. Start over first.")
        return replace(self, route_id=route.id).limited(), f"{self.route.name or 'no route'} → {route.name}"

    def _undo(self, command: Command, now: datetime) -> tuple[Self, str]:
        if not self.presses:
            raise CommandRefused("Nothing to undo.")
        words = self.presses[-1].words
        back = self.taken_back()
        if back.attempt.began and not back.attempt.through and back.route.place(back.attempt.at) is None:
            # Its split was taken out of the route meanwhile.
            first = back.route.splits[0].id if back.route.splits else ""
            back = replace(back, attempt=replace(back.attempt, at=first))
        return back, f"undone: {words}"

    # What it tells

    def read(self, now: datetime) -> Told:
        """The present value of each of its signals."""
        return signals.told_of(self, micros(now))

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """What its texts may come to."""
        return signals.extremes_of(self)

    def view(self, at: datetime) -> Mapping[str, Any]:
        """What its pages show."""
        return view_of(self, micros(at))


MOST_HITS = 9_999
PRESSED = frozenset(("hit", "way_hit", "hit_back", "next", "previous", "start_over", "pause", "undo"))
"""Presses of which two at once are one, if that is chosen."""
