"""How what a starter makes would look: its pieces drawn from made-up values, in a few steps one after the other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from tesoura.bundles.starters import Starter, lines_of, with_answers
from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.definitions import COMPUTED, build
from tesoura.core.forms.form import fill
from tesoura.core.instruments.base import Step
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.instruments.runner import COMMAND, Setup
from tesoura.core.overlays.document import Overlay, new_piece
from tesoura.core.overlays.looks import Look
from tesoura.core.signals.engine import Engine
from tesoura.core.values import Event, Reading
from tesoura.errors import Invalid
from tesoura.studio.drawings import Drawings
from tesoura.studio.previews import Previews

BEGAN = datetime(2026, 1, 8, 19, 0, tzinfo=UTC)
"""When the made-up evening began on which samples are drawn; any would do."""
MOST_STEPS = 12
_CHANCE, _SECRET = 0.5, "0" * 64


@dataclass(frozen=True, slots=True)
class Sample:
    """An overlay, and what its pieces say in each step, as a page is told it."""

    overlay: Overlay
    steps: tuple[Mapping[str, str], ...]
    at: datetime = BEGAN


class _Evening:
    """A made-up evening on which a starter runs, without a store and without a clock."""

    def __init__(self, starter: Starter) -> None:
        self.engine = Engine()
        self.now = BEGAN
        self._seq = 0
        self.engine.set_almanac(Almanac(session_began=BEGAN))
        self._answers = {**{one.name: one.start for one in starter.questions}, **starter.sample.get("answers", {})}
        self._starter = starter

    def begin(self) -> None:
        """Set everything up that the starter says."""
        self.engine.count_events({}, BEGAN, BEGAN)
        for row in self._starter.computed:
            choices = {
                key: with_answers(value, self._answers) for key, value in row.items() if key not in ("kind", "name")
            }
            filled = fill(COMPUTED[str(row["kind"])].fields, choices)
            self.engine.compute(build(str(row["kind"]), str(row["name"]), filled.choices), self.now)
        own = self._starter.sample.get("choices", {})
        setups = []
        for part in self._starter.instruments:
            typed = {**with_answers(part.choices, self._answers), **own.get(part.name, {})}
            setups.append(Setup(part.kind, part.name, fill(INSTRUMENTS[part.kind].fields, typed).choices))
        shared = {one.name: one.choices for one in setups if one.kind_of.shares}
        self.engine.set_almanac(Almanac(session_began=BEGAN, shared=shared))
        for one in setups:
            self.engine.compute(one, self.now)
            if one.kind_of.first:
                self.command(one.name, one.kind_of.first, {})
        for part in self._starter.instruments:
            for command in part.then:
                for line in lines_of(self._answers.get(command.each, "")) if command.each else [""]:
                    here = {**self._answers, command.each: line}
                    self.command(part.name, command.name, with_answers(command.given, here))

    def command(self, instrument: str, name: str, given: Mapping[str, Any]) -> None:
        """Give a command, as the log would tell it."""
        runner = self.engine.graph.player(instrument)
        known = runner.definition.kind_of.command(name) if runner is not None else None
        if runner is None or known is None:
            return
        drawn = ({"chance": _CHANCE} if known.draws else {}) | ({"secret": _SECRET} if known.seals else {})
        try:
            command = Command(name, given, chance=_CHANCE, secret=_SECRET)
            step: Step | None = self.engine.graph.ask(instrument, lambda one: one.attempt(command, self.now), None)
        except Invalid:
            step = None
        if step is None:
            # It makes no sense as things stand, or fails: the picture goes on without it.
            return
        data = {"command": name, **step.given, **drawn}
        self.event(COMMAND + instrument, data, "tesoura")

    def event(self, kind: str, data: Mapping[str, Any], source: str = "sample") -> None:
        """Let something happen now."""
        self._seq += 1
        self.engine.apply_event(Event(f"sample-{self._seq}", source, kind, self.now, data), self.now, self._seq)

    def value(self, name: str, value: Any) -> None:
        """Let a signal have this value."""
        self.engine.set_value(Reading(name, value, self.now), name.partition(".")[0], None, None, self.now)

    def go_on(self, by_s: float) -> None:
        """Let time pass."""
        self.now += timedelta(seconds=by_s)
        self.engine.tick(self.now)
        self.engine.settle(self.now)
        for setup, fired in self.engine.graph.take_fired():
            self.event(fired.type, fired.data, f"instrument:{setup.name}")
        self.engine.settle(self.now)

    def overlay(self, looks: Mapping[str, Look]) -> Overlay:
        """Its overlay, but for pieces that would not be seen together."""
        told = self._starter.overlay
        assert told is not None
        without = self._starter.sample.get("without", ())
        pieces = tuple(
            new_piece(
                one["kind"],
                f"p{at}",
                **with_answers({key: value for key, value in one.items() if key != "kind"}, self._answers),
            )
            for at, one in enumerate(told.pieces)
            if one.get("name") not in without
        )
        # A moment stands still here: its words are to be seen.
        still = tuple(one.changed({"appears": "always"}) if one.is_moment else one for one in pieces)
        return Overlay(told.width_px, told.height_px, still, looks=looks)


def sample_of(starter: Starter, looks: Mapping[str, Look]) -> Sample:
    """What a starter's overlay would look like on a made-up evening. Raises InvalidPiece, and FormulaError."""
    evening, told = _Evening(starter), starter.sample
    evening.begin()
    # What instruments must learn of one another is known after a moment.
    evening.go_on(0.0)
    evening.go_on(0.0)
    overlay = evening.overlay(looks)
    worn = {name: look for name, look in looks.items() if name in overlay.worn()}
    happens = (*told.get("events", ()), *told.get("commands", ()))
    count = max(
        [
            int(told.get("steps", 1)),
            *(len(one) for one in told.get("values", {}).values()),
            *(int(one.get("step", 0)) + 1 for one in happens),
        ]
    )
    previews = Previews(evening.engine, Drawings(evening.engine, lambda: evening.now))
    steps = []
    for step in range(min(count, MOST_STEPS)):
        for name, values in told.get("values", {}).items():
            evening.value(name, values[min(step, len(values) - 1)])
        for one in told.get("events", ()):
            if int(one.get("step", 0)) == step:
                evening.event(str(one["type"]), dict(one.get("data", {})))
        for one in told.get("commands", ()):
            if int(one.get("step", 0)) == step:
                evening.command(str(one["instrument"]), str(one["command"]), dict(one.get("given", {})))
        evening.go_on(float(told.get("step_s", 1.0)))
        says = {}
        for piece_id, preview in previews.of(overlay, {}).items():
            for part, text in preview.says["live"].items():
                says[f"{piece_id}.{part}" if part else piece_id] = text
        steps.append(says)
    return Sample(replace(overlay, looks=worn), tuple(steps), evening.now)
