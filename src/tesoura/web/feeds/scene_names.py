"""Where scenes are named: in cues, instruments and overlays, so that none that is called otherwise is lost."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from sqlmodel import Session

from tesoura.core.instruments.registry import KINDS
from tesoura.core.nearest import nearest, same_name
from tesoura.core.overlays.document import from_document
from tesoura.errors import NewerDocument
from tesoura.store import computed as stored_computed
from tesoura.store import overlays as stored_overlays
from tesoura.web.shared.doors import store


def named_and_gone(scenes: Iterable[str]) -> list[tuple[str, str | None, list[str]]]:
    """The scenes that are named here and not among these: each with the nearest that is, and where it is named."""
    there = list(scenes)
    found = store().read(_named)
    return [(name, nearest(name, there), where) for name, where in sorted(found.items()) if not same_name(name, there)]


def _named(session: Session) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for row in stored_computed.all_computed(session):
        for name in _in_choices(row.kind, row.choices):
            found.setdefault(name, []).append(f"“{row.choices.get('title', row.name)}”")
    for overlay in stored_overlays.all_overlays(session):
        try:
            scenes = from_document(overlay.draft).scenes()
        except NewerDocument:
            continue
        for name in scenes:
            found.setdefault(name, []).append(f"the overlay “{overlay.name}”")
    return {name: list(dict.fromkeys(where)) for name, where in found.items()}


def _in_choices(kind: str, choices: Mapping[str, Any]) -> set[str]:
    if kind not in KINDS:
        return set()
    fields = KINDS[kind].fields
    names = {
        str(value)
        for name, value in choices.items()
        if name in fields and fields[name].kind == "scene" and fields[name].plays(choices)
    }
    listed = str(choices.get("if_scenes", ""))
    return {name.strip() for name in (*names, *listed.split(",")) if name.strip()}
