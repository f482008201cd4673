"""The one shape of all instruments: commands and events in, signals and moments out.

An instrument is a value that knows how it stands. It reads no clock: whoever asks hands in `now`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Protocol, Self

from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.occurrence import Occurrence
from tesoura.core.effects import Effect
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.commands import Command, CommandKind
from tesoura.core.instruments.items import InstrumentItem, ItemForm, commands_of
from tesoura.core.instruments.records import Record, RecordKind
from tesoura.core.overlays.pieces.kind import PieceKind
from tesoura.core.signals.extremes import Extremes
from tesoura.core.values import Scalar

Choices = Mapping[str, Any]
Told = Mapping[str, Scalar | None]
"""The present value of each signal, by the part of its name after the dot; None where there is nothing to tell."""


@dataclass(frozen=True, slots=True)
class Step:
    """What a command leads to: the instrument after it, and what is different then, in words (`20:14 → 20:16`).

    `given` is what goes into the log: all that a later reading of the log needs to come to the same.
    """

    after: Instrument
    effect: str
    given: Mapping[str, Any] = field(default_factory=dict)
    items: tuple[InstrumentItem, ...] | None = None
    """Its items after a command that changed them; None after any other."""
    undo: tuple[str, Mapping[str, Any]] | None = None
    """The command that takes it back and what is given with it, where one does."""
    seq: int = 0
    """The command's place in the log, once it is there."""


@dataclass(frozen=True, slots=True)
class Fired:
    """Something that happened by itself: an event for the log, and what goes out because of it.

    The same `id` is logged once, whatever happens; its effects are carried out once it is, and only then.
    """

    id: str
    type: str
    at: datetime
    data: Mapping[str, Any] = field(default_factory=dict)
    effects: Sequence[Effect] = ()
    cause: int | None = None
    """The place in the log of what led to it, where that is something of its own."""


def by_name(instrument: Instrument, command: Command, now: datetime) -> Any:
    """Return what an instrument's method makes of a command; for `spin` it's `_spin(command, now)`.

    The runner has checked that its kind has such a command.
    """
    return getattr(instrument, f"_{command.name}")(command, now)


class Instrument(Protocol):
    """One instrument as it stands. What it gives back is another value, or itself when it can only grow.

    A kind's class inherits from it, and says only what is otherwise: here nothing happens and nothing is shown.
    """

    __slots__ = ()

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command of its kind leads to. Raises InvalidField, or CommandRefused, when it leads nowhere."""
        step: Step = by_name(self, command, now)
        return step

    def advance(self, at: datetime) -> Self:
        """The instrument at this instant, no event having come since it was last driven; it is never driven back."""
        return self

    def on_event(self, event: Occurrence) -> Self:
        """The instrument after an event of one of its types, at the event's own place. It is told no present time."""
        return self

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Self:
        """Return the instrument as it is with these values of the signals it reads.

        The result is read and asked what it fires, and then dropped: the next one is made from what the log decided.
        What must last is fired here and taken back in `on_event`.
        """
        return self

    def read(self, now: datetime) -> Told:
        """The present value of each of its signals."""
        ...

    def next_change(self, now: datetime) -> datetime | None:
        """When a value changes, or something happens, by itself."""
        return None

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What has happened by itself by now and is not in the log yet."""
        return ()

    def view(self, at: datetime) -> Mapping[str, Any]:
        """What its templates are told beside its signals: facts that do not change any more."""
        return {}

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """What its texts may come to from this instant on, by the part of the signal's name after the dot."""
        return {}

    def with_items(self, items: Sequence[InstrumentItem]) -> Self:
        """The instrument with these items, from the place in the log to which it was driven."""
        return self

    def recorded(self) -> Sequence[Record]:
        """What the last command or event has added to its records.

        They follow from the log alone: read again, the same places of the log lead to the same records. What only time
        brings about is fired, and written down when the event that was fired is heard.
        """
        return ()

    def saved(self) -> dict[str, Any] | None:
        """How it stands, to be stored; None when the log tells it."""
        ...


ReadyButton = tuple[str, str, str] | Mapping[str, str]
"""A button of the desk made ready: the words on it, the command, and what is given with it, as `by 3 min`; or all that
is chosen of it but the instrument, where it is none that gives a command."""
ReadyWording = tuple[str, Mapping[str, str]]
"""What a piece can be given ready made: the words that offer it, and its choices."""
Preview = Callable[[str, Choices, Almanac, datetime, Mapping[str, Any] | None, Mapping[str, Scalar]], Any]


@dataclass(frozen=True, slots=True)
class InstrumentKind:
    """One kind of instrument.

    `fields` are what it is set up with; one is `title`. `begin` makes one from its name, checked choices and an
    almanac, and `restore` one from what `saved` gave. `outputs` gives its signals, by the part after the dot, with
    their units; `types` the events it takes; `reads` the signals it reads; `depends_on` what of the almanac a stored
    state stands for. `pieces` are the kinds of piece that draw it.

    `preview` gives the template `preview.html` what a set-up would show, told its name, choices, the almanac, the
    present instant, how the instrument of that name stands, and the signals' values; without one, the log tells.
    `check` tells what is wrong with choices that are right one by one. `lays` gives what a piece begins with that
    is laid from its page; `facts` are what its templates need to know. `ready_wordings` gives what a piece can show
    ready made, told the word after which a field asks (`statistic`) and the instrument's name. With `passing` its
    values are gone in a second: they get no line of their last minutes, and its panel is drawn again only when one
    of `panel_follows` changes.
    """

    name: str
    title: str
    about: str
    example: str
    fields: Mapping[str, Field]
    begin: Callable[[str, Choices, Almanac, datetime], Instrument]
    restore: Callable[[str, Choices, Almanac, Mapping[str, Any]], Instrument]
    outputs: Callable[[Choices], Mapping[str, str]]
    commands: Sequence[CommandKind] = ()
    types: Callable[[str, Choices], Sequence[str]] = lambda name, choices: ()
    reads: Callable[[Choices, Almanac], Sequence[str]] = lambda choices, almanac: ()
    since: Callable[[Choices, Almanac], datetime | None] = lambda choices, almanac: None
    depends_on: Callable[[Choices, Almanac], str] = lambda choices, almanac: ""
    pieces: Sequence[PieceKind] = ()
    preview: Preview | None = None
    check: Callable[[Choices], Mapping[str, str]] = lambda choices: {}
    lays: Callable[[str, Choices], Mapping[str, Any]] = lambda piece, choices: {}
    facts: Mapping[str, Any] = field(default_factory=dict)
    ready_wordings: Callable[[str, str], Sequence[ReadyWording]] = lambda of, name: ()
    passing: bool = False
    panel_follows: Sequence[str] = ("state",)
    items: ItemForm | None = None
    """What its items are, if it has some."""
    records: Sequence[RecordKind] = ()
    """What it writes down for good."""
    decides: bool = False
    """Whether it decides in `see`, so that it must be asked there even if it reads no signal."""
    remembers: bool = False
    """Whether it keeps what `see` returned, as a trigger that waits for a value to cross a line must. It is saved each
    time that changes. Its signals must follow from the log all the same."""
    watches: bool = False
    """Whether it watches its sources itself: what it tells is true while it tells it, whatever becomes of a feed."""
    moments: Callable[[str, Choices], Mapping[str, str]] = lambda name, choices: {}
    """The types of the events that one of its name fires, each with words for it that follow “When”."""
    buttons: Sequence[ReadyButton] | Callable[[Choices], Sequence[ReadyButton]] = ()
    """Its ready set of buttons for the desk, which may depend on its choices; without one, each command that needs
    nothing else."""
    first: str = ""
    """A command that is given to each one when it is made."""
    shifts: bool = False
    """Whether one moves what it must by itself, in `on_event`, when the computer's clock was set; others have all
    instants moved that they hold."""
    reported: str = ""
    """How the names of those of its signals begin that tell what a stream session came to; empty for none."""
    shares: bool = False
    """Whether others are told its choices, by the almanac: their rule is its rule."""
    together: str = ""
    """Under which word several of its kind stand on the desk as one panel, of which one is picked."""
    in_use: Callable[[Told], bool] = lambda told: False
    """Whether one that tells these values is the one to be picked first there."""
    carries: Callable[[Any], Sequence[tuple[str, Mapping[str, Any]]]] = lambda instrument: ()
    """The commands that give another one what this one was given for good, beside its items."""
    room: str = "instruments"
    """On which pages it is set up and operated."""

    @property
    def all_commands(self) -> Sequence[CommandKind]:
        """Its commands, those that change its items behind the others."""
        shown = [one for one in self.commands if not one.hidden]
        return (*shown, *(commands_of(self.items) if self.items else ()))

    def buttons_for(self, choices: Choices) -> Sequence[ReadyButton]:
        """The buttons with which somebody operates one with these choices from the desk."""
        if callable(self.buttons):
            return self.buttons(choices)
        return self.buttons or tuple((one.label, one.name, "") for one in self.commands if not one.fields)

    def command(self, name: str) -> CommandKind | None:
        """One of its commands, a hidden one too."""
        return next((one for one in (*self.commands, *self.all_commands) if one.name == name), None)
