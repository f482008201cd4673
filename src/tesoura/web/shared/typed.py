"""Between a form and stored choices."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from flask import request

from tesoura.core.forms.form import Fields
from tesoura.web.shared.shown import plain_choice, zone


def typed_form() -> dict[str, Any]:
    """Return the form's fields by name; one that is there several times, such as ticks, as a list."""
    found: dict[str, Any] = {}
    for name, values in request.values.lists():
        if not name.startswith("_") and name != "csrf_token":
            # A switch that is on sends both of its values.
            found[name] = "yes" if values == ["no", "yes"] else values if len(values) > 1 else values[0]
    return _with_rows(found)


_CELL = re.compile(r"(items)\.(.+)\.([^.]+)")
"""The name of a field in a table: the table's, the row's id, and the column's."""


def _with_rows(typed: dict[str, Any]) -> dict[str, Any]:
    """Return the fields with those of a table as a list of rows, in their order on the page."""
    cells = {name: _CELL.fullmatch(name) for name in typed}
    if not any(cells.values()):
        return typed
    rows: dict[str, dict[str, Any]] = {}
    for name, cell in cells.items():
        if cell:
            rows.setdefault(cell[2], {"id": cell[2]})[cell[3]] = typed[name]
    return {**{name: value for name, value in typed.items() if not cells[name]}, "items": list(rows.values())}


def typed_texts() -> dict[str, str]:
    """Return the same with each field as one text, its ticks with commas between."""
    joined = {
        name: ", ".join(filter(None, one)) if isinstance(one, list) else one for name, one in typed_form().items()
    }
    return {name: str(one) for name, one in joined.items()}


def as_typed(fields: Fields, choices: Mapping[str, Any]) -> dict[str, Any]:
    """Return stored choices as the form shows them; a date in the user's zone."""
    typed = {key: plain_choice(value) for key, value in choices.items()}
    for name, field in fields.items():
        if field.kind == "instant" and typed.get(name):
            typed[name] = datetime.fromisoformat(typed[name]).astimezone(zone()).strftime("%Y-%m-%dT%H:%M")
    return typed
