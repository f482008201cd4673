"""Two forms of the same settings, opened beside each other: what one saves does not undo what the other saved."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from tesoura.core.forms.checks import group
from tesoura.core.forms.fields import Field
from tesoura.errors import ChangedMeanwhile

OPENED_WITH = {"opened_with": Field("Opened with", group, kind="data", default={})}
"""A parameter for the marks of what was saved when the form was opened; left out, everything is replaced."""


def marks_of(saved: Mapping[str, Any]) -> dict[str, str]:
    """A mark of each choice, by which it is told from another one; a key in an address cannot be read in it."""
    return {name: _mark(value) for name, value in saved.items()}


def merged(opened_with: Mapping[str, Any], mine: Mapping[str, Any], saved: Mapping[str, Any]) -> dict[str, Any]:
    """The choices to be saved: mine, and what was saved meanwhile of those that I left as they were.

    Raises ChangedMeanwhile, which names every choice that was changed in both places, and how it is now.
    """
    choices, conflicts = dict(mine), {}
    for name, was in opened_with.items():
        if name not in mine or was == _mark(saved.get(name)):
            continue
        if was == _mark(mine[name]) and name in saved:
            choices[name] = saved[name]
        elif _mark(mine[name]) != _mark(saved.get(name)):
            now = _shown(saved.get(name))
            conflicts[name] = f"Changed in another window since you opened this, to {now}. Save again to keep yours."
    if conflicts:
        raise ChangedMeanwhile(conflicts, marks_of(saved))
    return choices


def _mark(value: Any) -> str:
    return hashlib.sha256(json.dumps(value, sort_keys=True).encode()).hexdigest()[:16]


def _shown(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, list | tuple):
        return f"“{', '.join(str(one) for one in value)[:80]}”" if value else "nothing"
    return f"“{str(value)[:80]}”" if value not in (None, "") else "nothing"
