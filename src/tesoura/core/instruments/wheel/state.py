"""A wheel as it stands: its fields, what turns, what waits, who is owed a spin; and what becomes of it in time."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from typing import Any, Self

from tesoura.core.chat import LINE, speaker
from tesoura.core.computed.occurrence import Occurrence, instant, name_of
from tesoura.core.effects import COMMAND, PRESS, SAY, SCENE, SCENE_BACK, SOUND, Effect
from tesoura.core.instruments.base import Fired, Instrument
from tesoura.core.instruments.items import InstrumentItem
from tesoura.core.instruments.owed_events import fired_of, plain_of
from tesoura.core.instruments.records import Record
from tesoura.core.instruments.wheel.counts import SpinCounts, counts_of
from tesoura.core.instruments.wheel.fields import WheelField, can_be_spun, field_of, in_order, weights_now
from tesoura.core.instruments.wheel.owed import Owed, owed_of
from tesoura.core.instruments.wheel.plan import WheelPlan
from tesoura.core.instruments.wheel.spin import Spin, spin_of, spun
from tesoura.core.wheel.draw import SPIN_RECORD, hash_of
from tesoura.errors import CommandRefused, Invalid

BEGUN, LANDED, SEALED, OWED, ASKED = "begun", "landed", "sealed", "owed", "asked"
MOMENTS: Mapping[str, str] = {
    BEGUN: "begins to turn",
    LANDED: "has landed",
    SEALED: "has its next secret sealed",
    OWED: "owes somebody a spin",
    ASKED: "is asked for a spin in chat",
}
"""What it tells, by the last part of the event's type, each with words that follow its name."""
_WRITTEN = ("number", "who", "field", "chance_pct", "hash", "opened", "came", "weights", "fields")
"""What is written down of a spin for good."""
_SAID = re.compile(r"\{(who|field|number|chance)\}")
MOST_WAITING = 100
TOLD_FOR = timedelta(minutes=2)
"""What is to be said, heard or pressed because of a spin makes no sense later than this."""
REFUSED_EVERY_US = 10_000_000
"""Whoever asks without a spin is told so at most this often: a crowd that asks fills no chat."""
MOST_AGE = timedelta(days=1)
"""What was earned longer ago than this, and is not in the log, is not told any more."""


@dataclass(frozen=True, slots=True)
class Turn:
    """A spin that waits for the one before it: whose."""

    who: str


@dataclass(frozen=True, slots=True)
class WheelBase(Instrument):
    """A wheel. `sealed` are the secrets of the spins to come, the next one's first: one, and one for each that waits.

    `gone` are the fields that went away after they came, `came` how often each came in this session. `spin` is the last
    one, over or not; `trial` one that is only tried. `number` is that of the last spin that counts, `angle` where the
    wheel stands.
    """

    plan: WheelPlan
    fields: tuple[WheelField, ...] = ()
    sealed: tuple[str, ...] = ()
    number: int = 0
    angle: float = 0.0
    spin: Spin | None = None
    trial: Spin | None = None
    waiting: tuple[Turn, ...] = ()
    owed: Owed = field(default_factory=Owed)
    gone: frozenset[str] = frozenset()
    came: Mapping[str, int] = field(default_factory=dict)
    counts: SpinCounts = field(default_factory=SpinCounts)
    counted: int = 0
    """The number of the last spin that has landed and is counted."""
    refused_at: int = 0
    """When somebody without a spin was last told so, µs since 1970."""
    debts: tuple[Fired, ...] = ()
    """What has happened and is not in the log yet."""
    written: tuple[Record, ...] = ()

    def with_items(self, items: Sequence[InstrumentItem]) -> Self:
        """With these fields. What turns lands as it was drawn."""
        return replace(self, fields=in_order([field_of(one) for one in items]))

    # What there is

    def weights(self) -> tuple[int, ...]:
        """The weights that count now, in the order of the fields."""
        return weights_now(self.fields, self.gone, self.came)

    def turns(self, at: datetime) -> Spin | None:
        """What turns or is held now: a spin, or one that is tried."""
        for one in (self.spin, self.trial):
            if one is not None and at < one.over_at:
                return one
        return None

    def hash_next(self) -> str:
        """The hash of the next spin's secret; empty while none is sealed."""
        return hash_of(bytes.fromhex(self.sealed[0])) if self.sealed else ""

    # The shape of all instruments

    def advance(self, at: datetime) -> Self:
        """It at this instant: what has landed is counted, and what is over lets the next one begin, at once."""
        it = self
        while (spin := it.spin) is not None:
            if it.counted < spin.number and at >= spin.lands_at:
                it = it._landed(spin)
            elif it.waiting and at >= spin.over_at:
                it = it._next(spin.over_at)
            else:
                break
        return it

    def _next(self, at: datetime) -> Self:
        """It with the first that waits begun; when nothing can come any more, whoever waited has his spin back."""
        who, it = self.waiting[0].who, replace(self, waiting=self.waiting[1:])
        try:
            return it._begun(who, at)
        except Invalid:
            return replace(it, owed=it.owed.given(who, 1)) if who else it

    def _begun(self, who: str, at: datetime) -> Self:
        """It with a spin that begins now. Raises CommandRefused, or InvalidField."""
        weights = self.weights()
        can_be_spun(self.fields, weights)
        if not self.sealed:
            raise CommandRefused("The next spin is not sealed. Seal it first.")
        number = self.number + 1
        spin = spun(self.plan, number, self.sealed[0], self.fields, weights, who, at, self.angle)
        it = replace(self, spin=spin, trial=None, number=number, sealed=self.sealed[1:])
        return replace(
            it,
            angle=spin.turning().end % 1.0,
            debts=(*it.debts, it._begins(spin), it._lands(spin), *it.seals(number + 1, spin.lands_at)),
        )

    def _begins(self, spin: Spin) -> Fired:
        until, effects = spin.turns_at + TOLD_FOR, []
        if self.plan.scene:
            effects.append(Effect(SCENE, self.plan.scene, not_after=until))
        data = {"id": f"{spin.number}:{BEGUN}", "number": spin.number, "who": spin.who, "hash": spin.hash}
        return Fired(data["id"], f"{self.plan.name}.{BEGUN}", spin.at, data, effects)  # type: ignore[arg-type]

    def _lands(self, spin: Spin) -> Fired:
        plan, until, effects = self.plan, spin.lands_at + TOLD_FOR, []
        if plan.landing:
            effects.append(Effect(SOUND, plan.name, {"sound": plan.landing}, until))
        if spin.field.cue:
            effects.append(Effect(PRESS, spin.field.cue, {}, until))
        if plan.chat:
            effects.append(Effect(SAY, plan.chat, {"line": self.line_of(spin)}, until))
        if plan.scene:
            effects.append(Effect(SCENE_BACK, plan.scene, {}, until + plan.hold, spin.hold_s))
        id = f"{spin.number}:{LANDED}"
        return Fired(id, f"{plan.name}.{LANDED}", spin.lands_at, {"id": id, **spin.told()}, effects)

    def line_of(self, spin: Spin) -> str:
        """What chat is told of a spin."""
        said = spin.field.chat or self.plan.line
        told = {
            "who": spin.who or "The wheel",
            "field": spin.field.words,
            "number": str(spin.number),
            "chance": f"{float(spin.chance) * 100:.1f} %",
        }
        return _SAID.sub(lambda found: told[found[1]], said)

    def seals(self, number: int, at: datetime) -> list[Fired]:
        """The hash of the next spin's secret, told from this instant on: so that anybody can check the spin after."""
        if not self.sealed:
            return []
        plan, id, shown = self.plan, f"{number}:{SEALED}", self.hash_next()
        line = f"{plan.title}, spin {number}: the secret's SHA-256 is {shown}"
        effects = [Effect(SAY, plan.chat, {"line": line}, at + TOLD_FOR)] if plan.tells_seal and plan.chat else []
        return [Fired(id, f"{plan.name}.{SEALED}", at, {"id": id, "number": number, "hash": shown}, effects)]

    def on_event(self, event: Occurrence) -> Self:
        """It after an event: one that earns spins, a word of chat, or one of its own, which is in the log now."""
        it = replace(self, written=()) if self.written else self
        if event.type.startswith(f"{self.plan.name}."):
            return it._own(event)
        if event.type == LINE:
            return it._said(event)
        owed, earned = it.owed.earned(event, it.plan.rules)
        found = [
            Fired(
                id,
                f"{it.plan.name}.{OWED}",
                instant(event.at),
                {"id": id, "who": one.who, "spins": one.spins},
                cause=event.seq,
            )
            for one in earned
            for id in (f"{event.seq}:{one.rule}",)
        ]
        return it if owed is it.owed and not found else replace(it, owed=owed, debts=(*it.debts, *found))

    def _said(self, event: Occurrence) -> Self:
        words, who = str(event.data.get("text") or "").split(), speaker(event.data)
        if not self.plan.word or not words or words[0].casefold() != self.plan.word or not who:
            return self
        at, id = instant(event.at), f"{event.seq}:{ASKED}"
        if self.owed.of(who):
            effects = [Effect(COMMAND, self.plan.name, {"command": "spin", "given": {"who": who}}, at + TOLD_FOR)]
        elif self.plan.chat and event.at - self.refused_at >= REFUSED_EVERY_US:
            self = replace(self, refused_at=event.at)
            effects = [Effect(SAY, self.plan.chat, {"line": f"{who}, you have no spins left."}, at + TOLD_FOR)]
        else:
            return self
        data = {"id": id, "who": who, "has": self.owed.of(who)}
        return replace(self, debts=(*self.debts, Fired(id, f"{self.plan.name}.{ASKED}", at, data, effects, event.seq)))

    def _own(self, event: Occurrence) -> Self:
        told = str(event.data.get("id") or "")
        due = next((one for one in self.debts if one.id == told), None)
        it = replace(self, debts=tuple(one for one in self.debts if one.id != told))
        if event.type.endswith(f".{OWED}"):
            # By the log alone: with other rules, what was given stays given.
            spins = event.data.get("spins")
            return replace(it, owed=it.owed.given(name_of(event.data.get("who")), int(str(spins or 0))))
        if event.type.endswith(f".{LANDED}") and due is not None:
            row = {name: due.data[name] for name in _WRITTEN}
            return replace(it, written=(Record(SPIN_RECORD, instant(event.at), row),))
        return it

    def _landed(self, spin: Spin) -> Self:
        """It with a spin counted: its field may go away, and comes only so often in a session."""
        weights = {one.id: weight for one, weight in zip(spin.fields, spin.weights, strict=True)}
        in_session = self.plan.session_began is None or spin.lands_at >= self.plan.session_began
        field_ = spin.field
        return replace(
            self,
            counts=self.counts.with_spin(weights, field_.id),
            counted=spin.number,
            gone=self.gone | {field_.id} if field_.goes else self.gone,
            came={**self.came, field_.id: self.came.get(field_.id, 0) + 1} if in_session else self.came,
        )

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What has happened by now and is not in the log yet."""
        return [one for one in self.advance(now).debts if one.at <= now and now - one.at < MOST_AGE]

    def recorded(self) -> Sequence[Record]:
        """What the last event has added to its records."""
        return self.written

    def next_change(self, now: datetime) -> datetime | None:
        """When something begins, lands or is over."""
        it = self.advance(now)
        found = [one.at for one in it.debts]
        for spin in (it.spin, it.trial):
            if spin is not None:
                found += [spin.turns_at, spin.lands_at, spin.over_at]
        return min((at for at in found if at > now), default=None)

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored; its fields are its items."""
        return {
            "sealed": list(self.sealed),
            "number": self.number,
            "angle": self.angle,
            "spin": self.spin.saved() if self.spin else None,
            "trial": self.trial.saved() if self.trial else None,
            "waiting": [one.who for one in self.waiting],
            "owed": self.owed.saved(),
            "gone": sorted(self.gone),
            "refused_at": self.refused_at,
            "counted": self.counted,
            "came": dict(self.came),
            "counts": self.counts.saved(),
            "debts": [plain_of(one) for one in self.debts],
        }


def kept(saved: Mapping[str, Any]) -> dict[str, Any]:
    """What was stored, by the names of its fields."""
    return {
        "sealed": tuple(saved["sealed"]),
        "number": saved["number"],
        "angle": saved["angle"],
        "spin": spin_of(saved["spin"]) if saved["spin"] else None,
        "trial": spin_of(saved["trial"]) if saved["trial"] else None,
        "waiting": tuple(map(Turn, saved["waiting"])),
        "owed": owed_of(saved["owed"]),
        "gone": frozenset(saved["gone"]),
        "refused_at": saved["refused_at"],
        "counted": saved["counted"],
        "came": dict(saved["came"]),
        "counts": counts_of(saved["counts"]),
        "debts": tuple(map(fired_of, saved["debts"])),
    }
