"""Instruments among the computed signals: a set-up as a definition, and an instrument as one state of it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence, instant
from tesoura.core.forms.durations import brief
from tesoura.core.forms.fields import checked
from tesoura.core.instruments import items as item_commands
from tesoura.core.instruments.base import Choices, Fired, Instrument, InstrumentKind, Step, Told
from tesoura.core.instruments.clock_shift import shifted
from tesoura.core.instruments.commands import Command, CommandKind
from tesoura.core.instruments.items import InstrumentItem
from tesoura.core.instruments.records import KeptRecord
from tesoura.core.instruments.registry import KINDS
from tesoura.core.signals.extremes import Extremes
from tesoura.core.values import Scalar
from tesoura.errors import CommandRefused, Invalid, InvalidField, InvalidPiece

COMMAND = "tesoura.command."
"""How the type of an event begins that is a command to an instrument, whose name follows."""
MOST_TOLD = 1_000
"""So many of what it has fired an instrument is kept from firing again; by then the log has told it."""
CLOCK_SET = "tesoura.clock_set"
"""An event that tells that the computer's clock was set, `by_s` seconds forward."""


def seconds_set(data: Mapping[str, object]) -> float:
    """How far the clock was set forward, in seconds, as its event tells."""
    by_s = data.get("by_s")
    return float(by_s) if isinstance(by_s, int | float) else 0.0


def clock_words(data: Mapping[str, object]) -> str:
    """How the clock was set, in words."""
    by_s = seconds_set(data)
    way = "forward" if by_s > 0 else "back"
    return f"this computer's clock was set {way} by {brief(timedelta(seconds=abs(round(by_s))))}"


@dataclass(frozen=True, slots=True)
class Setup:
    """An instrument as it was set up: its kind, the first half of its signals' names, and the checked choices."""

    kind: str
    name: str
    choices: Choices

    @property
    def kind_of(self) -> InstrumentKind:
        """Which kind of instrument it is."""
        return KINDS[self.kind]

    @property
    def title(self) -> str:
        """Its title, as pages show it."""
        return str(self.choices["title"])

    @property
    def command_type(self) -> str:
        """The type of the events that are commands to it."""
        return COMMAND + self.name

    def outputs(self) -> dict[str, str]:
        """The signals it gives, each with its unit."""
        return {f"{self.name}.{name}": unit for name, unit in self.kind_of.outputs(self.choices).items()}

    def depends_on(self, almanac: Almanac) -> str:
        """What of the almanac a stored state stands for."""
        return self.kind_of.depends_on(self.choices, almanac)

    def begin(self, almanac: Almanac, now: datetime) -> Runner:
        """It, at its beginning."""
        return Runner(self, almanac, now)


class Runner:
    """An instrument that runs: it hears its events and commands, each once, and tells its signals.

    Two values are kept. `_logged` is decided by the log alone, and only it is changed, saved and rebuilt. `instrument`
    is the same once it knows the present values of signals; it is derived from `_logged` each time. So nothing that an
    instrument derives from signals can stay with it and differ after a rebuild: what must stay goes through `fires`
    into the log.
    """

    def __init__(self, setup: Setup, almanac: Almanac, now: datetime) -> None:
        self.definition, self._almanac = setup, almanac
        kind = setup.kind_of
        self._logged: Instrument = kind.begin(setup.name, setup.choices, almanac, now)
        self._informed: Instrument | None = None
        self.reads = tuple(kind.reads(setup.choices, almanac))
        self._asks = bool(self.reads) or kind.decides
        self._command_type, self._own = setup.command_type, f"{setup.name}."
        self._sources = ("", f"instrument:{setup.name}")
        self._decides = kind.decides
        self._types = (setup.command_type, CLOCK_SET, *kind.types(setup.name, setup.choices))
        self._told: dict[str, None] = {}
        self._last: Told = {}
        self._refused: tuple[int, str] = (0, "")
        self._at: datetime | None = None
        self._names = {name.partition(".")[2]: name for name in setup.outputs()}
        self.items: tuple[InstrumentItem, ...] = ()
        """Its items, for a kind that has some."""
        self.new_records: list[KeptRecord] = []
        """What it has written down that nobody has stored yet; whoever stores it takes it off."""
        self.recorded_from: int | None = None
        """It was built from the log behind this place: what was stored of its records from there on is overtaken."""

    @property
    def instrument(self) -> Instrument:
        """The instrument with the values of signals that it was last read with; for reading only."""
        return self._logged if self._informed is None else self._informed

    @property
    def stale(self) -> bool:
        """Whether only the log can set it right."""
        return bool(getattr(self._logged, "stale", False))

    @property
    def types(self) -> tuple[str, ...]:
        """The events it takes."""
        return self._types

    def take(self, event: Occurrence, now: datetime) -> bool:
        """Take one event; whether it counts."""
        counts = self._take(event)
        if counts:
            self._informed = None
        return counts

    def _take(self, event: Occurrence) -> bool:
        at = instant(event.at)
        if event.type == CLOCK_SET:
            self._clock_was_set(event, at)
            return True
        # Driven by the log alone: so it comes to the same live, after a crash, and in a rehearsal.
        if self._at is None or at > self._at:
            self._at, self._logged = at, self._logged.advance(at)
        if event.type.startswith(self._own) and event.source not in self._sources:
            # It poses as something that this instrument itself would have told.
            return False
        if event.type != self._command_type:
            before = self._logged
            self._logged = before.on_event(event)
            self._write_down(event.seq)
            # What decides is asked again only when it heard something that it listens for.
            return self._logged is not before or not self._decides
        name, chance = event.data.get("command"), event.data.get("chance")
        drawn = float(chance) if isinstance(chance, int | float) else None
        try:
            secret = str(event.data.get("secret") or "")
            step = self._handle(self._logged, Command(str(name), event.data, event.seq, drawn, secret=secret), at)
        except Invalid as error:
            # It made sense when it was given, and something came before it meanwhile.
            self._refused = (event.seq, str(error))
            return False
        self._logged = step.after
        if step.items is not None:
            self.items = step.items
        else:
            self._write_down(event.seq)
        return True

    def _clock_was_set(self, event: Occurrence, at: datetime) -> None:
        """Drive it to the instant as the clock had it before, and move what it knows by as much as the clock."""
        by = timedelta(seconds=seconds_set(event.data))
        if self._at is None or at - by > self._at:
            self._logged = self._logged.advance(at - by)
        self._at = at
        if self.definition.kind_of.shifts:
            self._logged = self._logged.on_event(event)
        else:
            self._logged = shifted(self._logged, by)
            if (moved := getattr(self._logged, "clock_was_set", None)) is not None:
                moved()
        self._told = shifted(self._told, by)
        self._last = {}

    def _handle(self, handler: Instrument, command: Command, at: datetime) -> Step:
        form = self.definition.kind_of.items
        changed = item_commands.step(form, self.items, command) if form else None
        if changed is None:
            self._known(command.name)
            return handler.handle(command, at)
        return Step(handler.with_items(changed.items), changed.effect, changed.given, changed.items, changed.undo)

    def _write_down(self, seq: int) -> None:
        if self.definition.kind_of.records:
            name = self.definition.name
            self.new_records += [KeptRecord(name, seq, at, one) for at, one in enumerate(self._logged.recorded())]

    def refusal_of(self, seq: int) -> str | None:
        """Why the command at this place in the log led nowhere, if that was the last one that did."""
        return self._refused[1] if self._refused[0] == seq else None

    def attempt(self, command: Command, now: datetime) -> Step:
        """What a command would lead to. Raises InvalidField or InvalidPiece when it leads nowhere."""
        return self._handle(self.instrument, self._checked(command), now)

    def _checked(self, command: Command) -> Command:
        """Return the command with its parameters checked. Raises CommandRefused or InvalidField."""
        if self.definition.kind_of.items and command.name in item_commands.COMMANDS:
            return command
        known = self._known(command.name)
        if strange := [one for one in command.given if one not in known.fields and one not in known.also]:
            takes = ", ".join(known.fields) or "nothing"
            raise CommandRefused(f"“{command.name}” doesn't take “{strange[0][:60]}”. It takes {takes}.")
        typed = {name: one for name, one in command.given.items() if name in known.fields}
        try:
            return replace(command, given={**command.given, **checked(known.fields, typed)})
        except InvalidPiece as error:
            raise InvalidField(" ".join(f"{name}: {why}" for name, why in error.wrong.items())) from None

    def _known(self, name: str) -> CommandKind:
        kind = self.definition.kind_of
        if (known := kind.command(name)) is None:
            names = ", ".join(sorted(one.name for one in kind.all_commands))
            raise CommandRefused(f"There is no command “{name[:30]}” here. Choose one of these: {names}.")
        return known

    def why_not(self, event: Occurrence, now: datetime) -> str | None:
        """Why an event does not count here, or None when it does."""
        asked = getattr(self.instrument, "why_not", None)
        return asked(event) if asked and event.type != self.definition.command_type else None

    def correct(self, before: Occurrence, after: Occurrence) -> bool:
        """An event that was corrected is taken from the log anew."""
        return False

    def settle(self, now: datetime) -> None:
        """It is asked with `now`, and needs no settling."""

    def next_change(self, now: datetime) -> datetime | None:
        """When it changes by itself."""
        return self.instrument.next_change(now)

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What has happened by itself by now, each told once."""
        found = [one for one in self.instrument.fires(now) if one.id not in self._told]
        self._told |= dict.fromkeys(one.id for one in found)
        while len(self._told) > MOST_TOLD:
            del self._told[next(iter(self._told))]
        return found

    def extremes(self, at: datetime) -> dict[str, Extremes]:
        """What its texts may come to from this instant on, by signal."""
        return {f"{self.definition.name}.{name}": one for name, one in self.instrument.extremes(at).items()}

    def read(self, now: datetime, values: Mapping[str, Scalar]) -> dict[str, Scalar | None]:
        """The value of each of its signals that is another than when it was last read; None for nothing to tell.

        One that reads signals is as old as they are, so all of it is told each time.
        """
        if self._asks:
            self._informed = self._logged.see(values, now)
        if self.definition.kind_of.remembers:
            self._logged, self._informed = self.instrument, None
        if self.reads and not self.definition.kind_of.decides:
            self._last = {}
        told, last = self.instrument.read(now), self._last
        self._last = told
        return {
            self._names[part]: value for part, value in told.items() if part not in last or not _same(value, last[part])
        }

    def saved(self) -> dict[str, Any] | None:
        """How it stands, to be stored; None when the log tells it."""
        state = self._logged.saved()
        if state is None or not self.definition.kind_of.items:
            return state
        return {"items": item_commands.saved(self.items), "state": state}

    def restore(self, saved: Mapping[str, Any]) -> None:
        """Go on from what was stored."""
        setup = self.definition
        form = setup.kind_of.items
        state = saved["state"] if form else saved
        self._logged = setup.kind_of.restore(setup.name, setup.choices, self._almanac, state)
        self._informed = None
        if form:
            self.items = item_commands.restored(saved["items"])
            self._logged = self._logged.with_items(self.items)

    def since(self, now: datetime) -> datetime | None:
        """From when on the log must be read to build it anew; None for all of it."""
        return self.definition.kind_of.since(self.definition.choices, self._almanac)


def _same(one: Scalar | None, other: Scalar | None) -> bool:
    # 1 and True are equal, and are not the same to a reader.
    return one is other or (one == other and one.__class__ is other.__class__)
