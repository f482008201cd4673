"""One of what is counted: the unit that stands behind a 1."""

from __future__ import annotations

_IRREGULAR = {"people": "person", "men": "man", "women": "woman", "children": "child", "feet": "foot", "lives": "life"}
_ENDINGS = (("ies", "y"), ("sses", "ss"), ("shes", "sh"), ("ches", "ch"), ("xes", "x"), ("s", ""))
_STAYS = ("ss", "us", "is")
LEAST = 3


def singular(unit: str) -> str:
    """What one of a unit is called, by the rules of English: `kite friends` gives `kite friend`. Others stay."""
    before, space, last = unit.rpartition(" ")
    if last.lower() in _IRREGULAR:
        return f"{before}{space}{_IRREGULAR[last.lower()]}"
    if len(last) <= LEAST or last.endswith(_STAYS) or not last.isalpha():
        return unit
    for many, one in _ENDINGS:
        if last.endswith(many):
            return f"{before}{space}{last.removesuffix(many)}{one}"
    return unit


def unit_for(unit: str, value: object) -> str:
    """The unit behind this value: the one of it for 1."""
    return singular(unit) if value == 1 and not isinstance(value, bool) else unit


def plural_wording(value: str, unit: str) -> str:
    """The part of a wording that says a unit rightly behind a value, which is a formula."""
    one = singular(unit)
    if one == unit or any(char in unit for char in "'{}\\"):
        return unit.replace("{", "{{").replace("}", "}}")
    return f"{{plural({value}, '{one}', '{unit}')}}"
