"""Edits of a draft: small steps that are told in words, can be taken back, and name what they touched."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from tesoura.core.overlays.document import Overlay
from tesoura.core.overlays.edits.choices import change, place
from tesoura.core.overlays.edits.layout import align, distribute, order
from tesoura.core.overlays.edits.overlay import guides, settings, size
from tesoura.core.overlays.edits.pieces import add, copied, duplicate, group, paste, remove
from tesoura.core.overlays.edits.tools import Boxes, Edited, Tools
from tesoura.errors import Gone, NotAnEdit

__all__ = ["Edited", "Gone", "NotAnEdit", "apply", "apply_all", "conflicts", "copied"]


def apply(overlay: Overlay, edit: Mapping[str, Any], boxes: Boxes, new_id: Callable[[], str]) -> Edited:
    """Make one edit. Raises NotAnEdit, Gone, or InvalidPiece when nothing of it can be done."""
    make = _EDITS.get(str(edit.get("do")))
    if make is None:
        raise NotAnEdit("Not sent by the mat. Reload the page.")
    return make(overlay, edit, Tools(boxes, new_id))


_EDITS: Mapping[str, Callable[[Overlay, Mapping[str, Any], Tools], Edited]] = {
    "change": change,
    "place": place,
    "align": align,
    "distribute": distribute,
    "order": order,
    "add": add,
    "remove": remove,
    "duplicate": duplicate,
    "paste": paste,
    "group": group,
    "size": size,
    "settings": settings,
    "guides": guides,
}


def apply_all(overlay: Overlay, edits: Sequence[Mapping[str, Any]], boxes: Boxes, new_id: Callable[[], str]) -> Edited:
    """Make edits one after another, as one."""
    said: list[str] = []
    touched: frozenset[tuple[str, str]] = frozenset()
    chosen: tuple[str, ...] | None = None
    wrong: dict[str, str] = {}
    for edit in edits:
        done = apply(overlay, edit, boxes, new_id)
        overlay, touched, chosen = done.overlay, touched | done.touched, done.chosen or chosen
        wrong |= done.wrong
        said += [done.words] if done.words else []
    return Edited(overlay, "; ".join(dict.fromkeys(said))[:200], touched, chosen, wrong)


def conflicts(mine: frozenset[tuple[str, str]], others: Iterable[tuple[str, frozenset[tuple[str, str]]]]) -> list[str]:
    """What others did meanwhile to the same fields of the same pieces, in their words."""
    return [words for words, touched in others if touched & mine]
