"""Panels of instruments: on the desk, on the list, and on an instrument's own page."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from flask import url_for

from tesoura.actions.values import as_seen
from tesoura.errors import Ambiguous, InvalidField
from tesoura.runtime.instruments import InstrumentState
from tesoura.web.shared.doors import runtime


@dataclass(frozen=True, slots=True)
class EffectNote:
    """What a control would do, in words, or why it can do nothing now."""

    words: str
    wrong: bool = False


def panel(
    standing: InstrumentState,
    said: EffectNote | None = None,
    asks: Ambiguous | None = None,
    at: str = "",
    typed: Mapping[str, Any] | None = None,
) -> dict[str, Any]:
    """What the panel of an instrument is given. `effect` tells what a command would do now."""
    name = standing.setup.name

    def effect(command: str, **given: Any) -> EffectNote:
        try:
            return EffectNote(
                runtime().call(lambda self: as_seen(self, name, self.instruments.attempt(name, command, given).effect))
            )
        except InvalidField as error:
            return EffectNote(str(error), True)

    return {
        "it": standing,
        "name": name,
        "title": standing.setup.title,
        "effect": effect,
        "said": said,
        "asks": asks,
        "asked_by": at,
        "typed": typed or {},
    }


def panels() -> list[dict[str, Any]]:
    """The panels of all instruments."""
    return [panel(one) for one in runtime().call(lambda self: self.instruments.all())]


def full_panels() -> list[tuple[str, str]]:
    """What can be opened whole on the desk: where it is, and its words; several of a kind as one, where that is so."""
    found: dict[str, str] = {}
    for one in runtime().call(lambda self: self.instruments.setups("instruments")):
        kind = one.kind_of
        if kind.together:
            found[url_for("instruments.together_fragment", kind=kind.name)] = kind.together
        else:
            found[url_for("instruments.panel_fragment", name=one.name)] = one.title
    return list(found.items())
