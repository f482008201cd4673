"""No more often than: who may set a cue off now, who waits for his turn, and who is told no, and why.

A cue is busy from when it fired until its wait and all that it does are over. All instants are those of the log.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.values import Scalar

QUEUE, REPLACE, DROP = "queue", "replace", "drop"
BUSY = ((QUEUE, "add to the queue"), (REPLACE, "replace the last in the queue"), (DROP, "refuse"))
MOST_WAITING = 20
KEPT_PERSONS = 500
"""Of so many people it is remembered when they last set a cue off."""


@dataclass(frozen=True, slots=True)
class Cause:
    """What set a cue off. `key` is the same whenever the log is read; `seq` its place there, 0 for what has none.

    `person` is who did it, where it was somebody; `fields` what wordings may say of it.
    """

    key: str
    at: datetime
    words: str
    person: str = ""
    seq: int = 0
    fields: Mapping[str, Scalar] = field(default_factory=dict)

    def saved(self) -> dict[str, Any]:
        """The cause as it is stored and logged."""
        return {
            "key": self.key,
            "at": self.at.isoformat(),
            "words": self.words,
            "person": self.person,
            "seq": self.seq,
            "fields": dict(self.fields),
        }


def cause_of(saved: Mapping[str, Any]) -> Cause:
    """A cause that was stored."""
    return Cause(
        str(saved["key"]),
        datetime.fromisoformat(str(saved["at"])),
        str(saved["words"]),
        str(saved["person"]),
        int(saved["seq"]),
        dict(saved["fields"]),
    )


@dataclass(frozen=True, slots=True)
class Limits:
    """How often a cue may fire.

    `rests_s` is for how long it is busy after it fired, `person_s` for how long one person must wait. `may_wait` is how
    many may wait while it is busy; `busy` what becomes of a further one.
    """

    rests_s: float = 0.0
    person_s: float = 0.0
    may_wait: int = 0
    busy: str = QUEUE


@dataclass(frozen=True, slots=True)
class Answer:
    """What becomes of a cause: it `fires`, it `waits`, or neither, and why; `at` is when that is.

    `instead_of` is the one that waited and lost its place to it.
    """

    cause: Cause
    at: datetime
    fires: bool = False
    waits: bool = False
    why: str = ""
    instead_of: Cause | None = None


@dataclass(frozen=True, slots=True)
class Turns:
    """How a cue stands with its limits: when it last fired, who waits, and when each person last set it off."""

    fired_at: datetime | None = None
    waiting: tuple[Cause, ...] = ()
    persons: Mapping[str, datetime] = field(default_factory=dict)

    def free_at(self, limits: Limits) -> datetime | None:
        """From when on it may fire; None when it may since ever."""
        return self.fired_at + timedelta(seconds=limits.rests_s) if self.fired_at is not None else None

    def is_free(self, limits: Limits, at: datetime) -> bool:
        """Whether it may fire at this instant. What comes late and claims an earlier one finds it as busy as it is."""
        free_at = self.free_at(limits)
        return free_at is None or at >= free_at

    def shifted(self, by: timedelta) -> Turns:
        """The same after the machine's clock was set by so much: what was so long ago still is."""
        return Turns(
            self.fired_at + by if self.fired_at is not None else None,
            tuple(replace(one, at=one.at + by) for one in self.waiting),
            {name: at + by for name, at in self.persons.items()},
        )

    def ask(self, cause: Cause, limits: Limits) -> tuple[Turns, Answer]:
        """Somebody or something wants it to fire, at the cause's instant."""
        at = cause.at
        if (since := self._since(cause.person, at)) is not None and since < limits.person_s:
            why = f"{cause.person} set it off {_seconds(since)} ago; {_seconds(limits.person_s - since, True)} left"
            return self, Answer(cause, at, why=why)
        if not self.waiting and self.is_free(limits, at):
            return self._fired(cause, at), Answer(cause, at, fires=True)
        return self._wait(cause, limits)

    def _wait(self, cause: Cause, limits: Limits) -> tuple[Turns, Answer]:
        if limits.may_wait and limits.busy != DROP:
            if len(self.waiting) < limits.may_wait:
                return self._with(cause, (*self.waiting, cause)), Answer(cause, cause.at, waits=True)
            if limits.busy == REPLACE:
                lost = self.waiting[-1]
                kept = self._without(lost.person)
                return kept._with(cause, (*self.waiting[:-1], cause)), Answer(
                    cause, cause.at, waits=True, instead_of=lost
                )
        free_at = self.free_at(limits)
        left_s = min((free_at - cause.at).total_seconds(), limits.rests_s) if free_at else 0.0
        crowd = f", and {len(self.waiting)} wait already" if self.waiting else ""
        return self, Answer(cause, cause.at, why=f"not now: {_seconds(max(left_s, 0.0), True)} left{crowd}")

    def step(self, limits: Limits, at: datetime) -> tuple[Turns, Answer | None]:
        """Let the next one fire whose turn has come by this instant, at the instant at which it came."""
        if not self.waiting or not self.is_free(limits, at):
            return self, None
        cause, free_at = self.waiting[0], self.free_at(limits)
        fires_at = at if free_at is None or free_at > at else max(free_at, cause.at)
        left = replace(self, waiting=self.waiting[1:])
        return left._fired(cause, fires_at), Answer(cause, fires_at, fires=True)

    def fired(self, cause: Cause, at: datetime) -> Turns:
        """It has fired for this cause, as the log tells; whoever waited for that waits no more."""
        left = tuple(one for one in self.waiting if one.key != cause.key)
        return replace(self, waiting=left)._fired(cause, at)

    def queued(self, cause: Cause, instead_of: str = "") -> Turns:
        """It waits, as the log tells."""
        lost = next((one for one in self.waiting if one.key == instead_of), None)
        kept = self._without(lost.person) if lost else self
        left = tuple(one for one in self.waiting if one.key not in (cause.key, instead_of))
        return kept._with(cause, (*left, cause))

    def cleared(self) -> Turns:
        """Nobody waits any more."""
        return replace(self, waiting=())

    def _since(self, person: str, at: datetime) -> float | None:
        last = self.persons.get(person.casefold()) if person else None
        return max((at - last).total_seconds(), 0.0) if last is not None else None

    def _fired(self, cause: Cause, at: datetime) -> Turns:
        return replace(self._with(cause, self.waiting), fired_at=at)

    def _with(self, cause: Cause, waiting: tuple[Cause, ...]) -> Turns:
        persons = dict(self.persons)
        if cause.person:
            name = cause.person.casefold()
            persons.pop(name, None)
            persons[name] = max(cause.at, self.persons.get(name, cause.at))
            while len(persons) > KEPT_PERSONS:
                del persons[next(iter(persons))]
        return replace(self, waiting=waiting, persons=persons)

    def _without(self, person: str) -> Turns:
        """Who lost his place may try again."""
        return replace(self, persons={name: at for name, at in self.persons.items() if name != person.casefold()})

    def saved(self) -> dict[str, Any]:
        """As it is stored."""
        return {
            "fired_at": self.fired_at.isoformat() if self.fired_at else None,
            "waiting": [one.saved() for one in self.waiting],
            "persons": {name: at.isoformat() for name, at in self.persons.items()},
        }


def turns_of(saved: Mapping[str, Any]) -> Turns:
    """How a cue stood that was stored."""
    fired_at = saved.get("fired_at")
    return Turns(
        datetime.fromisoformat(str(fired_at)) if fired_at else None,
        tuple(cause_of(one) for one in saved.get("waiting", ())),
        {str(name): datetime.fromisoformat(str(at)) for name, at in saved.get("persons", {}).items()},
    )


def _seconds(seconds: float, up: bool = False) -> str:
    """A length in whole seconds; what is left is told upwards, so that nobody is promised too much."""
    whole = int(-(-seconds // 1)) if up else int(seconds)
    return f"{whole} s" if whole < 600 else f"{-(-whole // 60) if up else whole // 60} min"
