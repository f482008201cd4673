"""A cue as it stands: what it has heard, who waits, what it has decided and the log does not know yet.

It takes its events at their own place in the log, and decides once it knows the values that they led to. What it
decided goes into the log, and comes back from there: so the log read again brings it to the same, and nothing fires
twice.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any, Protocol

from tesoura.core.computed.occurrence import Occurrence, instant
from tesoura.core.cues.limits import Answer, Cause, Limits, Turns, cause_of, turns_of
from tesoura.core.cues.triggers import Seen, Trigger, seen_of
from tesoura.core.effects import Effect
from tesoura.core.instruments.base import Fired, Instrument, Step, Told
from tesoura.core.instruments.commands import Command
from tesoura.core.values import INSTANT, Scalar

RECORD = "tesoura.cue."
"""How the type of an event begins that tells what a cue decided, its name behind it."""
FIRES, WAITS, REFUSED = "fires", "waits", "refused"
IN_TIME = timedelta(minutes=2)
"""What happened longer ago than this when it comes is nobody's moment any more."""
MOST_ASKED = 2_000
"""So many causes are decided in one go; those beyond are counted in the last refusal."""
MOST_TOLD = 5
"""So many refusals of one go stand in the log each by itself."""
OUTPUTS = {"state": "", "fired": "", "waiting": "", "free_at": INSTANT, "last": ""}
CLOCK_SET = "tesoura.clock_set"
OFF, READY, RESTS = "off", "ready", "rests"
LIVE, CRASHED, NEW = "live", "crashed", "new"


class Conditions(Protocol):
    """What must be true beside: the first of it that is not, in words."""

    def unmet(self, values: Mapping[str, Scalar]) -> str | None:
        """Why it may not fire now; None when it may."""
        ...

    @property
    def reads(self) -> tuple[str, ...]:
        """The signals that it depends on."""
        ...


class Program(Protocol):
    """What is done: effects in their order, each so long after the first."""

    def effects(self, cause: Cause, values: Mapping[str, Scalar], at: datetime) -> Sequence[Effect]:
        """The effects of one firing."""
        ...

    @property
    def reads(self) -> tuple[str, ...]:
        """The signals that its wordings say."""
        ...


@dataclass(frozen=True, slots=True)
class CuePlan:
    """What a cue is set up with, ready for use. `late` says that what a crash left undone is done all the same."""

    name: str
    title: str
    trigger: Trigger
    conditions: Conditions
    program: Program
    limits: Limits
    late: bool = False


@dataclass(frozen=True, slots=True)
class Cue(Instrument):
    """A cue that runs; one of the instruments, by its shape."""

    plan: CuePlan
    on: bool = True
    turns: Turns = field(default_factory=Turns)
    logged: Turns = field(default_factory=Turns)
    """The turns as the log knows them, without what is still on its way there."""
    seen: Seen = field(default_factory=Seen)
    asked: tuple[Cause, ...] = ()
    """What wants it to fire and is not decided yet."""
    passed_over: int = 0
    outbox: tuple[Fired, ...] = ()
    """What it decided and the log has not told back yet."""
    count: int = 0
    last: str = ""
    before: str = LIVE
    """Whether what is asked at its first look comes from before a crash, or from before there was this cue."""

    # What it hears

    def on_event(self, event: Occurrence) -> Cue:
        """Take an event that may set it off, or its own decision as the log tells it."""
        if event.type == RECORD + self.plan.name:
            return self._told(event)
        if event.type == CLOCK_SET:
            by = timedelta(seconds=float(str(event.data.get("by_s", 0.0))))
            return replace(self, turns=self.turns.shifted(by), logged=self.logged.shifted(by))
        return self._ask(self.plan.trigger.of_event(event)) if self.on else self

    def _ask(self, cause: Cause | None) -> Cue:
        if cause is None:
            return self
        if len(self.asked) >= MOST_ASKED:
            return replace(self, passed_over=self.passed_over + 1)
        return replace(self, asked=(*self.asked, cause))

    def _told(self, event: Occurrence) -> Cue:
        outcome, cause = str(event.data.get("outcome")), cause_of(event.data["cause"])  # type: ignore[arg-type]
        fired_id = f"{cause.key}:{outcome}"
        mine = any(one.id == fired_id for one in self.outbox)
        instead_of = str(event.data.get("instead_of", ""))
        it = replace(
            self,
            logged=_after(self.logged, outcome, cause, instant(event.at), instead_of),
            outbox=tuple(one for one in self.outbox if one.id != fired_id),
        )
        if outcome == FIRES:
            it = replace(it, count=it.count + 1, last=cause.words)
        if mine:
            return it
        # It was decided by an earlier run: the log alone says so.
        seen = replace(it.seen, armed=False) if outcome == FIRES and it.seen.armed else it.seen
        left = tuple(one for one in it.asked if one.key != cause.key)
        return replace(it, turns=_after(it.turns, outcome, cause, instant(event.at), instead_of), seen=seen, asked=left)

    # What it decides

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Cue:
        """Decide all that wants it to fire, knowing these values."""
        seen, cause = self.plan.trigger.see(self.seen, values, now)
        it = replace(self, seen=seen, asked=() if self.before == NEW else self.asked)
        if self.on:
            it = it._ask(cause)
        if it.asked or it.turns.waiting:
            it = it._decided(values, now)
        return replace(it, before=LIVE)

    def _decided(self, values: Mapping[str, Scalar], now: datetime) -> Cue:
        it, out, refused = replace(self, asked=()), list[Fired](), list[Answer]()
        for cause in self.asked:
            if self.before == CRASHED and self.plan.late:
                # It is done now, and counts as of now.
                cause = replace(cause, at=now)
            it = it._stepped(cause.at, values, out)
            if why := self._too_late(cause, now) or self.plan.conditions.unmet(values):
                refused.append(Answer(cause, cause.at, why=why))
                continue
            turns, answer = it.turns.ask(cause, self.plan.limits)
            it = replace(it, turns=turns)
            if answer.instead_of is not None:
                refused.append(Answer(answer.instead_of, cause.at, why="replaced by a newer one"))
            if answer.fires or answer.waits:
                self._put(answer, values, out)
            else:
                refused.append(answer)
        it = it._stepped(now, values, out)
        out += self._refusals(refused)
        return replace(it, outbox=(*it.outbox, *out), passed_over=0)

    def _too_late(self, cause: Cause, now: datetime) -> str | None:
        if self.before == CRASHED:
            return None if self.plan.late else "Tesoura stopped before it could"
        return "too late" if cause.at < now - IN_TIME else None

    def _stepped(self, at: datetime, values: Mapping[str, Scalar], out: list[Fired]) -> Cue:
        """Let those fire whose turn has come by this instant."""
        it = self
        while True:
            turns, answer = it.turns.step(it.plan.limits, at)
            if answer is None:
                return it
            it = replace(it, turns=turns)
            self._put(answer, values, out)

    def _put(self, answer: Answer, values: Mapping[str, Scalar], out: list[Fired]) -> None:
        cause, outcome = answer.cause, FIRES if answer.fires else WAITS
        data: dict[str, Any] = {"outcome": outcome, "cause": cause.saved(), "words": cause.words}
        if answer.instead_of is not None:
            data["instead_of"] = answer.instead_of.key
        effects = self.plan.program.effects(cause, values, answer.at) if answer.fires else ()
        if effects:
            # So that after a crash it can be told how many were left undone.
            data["effects"] = len(effects)
        out.append(
            Fired(f"{cause.key}:{outcome}", RECORD + self.plan.name, answer.at, data, effects, cause.seq or None)
        )

    def _refusals(self, refused: Sequence[Answer]) -> list[Fired]:
        """Each of the first few by itself; of a crowd the last of them tells how many more there were."""
        more = max(len(refused) - MOST_TOLD, 0) + self.passed_over
        out = []
        for at, one in enumerate(refused[:MOST_TOLD]):
            data: dict[str, Any] = {"outcome": REFUSED, "cause": one.cause.saved(), "words": one.cause.words}
            data |= {"why": one.why, **({"more": more} if more and at == min(len(refused), MOST_TOLD) - 1 else {})}
            out.append(
                Fired(f"{one.cause.key}:{REFUSED}", RECORD + self.plan.name, one.at, data, cause=one.cause.seq or None)
            )
        return out

    # The shape of an instrument

    def _on(self, command: Command, now: datetime) -> Step:
        on = command.name == "on"
        after = replace(self, on=on) if on else self._alone(on=False)
        words = "Turned on." if on else "Turned off."
        return Step(after, words, undo=("off" if on else "on", {}) if on != self.on else None)

    _off = _on

    def _clear(self, command: Command, now: datetime) -> Step:
        return Step(self._alone(on=self.on), f"{len(self.turns.waiting)} wait no more.")

    def _press(self, command: Command, now: datetime) -> Step:
        by = " ".join(str(command.given.get("by", "")).split())[:60]
        person = " ".join(str(command.given.get("person", "")).split())[:60]
        cause = Cause(f"press {command.seq}", now, f"pressed by {by}" if by else "pressed", person, command.seq)
        _, answer = self.turns.ask(cause, self.plan.limits)
        words = "Running now." if answer.fires else "Queued." if answer.waits else f"{answer.why}."
        given = {name: value for name, value in (("by", by), ("person", person)) if value}
        return Step(self._ask(cause), words[0].upper() + words[1:], given)

    def _alone(self, on: bool) -> Cue:
        """Nobody waits any more."""
        return replace(self, on=on, asked=(), turns=self.turns.cleared(), logged=self.logged.cleared())

    def read(self, now: datetime) -> Told:
        """How it stands, how often it fired, how many wait, when it may fire again, and what set it off last."""
        free_at = self.turns.free_at(self.plan.limits)
        rests = free_at is not None and not self.turns.is_free(self.plan.limits, now)
        state = OFF if not self.on else WAITS if self.turns.waiting else RESTS if rests else READY
        return {
            "state": state,
            "fired": self.count,
            "waiting": len(self.turns.waiting),
            "free_at": free_at.timestamp() if rests and free_at else None,
            "last": self.last or None,
        }

    def next_change(self, now: datetime) -> datetime | None:
        """When somebody's turn comes, when it is ready again, or when its trigger's time comes."""
        if not self.on:
            return None
        free_at = self.turns.free_at(self.plan.limits)
        due = [self.plan.trigger.next_change(self.seen, now), free_at if free_at and free_at > now else None]
        return min((at for at in due if at is not None), default=None)

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What it decided."""
        return self.outbox

    def view(self, at: datetime) -> Mapping[str, Any]:
        """Who waits, for its page."""
        return {"waiting": self.turns.waiting, "on": self.on}

    def saved(self) -> dict[str, Any]:
        """How it stands. What it decided and the log has not told back is asked again."""
        undecided = [cause_of(one.data["cause"]) for one in self.outbox]
        return {
            "on": self.on,
            "turns": self.logged.saved(),
            "seen": self.seen.saved(),
            "count": self.count,
            "last": self.last,
            "asked": [one.saved() for one in (*undecided, *self.asked)],
        }


def restored(plan: CuePlan, saved: Mapping[str, Any]) -> Cue:
    """A cue as it stood."""
    turns = turns_of(saved["turns"])
    return Cue(
        plan,
        bool(saved["on"]),
        turns,
        turns,
        seen_of(saved["seen"]),
        tuple(cause_of(one) for one in saved["asked"]),
        count=int(saved["count"]),
        last=str(saved["last"]),
        before=CRASHED,
    )


def _after(turns: Turns, outcome: str, cause: Cause, at: datetime, instead_of: str) -> Turns:
    """How the turns stand after what the log tells."""
    if outcome == FIRES:
        return turns.fired(cause, at)
    return turns.queued(cause, instead_of) if outcome == WAITS else turns
