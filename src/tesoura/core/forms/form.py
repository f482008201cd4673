"""Forms: fields by name, filled in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, tzinfo
from typing import Any

from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField

Fields = Mapping[str, Field]
"""A form, or what can be chosen of a piece: its fields by name, in the order in which they are asked."""


@dataclass(frozen=True, slots=True)
class Filled:
    """A form as filled in: its choices, its secrets, and what is wrong by field."""

    choices: Mapping[str, Any] = field(default_factory=dict)
    secrets: Mapping[str, str] = field(default_factory=dict)
    wrong: Mapping[str, str] = field(default_factory=dict)


def fill(fields: Fields, typed: Mapping[str, object], kept: Mapping[str, str] | None = None) -> Filled:
    """Check what was typed. A secret left empty keeps the one in `kept`; a field that plays no part falls away."""
    choices: dict[str, Any] = {}
    secrets: dict[str, str] = {}
    wrong: dict[str, str] = {}
    standing = {**{name: one.default for name, one in fields.items()}, **typed}
    for name, one in fields.items():
        if not one.plays(standing):
            if one.kind == "secret":
                secrets[name] = ""
            continue
        raw = typed.get(name, one.default)
        if one.kind == "secret" and not raw:
            raw = (kept or {}).get(name, "")
        try:
            value = one.check(raw)
        except InvalidField as error:
            wrong[name] = str(error)
            continue
        (secrets if one.kind == "secret" else choices)[name] = value
    return Filled(choices, secrets, wrong)


def in_zone(fields: Fields, typed: Mapping[str, Any], zone: tzinfo) -> dict[str, Any]:
    """Return what was typed, with the user's zone for each date that names none."""
    out = dict(typed)
    for name, one in fields.items():
        if one.kind == "instant" and out.get(name):
            try:
                at = datetime.fromisoformat(str(out[name]))
            except ValueError:
                continue
            out[name] = (at if at.tzinfo else at.replace(tzinfo=zone)).isoformat()
    return out


def secret_names(fields: Fields) -> list[str]:
    """The names of the fields whose values are kept covered."""
    return [name for name, one in fields.items() if one.kind == "secret"]
