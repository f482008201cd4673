"""What a cue does: steps, each an effect with wordings filled in, each so long after the one before it begins."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from tesoura.core.cues.limits import Cause
from tesoura.core.effects import BACK, CALL, COMMAND, MOMENT, PRESS, SCENE, SET, SOUND_ON, Effect
from tesoura.core.forms.covering import covered, keys_in
from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.language.scope import Scope
from tesoura.core.language.wording import Wording, compile_wording
from tesoura.core.values import Scalar

SENSE_FOR = timedelta(seconds=10)
"""What begins later than this after its time makes no sense any more."""
EVENT = "event"
"""Under which the fields of what set the cue off stand in its wordings: `{event.name}`."""


@dataclass(frozen=True, slots=True)
class CueStep:
    """One step: its kind, what it is done to, its wordings by the name of what is given, seconds after the one before.

    `for_s` is for how long it lasts, where it is taken back by itself.
    """

    kind: str
    target: str
    given: Mapping[str, Wording]
    after_s: float = 0.0
    for_s: float = 0.0

    def words(self) -> str:
        """It, in words."""
        return _WORDS[self.kind](self)


def step(kind: str, target: str, given: Mapping[str, str], after_s: float = 0.0, for_s: float = 0.0) -> CueStep:
    """A step from what was typed. Raises FormulaError when a wording cannot be read."""
    return CueStep(kind, target, {name: compile_wording(text) for name, text in given.items()}, after_s, for_s)


def _shown(text: str) -> str:
    """An address, or what is sent there, without the keys in it."""
    return covered(text, keys_in(text))


_WORDS: Mapping[str, Callable[[CueStep], str]] = {
    SCENE: lambda one: f"switch to scene {one.target}" + (f" for {one.for_s:g} s and back" if one.for_s else ""),
    SET: lambda one: f"set {one.target} to {one.given['value'].source or 'nothing'}",
    COMMAND: lambda one: f"give {one.target} “{one.given['command'].source}”",
    PRESS: lambda one: f"press {one.target}",
    MOMENT: lambda one: f"show “{one.given['words'].source}” on {one.target} for {one.for_s:g} s",
    CALL: lambda one: f"call {_shown(one.target)}",
    SOUND_ON: lambda one: f"play {one.given['sound'].source} on {one.target}",
}


@dataclass(frozen=True, slots=True)
class CueSteps:
    """All that a cue does, in order. `style` is how its wordings write numbers."""

    steps: tuple[CueStep, ...]
    style: NumberStyle = ENGLISH

    @property
    def reads(self) -> tuple[str, ...]:
        """The signals that its wordings say; those of the event come with it."""
        names = (name for one in self.steps for wording in one.given.values() for name in wording.names)
        return tuple(dict.fromkeys(name for name in names if not name.startswith(f"{EVENT}.")))

    @property
    def lasts_s(self) -> float:
        """Until when it is busy: the last step's beginning, or the end of what is taken back, if that is later."""
        begins, ends = 0.0, 0.0
        for one in self.steps:
            begins += one.after_s
            ends = max(ends, begins + one.for_s)
        return ends

    def effects(self, cause: Cause, values: Mapping[str, Scalar], at: datetime) -> Sequence[Effect]:
        """The effects of one firing, in the order in which they begin. What cannot be said is said as nothing."""
        scope = Scope({**values, **{f"{EVENT}.{name}": value for name, value in cause.fields.items()}}, self.style)
        found, begins_s = list[Effect](), 0.0
        for one in self.steps:
            begins_s += one.after_s
            given = {name: wording.render(scope).text or "" for name, wording in one.given.items()}
            first = Effect(one.kind, one.target, given, delay_s=begins_s)
            if one.kind == CALL:
                shown = {name: _shown(text) for name, text in given.items()}
                unlogged = {"address": one.target, **given}
                first = replace(first, target=_shown(one.target), data=shown, unlogged=unlogged)
            if one.kind == MOMENT:
                first = replace(first, data={**given, "for_s": one.for_s})
            found.append(replace(first, not_after=at + timedelta(seconds=begins_s) + SENSE_FOR))
            if one.kind in BACK and one.for_s:
                # Taken back whenever that is: nobody wants to stay there for good.
                found.append(Effect(BACK[one.kind], one.target, given, delay_s=begins_s + one.for_s))
        return sorted(found, key=lambda effect: effect.delay_s)

    def words(self) -> str:
        """All steps, in words."""
        return ", ".join(
            ("then " if at else "") + (f"after {one.after_s:g} s " if one.after_s else "") + one.words()
            for at, one in enumerate(self.steps)
        )
