"""Another file in the place of one that is shown, wherever that is."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import replace
from typing import Any

from tesoura.core.forms.form import Fields
from tesoura.core.overlays.document import MEDIA, Overlay


def fields_with(fields: Fields, choices: Mapping[str, Any], name: str) -> list[str]:
    """Which of these fields name a file, and name this one."""
    return [one for one, field in fields.items() if field.kind in MEDIA and choices.get(one) == name]


def swapped(overlay: Overlay, old: str, new: str, only: Collection[str] | None = None) -> tuple[Overlay, list[str]]:
    """An overlay with another file in the place of one, and where that was, as `PIECE.FIELD`.

    `only` names the places where it is done; None means all.
    """
    pieces, places = [], list[str]()
    for piece in overlay.pieces:
        names = [
            one
            for one in fields_with(piece.kind_of.all_fields, piece.choices, old)
            if only is None or f"{piece.id}.{one}" in only
        ]
        places += [f"{piece.id}.{one}" for one in names]
        pieces.append(replace(piece, choices={**piece.choices, **dict.fromkeys(names, new)}) if names else piece)
    return (replace(overlay, pieces=tuple(pieces)) if places else overlay), places
