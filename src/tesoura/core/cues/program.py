"""What a cue does: steps, each an effect with wordings filled in, each so long after the one before it begins."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any

from tesoura.core.cues.limits import Cause
from tesoura.core.cues.steps import CueStep, shown_without_keys
from tesoura.core.effects import BACK, CALL, CLAIMS, MOMENT, Effect
from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.language.scope import Scope
from tesoura.core.values import Scalar

SENSE_FOR = timedelta(seconds=10)
"""What begins later than this after its time makes no sense any more."""
EVENT = "event"
"""Under which the fields of what set the cue off stand in its wordings: `{event.name}`."""


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
        for number, one in enumerate(self.steps, 1):
            begins_s += one.after_s
            given: dict[str, Any] = {name: wording.render(scope).text or "" for name, wording in one.given.items()}
            if one.kind in CLAIMS:
                # So that what is taken back later is this, and nothing that others have shown meanwhile.
                given |= {"claim": f"{cause.key} {number}", "for_s": one.for_s}
            first = Effect(one.kind, one.target, given, delay_s=begins_s)
            if one.kind == CALL:
                shown = {name: shown_without_keys(text) for name, text in given.items()}
                unlogged = {"address": one.target, **given}
                first = replace(first, target=shown_without_keys(one.target), data=shown, unlogged=unlogged)
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
