"""A wheel operated: spun, tried, spins given and taken, fields let be there again; and what its signals tell."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import name_of
from tesoura.core.forms.checks import whole
from tesoura.core.instruments.base import Step, Told, by_name
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.wheel.counts import SpinCounts
from tesoura.core.instruments.wheel.fields import can_be_spun
from tesoura.core.instruments.wheel.owed import MOST_AT_ONCE
from tesoura.core.instruments.wheel.signals import extremes_of, told_of
from tesoura.core.instruments.wheel.spin import spun
from tesoura.core.instruments.wheel.state import MOST_WAITING, Turn, WheelBase
from tesoura.core.instruments.wheel.view import view_of
from tesoura.core.signals.extremes import Extremes
from tesoura.errors import CommandRefused, InvalidField

NEXT = "next"


class Wheel(WheelBase):
    """A wheel, operated."""

    __slots__ = ()

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or CommandRefused."""
        step: Step = by_name(replace(self.advance(now), written=()), command, now)
        return step

    def _seal(self, command: Command, now: datetime) -> Step:
        if self.sealed:
            raise CommandRefused("The next spin is already sealed.")
        after = replace(self, sealed=(command.secret,)) if command.secret else self
        after = replace(after, debts=(*after.debts, *after.seals(after.number + 1, now)))
        return Step(after, "seals the next spin and shows its hash")

    def _spin(self, command: Command, now: datetime) -> Step:
        can_be_spun(self.fields, self.weights())
        if not self.sealed:
            raise CommandRefused("The next spin is not sealed. Seal it first.")
        who, owed = _named(command.given, "who"), self.owed
        if who.casefold() == NEXT and not owed.of(who):
            who = owed.first()
            if not who:
                raise CommandRefused("No spins owed. Spin without a name, or give somebody one first.")
        free = str(command.given.get("free") or "").casefold() in ("yes", "true", "1")
        if who and not free:
            if not owed.of(who):
                raise CommandRefused(f"{who} has no spins owed. Give one first, or use a free spin.")
            owed = owed.given(who, -1)
        # For the spin after this one, or after those that wait.
        fresh = (command.secret,) if command.secret else ()
        given = {"who": who, **({"free": "yes"} if free else {})}
        left = f", {owed.of(who)} left" if who and not free else ""
        turns = self.turns(now)
        if turns is not None and not turns.trial:
            if len(self.waiting) >= MOST_WAITING:
                raise CommandRefused(f"{MOST_WAITING} spins are queued. Let them finish first.")
            after = replace(self, owed=owed, waiting=(*self.waiting, Turn(who)), sealed=(*self.sealed, *fresh))
            whose = f" of {who}" if who else ""
            return Step(
                after, f"spinning now; the spin{whose} is queued, number {len(after.waiting)} in line{left}", given
            )
        if not command.seq and not command.secret:
            # Only looked at: what would come is nobody's business yet.
            return Step(self, f"spinning{f' for {who}' if who else ''}{left}", given)
        after = replace(self, owed=owed, sealed=(*self.sealed, *fresh))._begun(who, now)
        spin = after.spin
        assert spin is not None
        decided = {"number": spin.number, "hash": spin.hash, "came": spin.came + 1, "weights": list(spin.weights)}
        return Step(after, f"spinning{f' for {who}' if who else ''}{left}", given | decided)

    def _try_it(self, command: Command, now: datetime) -> Step:
        weights = self.weights()
        can_be_spun(self.fields, weights)
        if self.turns(now) is not None:
            raise CommandRefused("Already spinning. Test it after the result.")
        words = "test spin: not counted, nothing sent to chat"
        if not command.secret:
            return Step(self, words)
        trial = spun(self.plan, 0, command.secret, self.fields, weights, "", now, self.angle, trial=True)
        return Step(replace(self, trial=trial, angle=trial.turning().end % 1.0), words)

    def _put_away(self, command: Command, now: datetime) -> Step:
        spin = self.turns(now)
        if spin is None or now < spin.lands_at:
            raise CommandRefused("No result on screen." if spin is None else "Still spinning.")
        short = replace(spin, hold_s=max((now - spin.lands_at).total_seconds(), 0.0))
        after = replace(self, trial=short) if spin.trial else replace(self, spin=short)
        return Step(after.advance(now), "hides the result")

    # Spins owed

    def _owe(self, command: Command, now: datetime) -> Step:
        who = _named(command.given, "who")
        if not who:
            raise InvalidField("Give the viewer: who.")
        spins = whole(-MOST_AT_ONCE, MOST_AT_ONCE)(command.given.get("spins") or 1)
        if not spins:
            raise InvalidField("Give at least one spin, or a negative number to remove spins.")
        had = self.owed.of(who)
        if spins < 0 and not had:
            raise CommandRefused(f"{who} has no spins owed.")
        owed = self.owed.given(who, spins)
        has = owed.of(who)
        return Step(
            replace(self, owed=owed),
            f"{who}: {had} → {has}",
            {"who": who, "spins": spins},
            undo=("owe", {"who": who, "spins": had - has}) if has != had else None,
        )

    def _rename(self, command: Command, now: datetime) -> Step:
        before, after = (_named(command.given, one) for one in ("who", "to"))
        if not before or not after:
            raise InvalidField("Give the old and the new name: who and to.")
        owed = self.owed.renamed(before, after, self.plan.rules)
        return Step(
            replace(self, owed=owed), f"{before} is {after}: {owed.of(after)} owed", {"who": before, "to": after}
        )

    def _drop_waiting(self, command: Command, now: datetime) -> Step:
        if not self.waiting:
            raise CommandRefused("No spin queued.")
        owed = self.owed
        for one in self.waiting:
            owed = owed.given(one.who, 1) if one.who else owed
        after = replace(self, waiting=(), owed=owed, sealed=self.sealed[:1])
        return Step(after, f"{len(self.waiting)} queued removed; spins owed given back")

    # Fields and counts

    def _all_back(self, command: Command, now: datetime) -> Step:
        if not self.gone and not self.came:
            raise CommandRefused("No fields are removed.")
        return Step(replace(self, gone=frozenset(), came={}), "restores all fields")

    def _count_anew(self, command: Command, now: datetime) -> Step:
        if not self.counts.spins:
            raise CommandRefused("Nothing counted yet.")
        return Step(replace(self, counts=SpinCounts()), f"{self.counts.spins} spins → 0, counts reset")

    # What it tells

    def read(self, now: datetime) -> Told:
        """The present value of each of its signals."""
        return told_of(self.advance(now), now)

    def view(self, at: datetime) -> Mapping[str, Any]:
        """What its pages show beside its signals."""
        return view_of(self.advance(at), at)

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """The longest that it comes to say."""
        return extremes_of(self)


def _named(given: Mapping[str, Any], which: str) -> str:
    """A name that was given, empty for none. Raises InvalidField for what is no name."""
    raw = given.get(which)
    if raw is not None and not isinstance(raw, str | int):
        raise InvalidField(f"{which} must be a name, such as teacup_ana.")
    return name_of(raw)
