"""The pieces that draw game statistics: the match-end card, and vitals as bars."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, number, one_of, switch
from tesoura.core.instruments.statistics.plan import MAX_VITALS
from tesoura.core.instruments.statistics.table import STATISTICS
from tesoura.core.overlays.pieces.kind import SIZE, Choices, Part, PieceKind, PieceText, say
from tesoura.errors import InvalidField

SECTIONS = (
    ("result", "Result"),
    ("rating", "Rating change"),
    ("figures", "Figures"),
    ("row", "The last matches"),
    ("line", "Rating chart"),
)
FIGURES = 6
RESULT_SCALE, RATING_SCALE, LABEL_SCALE = 1.7, 0.8, 0.46
_SHOWN = [one for one in STATISTICS if "ended" in one.scopes and one.name not in ("deathless", "result")]
_OPTIONS = (("none", "nothing"), *((one.name, one.label) for one in _SHOWN))
_FIRST = ("kills", "deaths", "assists", "kd", "best_streak", "per_minute")
_OF = {one.name: one for one in _SHOWN}


def _sections(raw: object) -> str:
    known = [name for name, _ in SECTIONS]
    found = [part.strip() for part in str(raw).split(",") if part.strip()]
    if strange := [part for part in found if part not in known]:
        raise InvalidField(f"There is no section “{strange[0][:20]}”. There are {', '.join(known)}.")
    if not found:
        raise InvalidField("Leave at least one section on.")
    return ",".join(dict.fromkeys(found))


def sections_of(choices: Choices) -> list[str]:
    """The sections that are on, in their order."""
    return str(choices["sections"]).split(",")


def figures_of(choices: Choices) -> list[str]:
    """The statistics that the card shows."""
    return [name for at in range(1, FIGURES + 1) if (name := choices[f"figure_{at}"]) != "none"]


def label_of(name: str) -> str:
    """What a statistic is called."""
    return _OF[name].label


def _plain(words: str) -> str:
    """Words in which braces stand for themselves."""
    return words.replace("{", "{{").replace("}", "}}")


def _card_parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["statistics"]
    if not name:
        return {}
    result = f"{name}.card_result"
    words = " else ".join(f"{choices[one]!r} if {result} == {one!r}" for one in ("won", "lost"))
    parts: dict[str, Part] = {
        "result": say(f"{{{words} else {choices['drawn']!r} if {result} == 'drawn' else ''}}", choices),
        "opponent": say(f"{_plain(choices['against'])} {{{name}.card_opponent}}".strip(), choices),
        "rating": say(f"{{{name}.card_rating:,.0f}}", choices),
        "change": say(f"{{{name}.card_rating_change:signed}}", choices),
        **{one: say(f"{{{name}.card_{one}}}", choices) for one in ("row_won", "row_lost", "row_drawn", "rating_line")},
    }
    for at, one in enumerate(figures_of(choices), 1):
        parts[f"figure_{at}"] = say(_OF[one].wording(f"{name}.card_{one}"), choices, "—")
    return parts


def _card_words(choices: Choices) -> Sequence[PieceText]:
    found: list[PieceText] = []
    line, sections = 0, sections_of(choices)
    # The result and the rating stand beside each other where one follows the other.
    beside = "result,rating" in choices["sections"]
    for section in sections:
        if section == "result":
            found.append(PieceText("result", RESULT_SCALE, "accent", line))
            found.append(PieceText("opponent", RATING_SCALE, "quiet", line + 1))
            line += 2
        elif section == "rating":
            line -= 2 * beside
            found.append(PieceText("rating", 1.0, "colour", line))
            found.append(PieceText("change", RESULT_SCALE, "accent", line))
            line += 2 if beside else 1
        elif section == "figures":
            shown = figures_of(choices)
            for at, one in enumerate(shown):
                place: dict[str, Any] = {"cell": at, "cells": max(len(shown), 1)}
                found.append(PieceText("", LABEL_SCALE, "quiet", line, fixed=label_of(one), **place))
                found.append(PieceText(f"figure_{at + 1}", 1.0, "colour", line + 1, **place))
            line += 2
    return found


def _ended(choices: Choices) -> str:
    return f"{choices['statistics']}.match_ended" if choices["statistics"] else ""


CARD = PieceKind(
    name="match_card",
    title="Match-end card",
    about="Shown once when a match ends: result, figures, last matches.",
    fields={
        "statistics": Field("Of", text(60, empty=True), "", "", "instrument", group="Values", of="statistics"),
        "sections": Field(
            "Sections, from the top",
            _sections,
            "",
            ",".join(name for name, _ in SECTIONS),
            "ordered",
            SECTIONS,
            group="Sections",
        ),
        "won": Field("When it was won", text(40), "", "Won", group="Words"),
        "lost": Field("When it was lost", text(40), "", "Lost", group="Words"),
        "drawn": Field("When drawn", text(40), "", "Drawn", group="Words"),
        "against": Field("Before the opponent", text(40, empty=True), "", "against", group="Words"),
        "places": number("Matches shown", 1, 30, 12, group="Sections"),
        **{
            f"figure_{at}": one_of(f"Figure {at}", _OPTIONS, _FIRST[at - 1], group="Figures")
            for at in range(1, FIGURES + 1)
        },
        "size_px": SIZE,
    },
    parts=_card_parts,
    words=_card_words,
    size=(1180, 640),
    wants="Choose game statistics. Create them under Instruments first.",
    extra_em=3.2,
    template="instruments/statistics/card.html",
    first={"appears": "moment", "moment_s": 12},
    moment_type=_ended,
    helpers={"sections": sections_of, "figures": figures_of, "label": label_of},
)


# Vitals


def _which(raw: object) -> str:
    found = [part.strip().casefold() for part in str(raw).split(",") if part.strip()]
    if not found or len(found) > MAX_VITALS or not all(part.isidentifier() for part in found):
        raise InvalidField(f"Name one to {MAX_VITALS} vitals, as in health, shield.")
    return ", ".join(dict.fromkeys(found))


def which_of(choices: Choices) -> list[str]:
    """The vitals that are drawn."""
    return [part.strip() for part in str(choices["which"]).split(",")]


def _vital_parts(choices: Choices) -> Mapping[str, Part]:
    name = choices["statistics"]
    parts: dict[str, Part] = {}
    for at, one in enumerate(which_of(choices) if name else (), 1):
        parts[f"level_{at}"] = say(f"{{{name}.vital_{one}_share:.4f}}", choices, "0")
        if choices["figures"] == "yes":
            parts[f"figure_{at}"] = say(f"{{{name}.vital_{one}:.0f}}", choices, "—")
    return parts


def _vital_words(choices: Choices) -> Sequence[PieceText]:
    found: list[PieceText] = []
    for at, one in enumerate(which_of(choices), 1):
        if choices["labels"] == "yes":
            found.append(PieceText("", 1.0, "quiet", at - 1, fixed=one.replace("_", " ").capitalize()))
        if choices["figures"] == "yes":
            found.append(PieceText(f"figure_{at}", 1.0, "colour", at - 1))
    return found


VITALS = PieceKind(
    name="vitals",
    title="Vitals",
    about="Health and other vitals, one bar each.",
    fields={
        "statistics": Field("Of", text(60, empty=True), "", "", "instrument", group="Values", of="statistics"),
        "which": Field("Which", _which, "", "health, shield", group="Values"),
        "labels": switch("Labels", group="Values"),
        "figures": switch("Figures", group="Values"),
        "size_px": SIZE,
    },
    parts=_vital_parts,
    words=_vital_words,
    size=(420, 150),
    wants="Choose game statistics. Create them under Instruments first.",
    extra_em=0.8,
    template="instruments/statistics/vitals.html",
    helpers={"which": which_of},
)
