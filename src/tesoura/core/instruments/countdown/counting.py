"""A countdown as it stands: by its target, never by ticks added up."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from tesoura.core.checks import InvalidField
from tesoura.core.computed.happening import Happening, instant, micros
from tesoura.core.durations import LONGEST, brief, duration, signed, time_to_come
from tesoura.core.extremes import Extremes
from tesoura.core.instruments.countdown.plan import COMMANDED, UP, Mark, Plan
from tesoura.core.instruments.countdown.writing import HOUR, LAST_TEN, MINUTE, SECOND, TENTH, time_of_day
from tesoura.core.instruments.kind import Command, Fired, Refused, Step, Told
from tesoura.core.values import Scalar

READY, RUNNING, PAUSED, ENDED, OVER = "ready", "running", "paused", "ended", "over"
TRIAL_US, TRIAL_END_US = 5 * SECOND, 8 * SECOND
CLOCK_SET = "tesoura.clock_set"


@dataclass(frozen=True, slots=True)
class Countdown:
    """A countdown, a count up, or a clock.

    While it runs, `target` is the instant at which it ends, or for one that counts up began, and `set_at` when that was
    set. While it is paused, `held_us` is what is left, or has gone. `length_us` is what its share is of. `trial` is the
    instant of an end that is only shown. `fired` are the marks of this target that are in the log.
    """

    plan: Plan
    target: datetime | None = None
    set_at: datetime | None = None
    held_us: int | None = None
    length_us: int = 0
    dismissed: bool = False
    trial: datetime | None = None
    fired: frozenset[str] = frozenset()
    undone_to: Countdown | None = None

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

    # Commands

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or Refused."""
        act = _ACTS.get(command.name)
        if act is None:
            raise Refused(f"A countdown knows no “{command.name[:30]}”. It knows {', '.join(sorted(_ACTS))}.")
        if self.plan.counts not in COMMANDED and command.name not in ("dismiss", "show_end"):
            raise Refused("This one goes by itself. Change what it counts on its page.")
        step = act(self, command.given, now)
        after = step.after
        assert isinstance(after, Countdown)
        if command.name not in ("undo", "show_end"):
            after = replace(after, undone_to=replace(self, undone_to=None, trial=None))
        return Step(after, step.effect, step.given)

    def _start(self, given: Mapping[str, Any], now: datetime) -> Step:
        if self.state(now) in (RUNNING, PAUSED):
            raise Refused("It runs already. Start it again, or set another time.")
        return self._begin(given, now)

    def _restart(self, given: Mapping[str, Any], now: datetime) -> Step:
        return self._begin(given, now)

    def _begin(self, given: Mapping[str, Any], now: datetime) -> Step:
        if self.up:
            after = replace(self._fresh(), target=now, set_at=now)
            return Step(after, f"counts from {self._clock(now, now)} on")
        until = self._until(given, now)
        after = replace(self._fresh(), target=until, set_at=now, length_us=micros(until) - micros(now))
        return Step(after, self._ends(now, after), {"until": until.isoformat()})

    def _fresh(self) -> Countdown:
        return Countdown(self.plan, length_us=self.plan.length_us)

    def _until(self, given: Mapping[str, Any], now: datetime) -> datetime:
        """The instant that was asked for: `until`, `length` or `to`; without any, that of the plan."""
        if given.get("until"):
            try:
                until = datetime.fromisoformat(str(given["until"]))
            except ValueError:
                raise InvalidField("Give `until` as a date and time with its zone.") from None
            until = (until if until.tzinfo else until.replace(tzinfo=self.plan.zone)).astimezone(UTC)
            if not now < until <= now + LONGEST:
                raise InvalidField("That is over, or more than 366 days off. Give a time to come.")
            return until
        if given.get("length"):
            return now + duration(given["length"])
        if given.get("to"):
            return time_to_come(given["to"], now, self.plan.zone)
        if self.plan.counts == "time":
            return time_to_come(self.plan.to, now, self.plan.zone)
        return now + timedelta(microseconds=self.plan.length_us)

    def _pause(self, given: Mapping[str, Any], now: datetime) -> Step:
        self._must(now, RUNNING, "It does not run, so there is nothing to pause.")
        held = self._us(now)
        after = replace(self, target=None, set_at=None, held_us=held)
        return Step(after, f"stays at {self._plain(held)} until it goes on")

    def _go_on(self, given: Mapping[str, Any], now: datetime) -> Step:
        self._must(now, PAUSED, "It is not paused, so it cannot go on.")
        away = timedelta(microseconds=self.held_us or 0)
        after = replace(self, target=now - away if self.up else now + away, set_at=now, held_us=None)
        return Step(after, "counts on" if self.up else self._ends(now, after))

    def _stop(self, given: Mapping[str, Any], now: datetime) -> Step:
        if self.state(now) == READY:
            raise Refused("It does not run.")
        after = self._fresh()
        return Step(after, f"viewers see {self._seen(after, now)}")

    def _add(self, given: Mapping[str, Any], now: datetime) -> Step:
        by = timedelta(seconds=_seconds(given["by_s"])) if "by_s" in given else signed(given.get("by", ""))
        by_us = round(by.total_seconds() * SECOND)
        state = self.state(now)
        if state not in (RUNNING, PAUSED):
            raise Refused("It does not run. Start it first.")
        us = self._us(now) + by_us
        if us <= 0:
            raise Refused(f"Only {self._plain(self._us(now))} is there to take from. Take less, or stop it.")
        if us > LONGEST.total_seconds() * SECOND:
            raise Refused("That would be more than 366 days.")
        given = {"by_s": by.total_seconds()}
        length = max(self.length_us + by_us, us)
        if state == PAUSED:
            after = replace(self, held_us=us, length_us=length)
            return Step(after, f"{self._plain(self._us(now))} → {self._plain(us)}", given)
        assert self.target is not None
        after = replace(self, target=self.target - by if self.up else self.target + by, set_at=now, length_us=length)
        return Step(after, self._change(now, after), given)

    def _set(self, given: Mapping[str, Any], now: datetime) -> Step:
        state = self.state(now)
        if state not in (RUNNING, PAUSED):
            raise Refused("It does not run. Start it with this time instead.")
        if self.up:
            raise Refused("One that counts up has no end to set. Add or take time.")
        if not any(given.get(name) for name in ("until", "length", "to")):
            raise InvalidField("Say how long it should still go, or until when.")
        until = self._until(given, now)
        left = micros(until) - micros(now)
        given = {"until": until.isoformat()}
        if state == PAUSED:
            after = replace(self, held_us=left, length_us=max(left, self.length_us))
            return Step(after, f"{self._plain(self._us(now))} → {self._plain(left)}", given)
        after = replace(self, target=until, set_at=now, length_us=max(left, self.length_us))
        return Step(after, self._change(now, after), given)

    def _dismiss(self, given: Mapping[str, Any], now: datetime) -> Step:
        self._must(now, ENDED, "There is nothing to dismiss: it has not ended.")
        return Step(replace(self, dismissed=True), f"“{self._last()}” goes")

    def _show_end(self, given: Mapping[str, Any], now: datetime) -> Step:
        if self.up or self.plan.counts == "clock":
            raise Refused("This one has no end.")
        after = replace(self, trial=now + timedelta(microseconds=TRIAL_US))
        return Step(after, f"viewers see its last five seconds and “{self._last()}”; what it counts goes on beneath")

    def _undo(self, given: Mapping[str, Any], now: datetime) -> Step:
        if self.undone_to is None:
            raise Refused("There is nothing to take back.")
        return Step(self.undone_to, f"viewers see {self._seen(self.undone_to, now)}")

    def _must(self, now: datetime, state: str, why_not: str) -> None:
        if self.state(now) != state:
            raise Refused(why_not)

    # In words

    def _clock(self, at: datetime, now: datetime) -> str:
        local, today = at.astimezone(self.plan.zone), now.astimezone(self.plan.zone)
        date = "none" if local.date() == today.date() else "short"
        return time_of_day(local, "24s", date, True).replace(" · ", " ")

    def _ends(self, now: datetime, after: Countdown) -> str:
        assert after.target is not None
        return f"ends at {self._clock(after.target, now)}"

    def _change(self, now: datetime, after: Countdown) -> str:
        if self.up:
            return f"{self._plain(self._us(now))} → {self._plain(after._us(now))}"
        assert self.target is not None
        assert after.target is not None
        return f"ends at {self._clock(self.target, now)} → {self._clock(after.target, now)}"

    def _plain(self, us: int) -> str:
        writing = self.plan.writing
        return writing.time(us) if self.up else writing.left(us)

    def _seen(self, after: Countdown, now: datetime) -> str:
        text = after.text(now)
        return f"“{text}”" if text else "nothing"

    def _last(self) -> str:
        return self.plan.end_words or self.plan.writing.counting_down(0)

    # Events and signals

    def hear(self, event: Happening, now: datetime) -> Countdown:
        """A mark of its own is in the log; or the machine's clock was set, which a length of time does not mind."""
        if event.type == CLOCK_SET:
            by = timedelta(seconds=_seconds(event.data.get("by_s")))
            if self.plan.counts in ("duration", "up") and self.target is not None and self.set_at is not None:
                return replace(self, target=self.target + by, set_at=self.set_at + by)
            return self
        id = str(event.data.get("of", ""))
        return replace(self, fired=self.fired | {id}) if id else self

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Countdown:
        """The calendar's event begins at another time. One that has just ended keeps its last words."""
        value = values.get(self.plan.signal)
        target = None if isinstance(value, str | bool) or value is None else instant(round(value * SECOND))
        if target == self.target or (self.target is not None and self.state(now) == ENDED):
            return self
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
            return {"text": text, "time": plan.writing.time(us) if known else None,
                    "gone_s": us // SECOND if known else None, "state": state}  # fmt: skip
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
        """The marks that were passed by now and are not in the log yet."""
        found = list(self._passed(self.target, self.set_at, now, False))
        if self.trial is not None:
            found += self._passed(self.trial, self.trial - timedelta(seconds=5), now, True)
        return found

    def _passed(self, target: datetime | None, since: datetime | None, now: datetime, trial: bool) -> Iterator[Fired]:
        if target is None or since is None:
            return
        for mark in self.plan.marks:
            at = target - timedelta(microseconds=mark.left_us)
            id = f"{target.isoformat()}:{mark.left_us // SECOND}" + (":trial" if trial else "")
            if since < at <= now and id not in self.fired:
                data: dict[str, Any] = {"countdown": self.plan.title, "left_s": mark.left_us // SECOND, "of": id}
                data |= {"sound": mark.sound} if mark.sound else {}
                data |= {"trial": True} if trial else {"scene": mark.scene} if mark.scene else {}
                yield Fired(id, mark_type(self.plan.name, mark), at, data)

    # The fit check, and a restart

    def extremes(self) -> Mapping[str, Extremes]:
        """The widest text, as if it had become twice as long; and its last word."""
        plan, writing = self.plan, self.plan.writing
        if plan.counts == "clock":
            longest = datetime(2028, 9, 27, 20, 58, 58, tzinfo=UTC)
            shown = writing.before + time_of_day(longest, plan.clock, plan.date, writing.leading) + writing.after
            return {"text": Extremes(shown, shown)}
        if self.up:
            length = max(10 * HOUR - SECOND, 2 * self.length_us)
            widest = _wide(writing.counting_up(length))
            clock = _wide(writing.time(length))
            return {"text": Extremes(widest, widest), "time": Extremes(clock, clock)}
        length = 2 * max(self.length_us, plan.length_us) or 24 * HOUR - SECOND
        times = (length, length // 2, LAST_TEN - TENTH, MINUTE - SECOND)
        widest = max((_wide(writing.counting_down(us)) for us in times), key=len)
        clock = max((_wide(writing.left(us)) for us in times), key=len)
        return {"text": Extremes(widest, self._last()), "time": Extremes(clock, writing.left(0))}

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return {
            "target": _text(self.target), "set_at": _text(self.set_at), "held_us": self.held_us,
            "length_us": self.length_us, "dismissed": self.dismissed, "trial": _text(self.trial),
            "fired": sorted(self.fired), "undone_to": self.undone_to.saved() if self.undone_to else None,
        }  # fmt: skip


def restored(plan: Plan, saved: Mapping[str, Any]) -> Countdown:
    """A countdown as it was stored."""
    return Countdown(
        plan, _when(saved["target"]), _when(saved["set_at"]), saved["held_us"], saved["length_us"],
        saved["dismissed"], _when(saved["trial"]), frozenset(saved["fired"]),
        restored(plan, saved["undone_to"]) if saved["undone_to"] else None,
    )  # fmt: skip


def upcoming(countdown: Countdown, now: datetime, count: int) -> list[tuple[datetime, str]]:
    """The next changes of the text: when, and to what."""
    found: list[tuple[datetime, str]] = []
    text, at = countdown.text(now), countdown.next_change(now)
    while at is not None and len(found) < count:
        if (new := countdown.text(at)) != text:
            found.append((at, new or ""))
            text = new
        at = countdown.next_change(at)
    return found


def mark_type(name: str, mark: Mark) -> str:
    """The type of the event that a mark is in the log."""
    if not mark.left_us:
        return f"{name}.ended"
    return f"{name}.at_{brief(timedelta(microseconds=mark.left_us)).replace(' ', '_')}"


def _wide(text: str) -> str:
    return re.sub(r"\d", "8", text)


def _text(at: datetime | None) -> str | None:
    return at.isoformat() if at else None


def _when(raw: str | None) -> datetime | None:
    return datetime.fromisoformat(raw) if raw else None


def _seconds(raw: object) -> float:
    if isinstance(raw, bool) or not isinstance(raw, int | float) or not abs(raw) < 1e9:
        raise InvalidField("Give the seconds as a number.")
    return float(raw)


_ACTS: Mapping[str, Callable[[Countdown, Mapping[str, Any], datetime], Step]] = {
    "start": Countdown._start, "pause": Countdown._pause, "go_on": Countdown._go_on, "stop": Countdown._stop,
    "restart": Countdown._restart, "add": Countdown._add, "set": Countdown._set, "dismiss": Countdown._dismiss,
    "show_end": Countdown._show_end, "undo": Countdown._undo,
}  # fmt: skip
