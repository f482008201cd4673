"""The texts that viewers see: each wording kept up to date, redrawn only when a signal that it reads has changed."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import NamedTuple

from tesoura.core.language.functions import Undefined
from tesoura.core.language.numbers import NumberStyle
from tesoura.core.language.scope import Missing, Scope
from tesoura.core.language.wording import Wording
from tesoura.core.signals.extremes import Extremes
from tesoura.core.values import Scalar
from tesoura.errors import FormatError

LONG_NAME = "Bartholomew Quillfeather"
"""As long as a name may well be."""
MADE_UP_NAMES = (
    "pip_gale",
    "otto_knot",
    "june_spool",
    "wren_bobbin",
    "tuck",
    "halyard_sam",
    "teacup_ana",
    "bolt_uncle",
    "seven_socks",
    "gull_on_a_post",
)
MADE_UP_NUMBERS = (1284, 47, 9, 312, 5)
MADE_UP_AGE = "4 min ago"
AGE_EVERY = timedelta(seconds=10)
_AGES = ((86_400, "days"), (3_600, "h"), (60, "min"), (0, "s"))


class Shown(NamedTuple):
    """What viewers see of one wording, why it is the "nothing yet" text when it is, and whether it is marked as old.

    A named tuple and not a dataclass, because one is made for every text of every event.
    """

    text: str
    missing: str | None = None
    problem: str | None = None
    old: bool = False

    @property
    def why(self) -> str | None:
        """What keeps the wording from being said, if anything does."""
        return self.missing or self.problem


@dataclass(frozen=True, slots=True)
class Say:
    """A wording, and what stands for it: when a value is missing, when one is late, and when one is down.

    `when_late` and `when_down` are `keep` (the last value stays), `with_age` (it stays, and its age is told),
    `nothing_yet` (that text is shown), `instead` (the text of that name is) or `hide` (nothing is). `when_old`, which
    goes before them, is `keep`, `dim` (it is marked), `hide` or `text` (`old_text` is shown).
    """

    wording: Wording
    nothing_yet: str = ""
    when_late: str = "keep"
    when_down: str = "keep"
    instead: str = ""
    when_old: str = "keep"
    old_text: str = ""

    @property
    def keeps(self) -> bool:
        """Whether the last value stays, whatever happens."""
        return self.when_late == self.when_down == self.when_old == "keep"


def _made_up(names: Iterable[str], known: Mapping[str, Scalar]) -> Iterator[dict[str, Scalar]]:
    """Values for these signals: of the type that each has, and where none has come, numbers first and then names."""
    for unknown in (0, 1):
        values: dict[str, Scalar] = {}
        for name in names:
            at = sum(map(ord, name))
            text = isinstance(known.get(name), str) if name in known else bool(unknown)
            chosen: Scalar = (
                MADE_UP_NAMES[at % len(MADE_UP_NAMES)] if text else MADE_UP_NUMBERS[at % len(MADE_UP_NUMBERS)]
            )
            place = name.rpartition("top_")[2].partition("_")[0]
            if text and place.isdecimal():
                # The places of a ranking are different people.
                chosen = MADE_UP_NAMES[(int(place) - 1) % len(MADE_UP_NAMES)]
            elif place.isdecimal():
                chosen = 96 // max(1, int(place))
            values[name] = chosen
        yield values


@dataclass(slots=True)
class _Text:
    say: Say
    shown: Shown


class Texts:
    """Wordings under keys, an index from signals to the wordings that read them, and what each says now."""

    def __init__(self, scope: Scope, observed_at: Callable[[str], datetime | None] = lambda name: None) -> None:
        self._scope, self._observed_at = scope, observed_at
        self.now: datetime | None = None
        self.extremes: Callable[[str], Extremes | None] = lambda name: None
        self._aging: set[str] = set()
        self._stale: dict[str, str] = {}
        self._old: set[str] = set()
        self._texts: dict[str, _Text] = {}
        self._readers: dict[str, set[str]] = {}

    def show(self, key: str, say: Say) -> Shown:
        """Keep a text up to date under this key from now on; what it says now."""
        self.hide(key)
        shown = self.preview(say)
        self._texts[key] = _Text(say, shown)
        if "with_age" in (say.when_late, say.when_down):
            self._aging.add(key)
        for name in say.wording.names:
            self._readers.setdefault(name, set()).add(key)
        return shown

    def is_down(self, name: str) -> bool:
        """Whether the feed of this signal is down."""
        return self._stale.get(name) == "down"

    def hide(self, key: str) -> None:
        """Stop keeping the text under this key."""
        text = self._texts.pop(key, None)
        self._aging.discard(key)
        for name in text.say.wording.names if text else ():
            self._readers[name].discard(key)
            if not self._readers[name]:
                del self._readers[name]

    def preview(self, say: Say, more_digits: int = 0) -> Shown:
        """What a text says now, or would with so many digits more, without keeping it."""
        old = self._oldest(say)
        if old and say.when_old in ("hide", "text"):
            return Shown(say.old_text if say.when_old == "text" else "", problem=f"{old} is old.")
        stance, name = ("keep", "") if say.keeps else self._stance(say)
        if stance not in ("keep", "with_age"):
            text = {"nothing_yet": say.nothing_yet, "instead": say.instead}.get(stance, "")
            return Shown(text, problem=f"{name} is {self._stale[name]}.")
        rendered = say.wording.render(self._scope, more_digits)
        if rendered.text is None:
            return Shown(say.nothing_yet, rendered.missing, rendered.problem)
        text = f"{rendered.text} · {self._age(say)}" if stance == "with_age" else rendered.text
        return Shown(text, old=bool(old))

    def _oldest(self, say: Say) -> str:
        """The first value in it that is old, where that makes a difference."""
        if say.when_old == "keep" or not self._old:
            return ""
        return next((name for name in say.wording.names if name in self._old), "")

    def _stance(self, say: Say) -> tuple[str, str]:
        """What the text does about its least fresh value, and that value's name."""
        stale = {self._stale[name]: name for name in say.wording.names if name in self._stale}
        for state, stance in (("down", say.when_down), ("late", say.when_late)):
            if state in stale:
                return stance, stale[state]
        return "keep", ""

    def with_values(self, say: Say, values: Mapping[str, Scalar]) -> Shown:
        """What a text would say if these were all the values there are."""
        return self._with(say, values)

    def of_event(self, say: Say, feed: str, values: Mapping[str, Scalar]) -> Shown:
        """What a text says of one event: its own values alone stand under its type's name, whatever came before it."""
        own, known = f"{feed}.", self._scope.values
        read = {
            name: value
            for name in say.wording.names
            if (value := (values if name.startswith(own) else known).get(name)) is not None
        }
        return self._with(say, read)

    def longest(self, say: Say, more_digits: int = 2) -> Shown:
        """What a text says when numbers have grown and names are long: the longest that is plausible."""
        values = {name: value for name in say.wording.names if (value := self._scope.values.get(name)) is not None}
        long = {
            name: "\n".join(line if len(line) >= len(LONG_NAME) else LONG_NAME for line in value.split("\n"))
            if isinstance(value, str)
            else value
            for name, value in values.items()
        }
        known = self._extremes(say)
        long |= {name: one.widest for name, one in known.items() if one.widest is not None}
        rendered = say.wording.render(Scope({**self._scope.values, **long}, self._scope.style), more_digits)
        return Shown(say.nothing_yet if rendered.text is None else rendered.text, rendered.missing, rendered.problem)

    def _extremes(self, say: Say) -> dict[str, Extremes]:
        return {name: one for name in say.wording.names if (one := self.extremes(name)) is not None}

    def last(self, say: Say) -> Shown:
        """What a text says at its last word: that of a countdown, say; where there is none, what it says now."""
        last = {name: one.last for name, one in self._extremes(say).items() if one.last is not None}
        return self._with(say, {**self._scope.values, **last}) if last else self.preview(say)

    def _with(self, say: Say, values: Mapping[str, Scalar]) -> Shown:
        rendered = say.wording.render(Scope(values, self._scope.style))
        return Shown(say.nothing_yet if rendered.text is None else rendered.text, rendered.missing, rendered.problem)

    def empty(self, say: Say) -> Shown:
        """What a text says when nothing at all has come."""
        return self._with(say, {})

    def down(self, say: Say) -> Shown:
        """What a text would say if the feed of its values were down."""
        if not say.wording.names:
            return self.preview(say)
        texts = {"nothing_yet": say.nothing_yet, "instead": say.instead, "hide": ""}
        if say.when_down in texts:
            return Shown(texts[say.when_down], problem="Its feed is down.")
        shown = self.preview(Say(say.wording, say.nothing_yet))
        with_age = say.when_down == "with_age" and shown.why is None
        return Shown(f"{shown.text} · {MADE_UP_AGE}") if with_age else shown

    def made_up(self, say: Say) -> Shown:
        """What a text says with values that are made up: numbers where numbers fit, names where they do not."""
        shown = Shown(say.nothing_yet)
        samples = {name: one.sample for name, one in self._extremes(say).items() if one.sample is not None}
        for values in _made_up(say.wording.names, self._scope.values):
            shown = self._with(say, {**values, **samples})
            if shown.why is None:
                break
        return shown

    def _age(self, say: Say) -> str:
        observed = [at for name in say.wording.names if name in self._stale and (at := self._observed_at(name))]
        if not observed or self.now is None:
            return "late"
        seconds = max((self.now - min(observed)).total_seconds(), 0)
        size, unit = next((size, unit) for size, unit in _AGES if seconds >= size)
        # Seconds in tens: whoever reads it wants to know how old, not to watch it count.
        return f"{seconds // 10 * 10:.0f} s ago" if unit == "s" else f"{seconds // size:.0f} {unit} ago"

    def next_change(self) -> datetime | None:
        """When a text that tells its age must be written again."""
        late = any(name in self._stale for key in self._aging for name in self._texts[key].say.wording.names)
        return self.now + AGE_EVERY if late and self.now else None

    def aged(self) -> dict[str, Shown]:
        """Write the ages again; the texts that came out different, by key."""
        changed: dict[str, Shown] = {}
        for key in self._aging:
            text = self._texts[key]
            shown = self.preview(text.say)
            if shown != text.shown:
                text.shown = changed[key] = shown
        return changed

    def shown(self, key: str) -> Shown | None:
        """What the text under this key says now."""
        text = self._texts.get(key)
        return text.shown if text else None

    def mark(self, name: str, stale: str | None) -> None:
        """A signal became late or down, as `stale` says, or with None is neither any more."""
        if stale is None:
            self._stale.pop(name, None)
        else:
            self._stale[name] = stale

    def mark_old(self, name: str, old: bool) -> bool:
        """A signal is old now, or is not any more; whether that is news."""
        if old is (name in self._old):
            return False
        (self._old.add if old else self._old.discard)(name)
        return True

    def redraw(self, names: Iterable[str]) -> dict[str, Shown]:
        """Render again what reads these signals; the texts that came out different, by key."""
        changed: dict[str, Shown] = {}
        for name in names:
            for key in self._readers.get(name, ()):
                if key in changed:
                    continue
                text = self._texts[key]
                shown = self._again(text)
                if shown is not text.shown and shown != text.shown:
                    text.shown = changed[key] = shown
        return changed

    def _again(self, text: _Text) -> Shown:
        # A wording that could be said before can nearly always be said again: try the short way first.
        if text.shown.why is None and (text.say.keeps or not (text.shown.old or self._is_stale(text.say))):
            try:
                said = text.say.wording.say(self._scope)
                return text.shown if said == text.shown.text else Shown(said)
            except (Missing, Undefined, FormatError):
                pass
        return self.preview(text.say)

    def _is_stale(self, say: Say) -> bool:
        """Whether any value in it is late, down or old."""
        if not (self._old or self._stale):
            return False
        return any(name in self._old or name in self._stale for name in say.wording.names)

    def restyle(self, style: NumberStyle) -> dict[str, Shown]:
        """Write numbers in another style; the texts that came out different, by key."""
        self._scope = Scope(self._scope.values, style)
        return self.redraw(list(self._readers))
