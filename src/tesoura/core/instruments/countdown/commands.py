"""Commands to a countdown: each gives another one, and says before what would be different."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from tesoura.core.computed.occurrence import micros
from tesoura.core.forms.durations import LONGEST, duration, signed, soonest, time_to_come
from tesoura.core.instruments.base import Step, by_name
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.countdown.plan import COMMANDED, CountdownPlan
from tesoura.core.instruments.countdown.state import ENDED, OVER, PAUSED, READY, RUNNING, TRIAL_US, Counting, seconds
from tesoura.core.instruments.countdown.time_text import SECOND, time_of_day
from tesoura.errors import CommandRefused, InvalidField


@dataclass(frozen=True, slots=True)
class Countdown(Counting):
    """A countdown, a count up, or a clock, that takes commands."""

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or CommandRefused."""
        if self.plan.counts not in COMMANDED and command.name not in ("dismiss", "show_end"):
            raise CommandRefused("This one runs automatically. Change its target on its page.")
        step: Step = by_name(self, command, now)
        after = step.after
        assert isinstance(after, Countdown)
        if command.name not in ("undo", "show_end"):
            after = replace(after, undone_to=replace(self, undone_to=None, trial=None))
            return Step(after, step.effect, step.given, undo=("undo", {}))
        return Step(after, step.effect, step.given)

    def _start(self, command: Command, now: datetime) -> Step:
        if self.state(now) in (RUNNING, PAUSED):
            raise CommandRefused("Already running. Start again, or set another time.")
        return self._begin(command, now)

    def _restart(self, command: Command, now: datetime) -> Step:
        return self._begin(command, now)

    def _begin(self, command: Command, now: datetime) -> Step:
        if self.up:
            after = replace(self._fresh(), target=now, set_at=now)
            return Step(after, f"counts from {self._clock(now, now)} on")
        until = self._until(command.given, now)
        after = replace(self._fresh(), target=until, set_at=now, length_us=micros(until) - micros(now))
        return Step(after, self._ends(now, after), {"until": until.isoformat()})

    def _fresh(self) -> Countdown:
        return Countdown(self.plan, length_us=self.plan.length_us)

    def _until(self, given: Mapping[str, Any], now: datetime) -> datetime:
        """The instant that was asked for: `until`, `length` or `to`; without any, that of the plan."""
        try:
            until = self._asked(given, now)
        except OverflowError:
            until = None
        if until is None or not now < until <= now + LONGEST:
            raise InvalidField("That time has passed or is more than 366 days away. Give a future time.")
        return until

    def _asked(self, given: Mapping[str, Any], now: datetime) -> datetime:
        if given.get("until"):
            try:
                until = datetime.fromisoformat(str(given["until"]))
            except ValueError:
                raise InvalidField("Give `until` as a date and time with its zone.") from None
            return until.astimezone(UTC) if until.tzinfo else soonest(until, now, self.plan.zone)
        if given.get("length"):
            return now + duration(given["length"])
        if given.get("to") or self.plan.counts == "time":
            return time_to_come(given.get("to") or self.plan.to, now, self.plan.zone)
        return now + timedelta(microseconds=self.plan.length_us)

    def _pause(self, command: Command, now: datetime) -> Step:
        self._must(now, RUNNING, "Not running, so there is nothing to pause.")
        held = self._us(now)
        after = replace(self, target=None, set_at=None, held_us=held)
        return Step(after, f"stays at {self._plain(held)} until resumed")

    def _go_on(self, command: Command, now: datetime) -> Step:
        self._must(now, PAUSED, "Not paused.")
        away = timedelta(microseconds=self.held_us or 0)
        after = replace(self, target=now - away if self.up else now + away, set_at=now, held_us=None)
        return Step(after, "counts on" if self.up else self._ends(now, after))

    def _stop(self, command: Command, now: datetime) -> Step:
        if self.state(now) == READY:
            raise CommandRefused("Not running.")
        after = self._fresh()
        return Step(after, f"viewers see {self._seen(after, now)}")

    def _add(self, command: Command, now: datetime) -> Step:
        given = command.given
        by = timedelta(seconds=seconds(given["by_s"])) if "by_s" in given else signed(given.get("by", ""))
        by_us = round(by.total_seconds() * SECOND)
        state = self.state(now)
        if state == READY:
            raise CommandRefused("Not running. Start it first.")
        us = self._us(now) + by_us
        if us <= 0:
            raise CommandRefused(f"Only {self._plain(self._us(now))} is left. Remove less, or stop it.")
        if us > LONGEST.total_seconds() * SECOND:
            raise CommandRefused("That would be more than 366 days.")
        given = {"by_s": by.total_seconds()}
        length = max(self.length_us + by_us, us)
        if state == PAUSED:
            after = replace(self, held_us=us, length_us=length)
            return Step(after, f"{self._plain(self._us(now))} → {self._plain(us)}", given)
        if state in (ENDED, OVER):
            # It stands at zero, where minutes are what is asked for: it runs again, from now.
            return self._run_on(now + by, now, given)
        assert self.target is not None
        after = replace(self, target=self.target - by if self.up else self.target + by, set_at=now, length_us=length)
        return Step(after, self._change(now, after), given)

    def _run_on(self, until: datetime, now: datetime, given: Mapping[str, Any]) -> Step:
        after = replace(self._fresh(), target=until, set_at=now, length_us=micros(until) - micros(now))
        return Step(after, f"{self._plain(0)} → {self._plain(after._us(now))}, {self._ends(now, after)}", given)

    def _set(self, command: Command, now: datetime) -> Step:
        state = self.state(now)
        if state == READY:
            raise CommandRefused("Not running. Start it with this time instead.")
        if self.up:
            raise CommandRefused("A count-up has no end. Add or remove time instead.")
        if not any(command.given.get(name) for name in ("until", "length", "to")):
            raise InvalidField("Give the time left or the end time.")
        until = self._until(command.given, now)
        left = micros(until) - micros(now)
        given = {"until": until.isoformat()}
        if state in (ENDED, OVER):
            return self._run_on(until, now, given)
        if state == PAUSED:
            after = replace(self, held_us=left, length_us=max(left, self.length_us))
            return Step(after, f"{self._plain(self._us(now))} → {self._plain(left)}", given)
        after = replace(self, target=until, set_at=now, length_us=max(left, self.length_us))
        return Step(after, self._change(now, after), given)

    def _dismiss(self, command: Command, now: datetime) -> Step:
        self._must(now, ENDED, "Nothing to hide: it hasn't ended.")
        return Step(replace(self, dismissed=True), f"“{self._last()}” goes")

    def _show_end(self, command: Command, now: datetime) -> Step:
        if self.up or self.plan.counts == "clock":
            raise CommandRefused("This one has no end.")
        after = replace(self, trial=now + timedelta(microseconds=TRIAL_US))
        return Step(after, f"shows the last five seconds and “{self._last()}”; the countdown continues")

    def _undo(self, command: Command, now: datetime) -> Step:
        if self.undone_to is None:
            raise CommandRefused("Nothing to undo.")
        after = self.undone_to
        if after.target is not None and after.set_at is not None:
            # What its marks were meanwhile is past; but an end that came meanwhile is told.
            after = replace(after, set_at=min(now, after.target - timedelta(microseconds=1)))
        return Step(after, f"viewers see {self._seen(after, now)}")

    def _must(self, now: datetime, state: str, why_not: str) -> None:
        if self.state(now) != state:
            raise CommandRefused(why_not)

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


def restored(plan: CountdownPlan, saved: Mapping[str, Any]) -> Countdown:
    """A countdown as it was stored."""
    return Countdown(
        plan,
        _when(saved["target"]),
        _when(saved["set_at"]),
        saved["held_us"],
        saved["length_us"],
        saved["dismissed"],
        _when(saved["trial"]),
        frozenset(saved["fired"]),
        restored(plan, saved["undone_to"]) if saved["undone_to"] else None,
    )


def _when(raw: str | None) -> datetime | None:
    return datetime.fromisoformat(raw) if raw else None
