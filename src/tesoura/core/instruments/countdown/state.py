"""What a countdown shows and when it changes: by its target, never by ticks added up."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from functools import lru_cache
from typing import Any, Self

from tesoura.core.computed.occurrence import Occurrence, instant, micros
from tesoura.core.effects import SCENE, SOUND, Effect
from tesoura.core.forms.durations import brief
from tesoura.core.instruments.base import Fired, Instrument, Told
from tesoura.core.instruments.countdown.plan import DOWN, UP, CountdownMark, CountdownPlan
from tesoura.core.instruments.countdown.time_text import (
    DAY,
    HOUR,
    LAST_TEN,
    MINUTE,
    SECOND,
    TENTH,
    Writing,
    time_of_day,
)
from tesoura.core.language.widths import rough_width
from tesoura.core.signals.extremes import Extremes
from tesoura.core.values import Scalar
from tesoura.errors import InvalidField

READY, RUNNING, PAUSED, ENDED, OVER = "ready", "running", "paused", "ended", "over"
RESCHEDULED = "rescheduled"
"""Ends the type of the event that its calendar event starts at another time: `starts_at`, in seconds since 1970."""
HEARD_FOR = timedelta(seconds=5)
"""A sound or a scene that comes later than this after its moment comes no more."""
TRIAL_US, TRIAL_END_US = 5 * SECOND, 8 * SECOND
SAMPLE_US = 272 * SECOND
CLOCK_SET = "tesoura.clock_set"


@dataclass(frozen=True, slots=True)
class Counting(Instrument):
    """A countdown, a count up, or a clock, as far as it goes by itself.

    While it runs, `target` is the instant at which it ends, or for one that counts up began, and `set_at` when that was
    set. While it is paused, `held_us` is what is left, or has gone. `length_us` is what its share is of. `trial` is the
    instant of an end that is only shown. `fired` are the marks of this target that are in the log.
    """

    plan: CountdownPlan
    target: datetime | None = None
    set_at: datetime | None = None
    held_us: int | None = None
    length_us: int = 0
    dismissed: bool = False
    trial: datetime | None = None
    fired: frozenset[str] = frozenset()
    undone_to: Self | None = None
    rescheduled: str = ""
    """The id of the event that its target, just read from the calendar, is not in the log yet; empty when it is."""

    @property
    def up(self) -> bool:
        """Whether it counts up."""
        return self.plan.counts in UP

    def state(self, now: datetime) -> str:
        """Whether it is ready, running, paused, ended (its last words are shown) or over."""
        if self.plan.counts == "clock":
            return RUNNING
        if self.held_us is not None:
            return PAUSED
        if self.target is None:
            return READY
        if self.up or now < self.target:
            return RUNNING
        if self.dismissed:
            return OVER
        return ENDED if not self.plan.end_us or now < self._gone_at(self.target) else OVER

    def _gone_at(self, target: datetime) -> datetime:
        return target + timedelta(microseconds=self.plan.end_us)

    def _last(self) -> str:
        return self.plan.end_words or self.plan.writing.counting_down(0)

    # Events and signals

    def on_event(self, event: Occurrence) -> Self:
        """A mark of its own is in the log; or the machine's clock was set, which a length of time does not mind."""
        if event.type == CLOCK_SET:
            return self._shifted(timedelta(seconds=seconds(event.data.get("by_s"))))
        if event.type == f"{self.plan.name}.{RESCHEDULED}":
            return self._to(_instant(event.data.get("starts_at")), instant(event.at))
        id = str(event.data.get("of", ""))
        return replace(self, fired=self.fired | {id}) if id else self

    def _shifted(self, by: timedelta) -> Self:
        """The same after the machine's clock was set: a length of time goes on, and what it has fired stays fired."""
        if self.plan.counts not in ("duration", "up"):
            return self
        undone_to = self.undone_to._shifted(by) if self.undone_to else None
        trial = self.trial + by if self.trial else None
        if self.target is None or self.set_at is None:
            return replace(self, trial=trial, undone_to=undone_to)
        fired = self.fired
        for before, after in ((self.target, self.target + by), *([(self.trial, trial)] if trial else [])):
            assert before is not None
            fired = frozenset(id.replace(before.isoformat(), after.isoformat(), 1) for id in fired)
        return replace(
            self, target=self.target + by, set_at=self.set_at + by, trial=trial, fired=fired, undone_to=undone_to
        )

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Self:
        """Return it counting to the calendar event's present time. One that has just ended keeps its last words."""
        target = _instant(values.get(self.plan.signal))
        if target == self.target or (self.target is not None and self.state(now) == ENDED):
            return self
        # The same id however often it is read before it is logged, and another one each time it is moved.
        id = f"{RESCHEDULED}:{_text(self.set_at)}:{target.isoformat()}" if target else ""
        return replace(self._to(target, now), rescheduled=id)

    def _to(self, target: datetime | None, now: datetime) -> Self:
        length = micros(target) - micros(now) if target else 0
        return replace(self, target=target, set_at=now, length_us=length, dismissed=False, fired=frozenset())

    def _us(self, now: datetime) -> int:
        """What is left, or for one that counts up has gone."""
        if self.held_us is not None:
            return self.held_us
        if self.target is None:
            return 0 if self.up else self.plan.length_us
        gone = micros(now) - micros(self.target)
        return max(gone if self.up else -gone, 0)

    def text(self, now: datetime) -> str | None:
        """What viewers see now; empty for nothing, None while it is not known what to count to."""
        plan = self.plan
        if self.trial is not None and (tried := self._trial_text(self.trial, now)) is not None:
            return tried
        if plan.counts == "clock":
            shown = time_of_day(now.astimezone(plan.zone), plan.clock, plan.date, plan.writing.leading)
            return plan.writing.before + shown + plan.writing.after
        state = self.state(now)
        if state == OVER:
            return ""
        if state == ENDED:
            return self._last()
        if state == READY and plan.counts in ("event", "session", "since"):
            return None
        if state == READY and (plan.ready == "nothing" or plan.counts == "time"):
            return ""
        us = self._us(now)
        return plan.writing.counting_up(us) if self.up else plan.writing.counting_down(us)

    def _trial_text(self, trial: datetime, now: datetime) -> str | None:
        left = micros(trial) - micros(now)
        if left > 0:
            return self.plan.writing.counting_down(left)
        return self._last() if -left < min(self.plan.end_us or TRIAL_END_US, TRIAL_END_US) else None

    def read(self, now: datetime) -> Told:
        """Its text, the time alone, the seconds, the share that has gone, its state, and when it ends."""
        plan, text = self.plan, self.text(now)
        if plan.counts == "clock":
            return {"text": text, "state": RUNNING}
        us, state = self._us(now), self.state(now)
        known = text is not None
        if self.up:
            return {
                "text": text,
                "time": plan.writing.time(us) if known else None,
                "gone_s": us // SECOND if known else None,
                "state": state,
            }
        shown = plan.writing.shown_us(us)
        share = 1 - min(shown / self.length_us, 1) if self.length_us else float(state in (ENDED, OVER))
        return {
            "text": text,
            "time": plan.writing.left(us) if known else None,
            "left_s": -(-shown // SECOND) if known else None,
            "share": round(share, 4) if known else None,
            "state": state,
            "ends_at": round(self.target.timestamp(), 3) if self.target else None,
        }

    def next_change(self, now: datetime) -> datetime | None:
        """When the text changes next."""
        due = [at for at in (self._own_change(now), self._trial_change(now)) if at is not None]
        return min(due, default=None)

    def _own_change(self, now: datetime) -> datetime | None:
        plan, state = self.plan, self.state(now)
        if plan.counts == "clock":
            size = SECOND if plan.clock.endswith("s") else MINUTE
            return instant((micros(now) // size + 1) * size)
        if state == RUNNING:
            assert self.target is not None
            us = self._us(now)
            if self.up:
                return self.target + timedelta(microseconds=(us // SECOND + 1) * SECOND)
            return self.target - timedelta(microseconds=plan.writing.step_us(us))
        return self._gone_at(self.target) if state == ENDED and plan.end_us and self.target else None

    def _trial_change(self, now: datetime) -> datetime | None:
        if self.trial is None:
            return None
        left = micros(self.trial) - micros(now)
        if left > 0:
            return self.trial - timedelta(microseconds=self.plan.writing.step_us(left))
        over = self.trial + timedelta(microseconds=min(self.plan.end_us or TRIAL_END_US, TRIAL_END_US))
        return over if over > now else None

    # Marks

    def fires(self, now: datetime) -> Sequence[Fired]:
        """The marks that were passed by now and are not in the log yet, or that it counts to another time."""
        if self.rescheduled and self.target is not None:
            data = {"countdown": self.plan.title, "starts_at": micros(self.target) / SECOND}
            return [Fired(self.rescheduled, f"{self.plan.name}.{RESCHEDULED}", now, data)]
        found = list(self._passed(self.target, self.set_at, now, False))
        if self.trial is not None:
            found += self._passed(self.trial, self.trial - timedelta(seconds=5), now, True)
        return sorted(found, key=lambda one: one.at)

    def _passed(self, target: datetime | None, since: datetime | None, now: datetime, trial: bool) -> Iterator[Fired]:
        if target is None or since is None:
            return
        for mark in self.plan.marks:
            at = target - timedelta(microseconds=mark.left_us)
            id = f"{target.isoformat()}:{mark.left_us // SECOND}" + (":trial" if trial else "")
            if since < at <= now and id not in self.fired:
                data: dict[str, Any] = {"countdown": self.plan.title, "left_s": mark.left_us // SECOND, "of": id}
                data |= {"trial": True} if trial else {}
                yield Fired(id, mark_type(self.plan.name, mark), at, data, self._effects(mark, at, trial))

    def _effects(self, mark: CountdownMark, at: datetime, trial: bool) -> Sequence[Effect]:
        """What a mark lets be heard and seen; one that is tried changes no scene."""
        until, effects = at + HEARD_FOR, []
        if mark.sound:
            effects.append(Effect(SOUND, self.plan.name, {"sound": mark.sound}, until))
        if mark.scene and not trial:
            effects.append(Effect(SCENE, mark.scene, not_after=until))
        return effects

    # The fit check, and a restart

    def view(self, at: datetime) -> Mapping[str, Any]:
        """What it says in its last five seconds, a second each, and its last words: its end, to be looked at."""
        if self.plan.counts not in DOWN:
            return {}
        return {"ending": [*(self.plan.writing.counting_down(one * SECOND) for one in (5, 4, 3, 2, 1)), self._last()]}

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """The widest text, as if it had become twice as long; and its last word."""
        plan, writing = self.plan, self.plan.writing
        if plan.counts == "clock":
            shown = _widest(
                writing.before + _eights(time_of_day(one, plan.clock, plan.date, writing.leading)) + writing.after
                for one in _CLOCK_WIDEST
            )
            return {"text": Extremes(shown, shown, shown)}
        if self.up:
            # In doublings of ten hours, so that one that goes on is not measured anew each second.
            doubled, length = 2 * max(self._us(at), self.length_us), 10 * HOUR - SECOND
            while length < doubled:
                length = 2 * length + SECOND
            widest, clock = widest_of(writing, length, up=True)
            return {"text": Extremes(widest, widest, writing.counting_up(SAMPLE_US)), "time": Extremes(clock, clock)}
        length = 2 * max(self.length_us, plan.length_us) or 24 * HOUR - SECOND
        widest, clock = widest_of(writing, length)
        return {
            "text": Extremes(widest, self._last(), writing.counting_down(SAMPLE_US)),
            "time": Extremes(clock, writing.left(0), writing.left(SAMPLE_US)),
            "share": Extremes(sample=0.4),
        }

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return {
            "target": _text(self.target),
            "set_at": _text(self.set_at),
            "held_us": self.held_us,
            "length_us": self.length_us,
            "dismissed": self.dismissed,
            "trial": _text(self.trial),
            "fired": sorted(self.fired),
            "undone_to": self.undone_to.saved() if self.undone_to else None,
        }


def upcoming(countdown: Counting, now: datetime, count: int) -> list[tuple[datetime, str]]:
    """The next changes of the text: when, and to what."""
    found: list[tuple[datetime, str]] = []
    text, at = countdown.text(now), countdown.next_change(now)
    while at is not None and len(found) < count:
        if (new := countdown.text(at)) != text:
            found.append((at, new or ""))
            text = new
        at = countdown.next_change(at)
    return found


def mark_type(name: str, mark: CountdownMark) -> str:
    """The type of the event that a mark is in the log."""
    if not mark.left_us:
        return f"{name}.ended"
    return f"{name}.at_{brief(timedelta(microseconds=mark.left_us)).replace(' ', '_')}"


_CLOCK_WIDEST = [datetime(2028, month, day, 22, 58, 58, tzinfo=UTC) for month in range(1, 13) for day in range(22, 29)]
"""Each weekday in each month, with two digits in every place."""


def _widest(texts: Iterable[str]) -> str:
    return max(texts, key=rough_width)


@lru_cache(maxsize=256)
def widest_of(writing: Writing, longest_us: int, up: bool = False) -> tuple[str, str]:
    """The widest whole text, and the widest time alone, of all lengths up to this one; their digits are eights.

    A text is the wider, the more units it shows and the more digits each has: so the least length is tried for every
    choice of units and of the digits that each has.
    """
    days, hours, minutes = (
        {0, 1, 8, 10, 100, 1_000, 10_000, longest_us // unit, max(longest_us // unit - 1, 0)}
        for unit in (DAY, HOUR, MINUTE)
    )
    lengths = {
        day * DAY + hour * HOUR + minute * MINUTE + second * SECOND
        for day in days
        for hour in hours
        for minute in minutes
        for second in (0, 8, 10)
    }
    lengths |= {longest_us, longest_us // 2, MINUTE, HOUR, DAY, MINUTE - SECOND, LAST_TEN - TENTH, 0}
    fitting = [us for us in lengths if 0 <= us <= longest_us]
    whole, time = (writing.counting_up, writing.time) if up else (writing.counting_down, writing.left)
    return _widest({_eights(whole(us)) for us in fitting}), _widest({_eights(time(us)) for us in fitting})


def _eights(text: str) -> str:
    return re.sub(r"\d", "8", text)


def seconds(raw: object) -> float:
    """A check for so many seconds, before zero too."""
    if isinstance(raw, bool) or not isinstance(raw, int | float) or not abs(raw) < 1e9:
        raise InvalidField("Give the seconds as a number.")
    return float(raw)


def _instant(value: object) -> datetime | None:
    if isinstance(value, bool) or not isinstance(value, int | float):
        return None
    return instant(round(value * SECOND))


def _text(at: datetime | None) -> str | None:
    return at.isoformat() if at else None
