"""What must be true beside: a formula, the scene, a stream session."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from tesoura.core.language.formula import Formula
from tesoura.core.language.functions import Undefined
from tesoura.core.language.scope import Missing, Scope
from tesoura.core.signals.assignments import air_signal
from tesoura.core.values import Scalar


@dataclass(frozen=True, slots=True)
class OnlyIf:
    """What a cue asks for before it fires.

    `scene_signal` tells the present scene, `session_runs` whether a stream session was begun.
    """

    formula: Formula | None = None
    scenes: tuple[str, ...] = ()
    scene_signal: str = ""
    in_session: bool = False
    session_runs: bool = False
    overlay: str = ""
    """The overlay that some viewers' page must show."""

    @property
    def reads(self) -> tuple[str, ...]:
        """The signals of the formula, the scene's, and the one that tells who shows the overlay."""
        scene = (self.scene_signal,) if self.scenes else ()
        shown = (air_signal(self.overlay),) if self.overlay else ()
        return (*(self.formula.names if self.formula else ()), *scene, *shown)

    def unmet(self, values: Mapping[str, Scalar]) -> str | None:
        """The first that is not so, in words; None when all is."""
        if self.scenes and (wrong := self._elsewhere(values)):
            return wrong
        if self.in_session and not self.session_runs:
            return "no stream session runs"
        if self.overlay and not values.get(air_signal(self.overlay)):
            return f"no page shows {self.overlay}"
        return self._untrue(self.formula, values) if self.formula else None

    def _elsewhere(self, values: Mapping[str, Scalar]) -> str | None:
        scene = str(values.get(self.scene_signal, ""))
        if scene.casefold() in [one.casefold() for one in self.scenes]:
            return None
        return f"the scene is {scene or 'not known'}, and not {' or '.join(self.scenes)}"

    @staticmethod
    def _untrue(formula: Formula, values: Mapping[str, Scalar]) -> str | None:
        try:
            return None if formula.evaluate(Scope(values)) else f"{formula.source.strip()} is false"
        except Missing as error:
            return f"{error.name} has no value yet"
        except Undefined as error:
            return f"{formula.source.strip()} can't be computed: {error.message}"

    def words(self) -> str:
        """It, in words that follow the trigger; empty for nothing."""
        parts = [f"in scene {' or '.join(self.scenes)}"] if self.scenes else []
        parts += ["while a session runs"] if self.in_session else []
        parts += [f"while {self.overlay} is on screen"] if self.overlay else []
        parts += [f"if {self.formula.source.strip()}"] if self.formula else []
        return ", ".join(parts)
