"""What an instrument, a cue or a feed can do where others notice it: said before one that came from elsewhere may."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.cues import setup as cues
from tesoura.core.cues.program import CueSteps
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import InstrumentKind
from tesoura.errors import Invalid

_BY_FIELD = {"scene": "switches the scene to {}", "sound": "plays the sound {}", "chat": "speaks in the chat {}"}
"""What a choice of this kind of field leads to, in words."""


def abilities(kind: InstrumentKind, choices: Mapping[str, Any]) -> list[str]:
    """Return what an instrument set up this way can do on its own that viewers or other programs notice."""
    if kind.name == "cue":
        return _of_cue(choices)
    found = []
    for name, field in kind.fields.items():
        what, chosen = _what(field), str(choices.get(name) or "")
        if what and chosen not in ("", "none"):
            found.append(what.format(chosen))
    return list(dict.fromkeys(found))


def _what(field: Field) -> str:
    speaks = field.kind == "feed" and field.of in ("irc", "chat")
    return _BY_FIELD.get("chat" if speaks else field.kind, "")


def _of_cue(choices: Mapping[str, Any]) -> list[str]:
    try:
        program = cues.plan("cue", choices, Almanac()).program
    except (Invalid, KeyError, TypeError, ValueError):
        return ["does something that can't be read here"]
    return [program.words()] if isinstance(program, CueSteps) and program.words() else []


def persons(fields: Mapping[str, Field], choices: Mapping[str, Any]) -> dict[str, str]:
    """Return the choices that name a person, by field; an importer must replace them."""
    return {name: str(choices[name]) for name, field in fields.items() if field.person and choices.get(name)}
