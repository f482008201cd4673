"""Looks out and in as design tokens: JSON in the format of the Design Tokens Community Group.

Colours, dimensions, durations, font families, font weights and numbers are tokens of those types; a choice among words
(a shape, an entry) has no token type and stands in the group's `$extensions`.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from tesoura.core.forms.checks import line
from tesoura.core.overlays.looks import COLOURS, FORMS, STYLE_FIELDS, Look
from tesoura.errors import InvalidField, NotTokens

EXTENSION = "org.tesoura.look"
MAX_DEPTH = 20
_ALIAS = re.compile(r"\{([^{}]+)\}")


def to_tokens(look: Look) -> dict[str, Any]:
    """A look as a file of design tokens."""
    style = look.style("dark")
    group: dict[str, Any] = {"$description": look.about} if look.about else {}
    words = {}
    for name, field in STYLE_FIELDS.items():
        if name in COLOURS:
            continue
        token = _token(name, style[name])
        if token is None:
            words[name] = style[name]
        else:
            group[name] = {**token, "$description": field.label}
    for form in FORMS:
        colours = look.style(form)
        group[form] = {name: {"$type": "color", "$value": _colour_value(colours[name])} for name in COLOURS}
    group["$extensions"] = {EXTENSION: words}
    return {look.name: group}


def _token(name: str, value: Any) -> dict[str, Any] | None:
    if name == "typeface":
        return {"$type": "fontFamily", "$value": [value]}
    if name == "weight":
        return {"$type": "fontWeight", "$value": value}
    if name.endswith("_ms"):
        return {"$type": "duration", "$value": {"value": value, "unit": "ms"}}
    if name.endswith("_px"):
        return {"$type": "dimension", "$value": {"value": value, "unit": "px"}}
    return {"$type": "number", "$value": value} if isinstance(value, int) else None


def _colour_value(colour: str) -> dict[str, Any]:
    parts = [round(int(colour[at : at + 2], 16) / 255, 5) for at in (1, 3, 5)]
    return {"colorSpace": "srgb", "components": parts, "hex": colour.lower()}


def from_tokens(look_id: str, document: object) -> tuple[Look, list[str]]:
    """The look in a file of design tokens, and what in it could not be used. Raises NotTokens."""
    if not isinstance(document, Mapping):
        raise NotTokens("This is not a design-token file: it has no token group.")
    name, group = _group(document)
    values, left = _values(document, group, [one for one in STYLE_FIELDS if one not in COLOURS], name)
    words = group.get("$extensions", {})
    words = words.get(EXTENSION, {}) if isinstance(words, Mapping) else {}
    for key, raw in words.items() if isinstance(words, Mapping) else ():
        _take(values, left, str(key), raw, "")
    forms = {}
    for form in FORMS:
        inside = group.get(form) if isinstance(group.get(form), Mapping) else group
        forms[form], more = _values(document, inside or {}, COLOURS, f"{name}.{form}")
        left += more
    if not values and not any(forms.values()):
        raise NotTokens("No token in this file matches a look setting, such as colour, typeface or corner_px.")
    about = group.get("$description")
    return Look(look_id, name, about[:200] if isinstance(about, str) else "", values, forms), left


def _group(document: Mapping[str, Any]) -> tuple[str, Mapping[str, Any]]:
    groups = [(key, value) for key, value in document.items() if isinstance(value, Mapping) and not key.startswith("$")]
    if len(groups) == 1 and "$value" not in groups[0][1]:
        name, group = groups[0]
        try:
            return line(60)(name), group
        except InvalidField as error:
            raise NotTokens(f"The group's name can't be used for a look: {error}") from None
    return "Imported look", document


def _values(
    document: Mapping[str, Any], group: Mapping[str, Any], names: Any, where: str
) -> tuple[dict[str, Any], list[str]]:
    values: dict[str, Any] = {}
    left: list[str] = []
    for name in names:
        token = group.get(name)
        if isinstance(token, Mapping) and "$value" in token:
            _take(values, left, name, _plain(document, token["$value"], 0), f"{where}.")
    return values, left


def _take(values: dict[str, Any], left: list[str], name: str, raw: object, where: str) -> None:
    if name not in STYLE_FIELDS:
        left.append(f"{where}{name}: not a look setting.")
        return
    try:
        values[name] = STYLE_FIELDS[name].check(raw)
    except InvalidField as error:
        left.append(f"{where}{name}: {error}")


def _plain(document: Mapping[str, Any], value: Any, depth: int) -> Any:
    """A token's value as a field takes it: aliases followed, units left out, colours as hex digits."""
    if isinstance(value, str) and (alias := _ALIAS.fullmatch(value)):
        found: Any = document
        for step in alias[1].split("."):
            found = found.get(step, {}) if isinstance(found, Mapping) else {}
        if depth >= MAX_DEPTH or not isinstance(found, Mapping) or "$value" not in found:
            return value
        return _plain(document, found["$value"], depth + 1)
    if isinstance(value, list) and value:
        return value[0]
    if isinstance(value, Mapping):
        if "components" in value or "hex" in value:
            return _hex(value)
        scale = {"s": 1000, "rem": 16}.get(str(value.get("unit")), 1)
        amount = value.get("value")
        return amount * scale if isinstance(amount, int | float) else amount
    return value


def _hex(value: Mapping[str, Any]) -> str:
    parts = value.get("components")
    usable = isinstance(parts, list) and len(parts) == 3 and value.get("colorSpace", "srgb") == "srgb"
    if isinstance(parts, list) and usable and all(isinstance(part, int | float) and 0 <= part <= 1 for part in parts):
        return "#" + "".join(f"{round(part * 255):02X}" for part in parts)
    return str(value.get("hex", "a colour outside sRGB"))
