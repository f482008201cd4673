"""The parameters of an action as JSON Schema."""

from __future__ import annotations

from typing import Any

from tesoura.actions.action import Action
from tesoura.core.forms.form import Fields

_TYPES = {"number": "number", "switch": "string"}


def parameters_schema(action: Action) -> dict[str, Any]:
    """The parameters of an action as JSON Schema."""
    return fields_schema(action.fields, action.open)


def fields_schema(fields: Fields, more: bool = False) -> dict[str, Any]:
    """Fields as JSON Schema; with `more`, others may be given beside them."""
    properties: dict[str, Any] = {}
    for name, field in fields.items():
        told: dict[str, Any] = {"description": f"{field.label}{f', in {field.unit}' if field.unit else ''}"}
        if field.kind in _TYPES:
            told["type"] = _TYPES[field.kind]
        if field.help:
            told["description"] += f". {field.help}"
        if field.placeholder:
            told["examples"] = [field.placeholder]
        if field.options:
            told["enum"] = [value for value, _ in field.options]
        if field.default != "":
            told["default"] = field.default
        properties[name] = told
    return {"type": "object", "properties": properties, "additionalProperties": more}
