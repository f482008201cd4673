"""Choices between a form and the store: dates as typed are of the user's zone; as they are kept, they say so."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from tesoura.core.forms.form import FormField
from tesoura.web.shared.shown import plain_choice, zone


def in_zone(fields: Sequence[FormField], typed: Mapping[str, Any]) -> dict[str, Any]:
    """What was typed, its dates with the user's zone."""
    out = dict(typed)
    for field in fields:
        if field.kind == "instant" and out.get(field.name):
            try:
                at = datetime.fromisoformat(str(out[field.name]))
            except ValueError:
                continue
            out[field.name] = (at if at.tzinfo else at.replace(tzinfo=zone())).isoformat()
    return out


def as_typed(fields: Sequence[FormField], choices: Mapping[str, Any]) -> dict[str, Any]:
    """What is kept, as the form shows it."""
    typed = {key: plain_choice(value) for key, value in choices.items()}
    for field in fields:
        if field.kind == "instant" and typed.get(field.name):
            typed[field.name] = datetime.fromisoformat(typed[field.name]).astimezone(zone()).strftime("%Y-%m-%dT%H:%M")
    return typed
