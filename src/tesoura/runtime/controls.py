"""Panels over OSC and MIDI: controls that are moved press and turn the desk's buttons, and are shown how they stand."""

from __future__ import annotations

import asyncio
from collections import deque
from collections.abc import Callable, Coroutine
from typing import Any, Protocol, cast

from tesoura.core.desk.buttons import DeskButton
from tesoura.core.desk.controls import ControlMoved, Edges
from tesoura.core.desk.faces import ButtonFace
from tesoura.errors import TesouraError
from tesoura.links.device.protocol import ButtonPress
from tesoura.runtime.desk_leaves import DeskLeaves
from tesoura.runtime.devices import Operator
from tesoura.runtime.links import Links

KINDS = ("osc", "midi")
REMEMBERED = 20
GATHER_S = 0.04
ACTOR = "device:"


class Lamps(Protocol):
    """A link that can show where a control stands."""

    def show(self, sign: str, value: float) -> None:
        """Show it there."""
        ...


class Controls:
    """The way in for panels. One loop owns it."""

    operator: Operator

    def __init__(
        self, links: Links, leaves: DeskLeaves, start: Callable[[Coroutine[Any, Any, Any], str], object]
    ) -> None:
        self._links, self._leaves, self._start = links, leaves, start
        self._edges = Edges()
        self._count = 0
        self._heard: deque[tuple[int, ControlMoved]] = deque(maxlen=REMEMBERED)
        self._told: dict[int, dict[str, float]] = {}
        self._telling = False

    async def moved(self, link: str, moved: ControlMoved) -> None:
        """A control of a panel was moved."""
        self._count += 1
        self._heard.append((self._count, moved))
        presses = self._edges.presses(link, moved)
        for _, button in self._leaves.present.with_controls():
            if button.control == moved.sign:
                self._start(self._operate(button, link, moved, presses), "A panel control")

    async def _operate(self, button: DeskButton, link: str, moved: ControlMoved, presses: bool) -> None:
        try:
            if button.does == "level" and not moved.hit:
                await self.operator.turn(button.id, f"{ACTOR}{link}", level=moved.value)
            elif presses:
                await self.operator.press(ButtonPress(button.id), f"{ACTOR}{link}")
        except TesouraError:
            # It stands on the button, where whoever moved the control looks.
            return

    # Learning

    def mark(self) -> int:
        """The present place among what was heard."""
        return self._count

    def heard_since(self, mark: int) -> str | None:
        """The sign of the first control that was moved since then; None while none was."""
        return next((one.sign for at, one in self._heard if at > mark), None)

    # Lamps

    def touched(self) -> None:
        """Something that lamps show may have changed."""
        if not self._telling and self._leaves.present.with_controls():
            self._telling = True
            self._start(self._tell(), "Sending button states")

    async def _tell(self) -> None:
        await asyncio.sleep(GATHER_S)
        self._telling = False
        links = [one for kind in KINDS for one in self._links.of_kind(kind).values() if one is not None]
        # A panel that has just come is shown everything, the others what is different.
        self._told = {id(one): self._told.get(id(one), {}) for one in links}
        for _, button in self._leaves.present.with_controls() if links else ():
            lit = _lit(await self.operator.face(button, ACTOR))
            for one in links:
                if self._told[id(one)].get(button.control) != lit:
                    self._told[id(one)][button.control] = lit
                    cast(Lamps, one).show(button.control, lit)


def _lit(face: ButtonFace) -> float:
    return face.level if face.level is not None else 1.0 if face.on else 0.0
