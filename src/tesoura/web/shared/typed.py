"""Choices between a form and the store: dates as typed are of the user's zone; as they are kept, they say so."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.forms.form import Fields
from tesoura.web.shared.shown import plain_choice, zone


def in_zone(fields: Fields, typed: Mapping[str, Any]) -> dict[str, Any]:
    """What was typed, its dates with the user's zone."""
    out = dict(typed)
    for name, field in fields.items():
        if field.kind == "instant" and out.get(name):
            try:
                at = datetime.fromisoformat(str(out[name]))
            except ValueError:
                continue
            out[name] = (at if at.tzinfo else at.replace(tzinfo=zone())).isoformat()
    return out


def as_typed(fields: Fields, choices: Mapping[str, Any]) -> dict[str, Any]:
    """What is kept, as the form shows it."""
    typed = {key: plain_choice(value) for key, value in choices.items()}
    for name, field in fields.items():
        if field.kind == "instant" and typed.get(name):
            typed[name] = datetime.fromisoformat(typed[name]).astimezone(zone()).strftime("%Y-%m-%dT%H:%M")
    return typed
