"""Statistic slots: figures beside each other, each with an icon, a label and a value that can be off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say, wording_or_nothing

MOST = 12
ARRANGED = (("row", "side by side"), ("column", "stacked"), ("block", "grid"))
ICONS = (
    ("none", "none"),
    ("kite", "kite"),
    ("scissors", "scissors"),
    ("spool", "spool"),
    ("heart", "heart"),
    ("star", "star"),
    ("flag", "flag"),
    ("clock", "clock"),
    ("bolt", "bolt"),
    ("cup", "cup"),
    ("people", "people"),
    ("note", "note"),
    ("up", "arrow up"),
)
LABEL_SCALE = 0.42
ICON_SCALE, ICON_GAP = 0.8, 0.3
_FIRST = (("Cuts", "{kill.count_this_session}", "scissors"), ("Lost", "{death.count_this_session}", "kite"))


def _slot_fields() -> dict[str, Field]:
    fields: dict[str, Field] = {}
    for slot in range(1, MOST + 1):
        label, value, icon = _FIRST[slot - 1] if slot <= len(_FIRST) else ("", "", "none")
        there = ("count", tuple(str(count) for count in range(slot, MOST + 1)))
        under = f"Slot {slot}"
        fields |= {
            f"label_{slot}": Field("Label", text(60, empty=True), "", label, group=under, only_if=there),
            f"value_{slot}": Field(
                "Value", wording_or_nothing, "", value, "wording", group=under, only_if=there, of="statistic"
            ),
            f"icon_{slot}": one_of("Icon", ICONS, icon, group=under, only_if=there),
        }
    return fields


def columns(choices: Choices) -> int:
    """How many slots stand beside each other."""
    count: int = choices["count"]
    return {"row": count, "column": 1, "block": min(count, 2 if count <= 4 else 3)}[choices["arranged"]]


def _parts(choices: Choices) -> Mapping[str, Part]:
    slots = range(1, choices["count"] + 1)
    return {f"value_{slot}": say(choices[f"value_{slot}"], choices, choices["nothing_yet"]) for slot in slots}


def _words(choices: Choices) -> Sequence[PieceText]:
    found = []
    across = columns(choices)
    beside = choices["arranged"] == "column"
    slots = range(1, choices["count"] + 1)
    iconed = [choices["icons"] == "yes" and choices[f"icon_{slot}"] != "none" for slot in slots]
    for slot in slots:
        row, cell = divmod(slot - 1, across)
        # In a column the labels stand under each other, whether each has an icon or not.
        icon = any(iconed) if beside else iconed[slot - 1]
        place: dict[str, Any] = {"cell": cell, "cells": across, "less_em": ICON_SCALE + ICON_GAP if icon else 0.0}
        line = row if beside else row * 2
        if choices["labels"] == "yes" and (label := choices[f"label_{slot}"]):
            found.append(PieceText("", LABEL_SCALE, "quiet", line, fixed=label, **place))
            line += not beside
        if choices["values"] == "yes":
            found.append(PieceText(f"value_{slot}", 1.0, "colour", line, **place))
    return found


KIND = PieceKind(
    name="slots",
    title="Statistic slots",
    about="Figures with icons and labels.",
    fields={
        "count": number("Slots", 1, MOST, 2, group="Slots"),
        "arranged": one_of("Arrangement", ARRANGED, "row", group="Slots"),
        "icons": switch("Icons", group="Slots"),
        "labels": switch("Labels", group="Slots"),
        "values": switch("Values", group="Slots"),
        "nothing_yet": Field("Nothing yet", text(40, empty=True), "", "—", group="Slots"),
        **_slot_fields(),
        "size_px": SIZE,
    },
    parts=_parts,
    words=_words,
    size=(440, 140),
)
