"""The parameters of an action as JSON Schema."""

from __future__ import annotations

from typing import Any

from tesoura.actions.action import Action

_TYPES = {"number": "number", "switch": "string"}


def parameters_schema(action: Action) -> dict[str, Any]:
    """The parameters of an action as JSON Schema."""
    properties: dict[str, Any] = {}
    for name, field in action.fields.items():
        told: dict[str, Any] = {"description": f"{field.label}{f', in {field.unit}' if field.unit else ''}"}
        if field.kind in _TYPES:
            told["type"] = _TYPES[field.kind]
        if field.options:
            told["enum"] = [value for value, _ in field.options]
        if field.default != "":
            told["default"] = field.default
        properties[name] = told
    return {"type": "object", "properties": properties, "additionalProperties": action.open}
