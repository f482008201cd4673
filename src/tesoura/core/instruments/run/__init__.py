"""A run through a game: hits by split against the best, its time, and what earlier attempts tell."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.run.commands import Run
from tesoura.core.instruments.run.piece import PIECE
from tesoura.core.instruments.run.plan import FIELDS, check, make
from tesoura.core.instruments.run.signals import SIGNALS
from tesoura.core.instruments.run.state import MOMENTS, kept
from tesoura.core.runs.route import route_file


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Run:
    return Run(make(name, choices))


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Run:
    return Run(make(name, choices), **kept(saved))


def _types(name: str, choices: Choices) -> list[str]:
    plan = make(name, choices)
    return [*(f"{name}.{one}" for one in MOMENTS), *((plan.event,) if plan.event else ())]


_given = text(300, empty=True)
_ROUTE = {"route": Field("Route", _given, placeholder="current route")}
_SPLIT = {"split": Field("Split", _given)}

KIND = InstrumentKind(
    name="run",
    title="No-hit run",
    about="Hits per split against your best; where runs end, the chance from here, the best of each split.",
    example="lantern_run",
    fields=FIELDS,
    shifts=True,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind("hit", "Hit", "In the current split."),
        CommandKind("way_hit", "Hit outside a fight", "Between two fights."),
        CommandKind("hit_back", "Undo last hit", "In whichever split it was."),
        CommandKind("next", "Next split", "After the last split, the run is complete."),
        CommandKind("previous", "Previous split", "Goes back one split."),
        CommandKind("begin", "Begin", "Starts the clock in the first split."),
        CommandKind("pause", "Pause or resume", "Stops or continues the clock."),
        CommandKind("start_over", "Start over", "Saves the attempt and prepares the next."),
        CommandKind("best", "Set as best", "The previous best is kept."),
        CommandKind("use_best", "Set another attempt as best", "By its number.", {"attempt": Field("Attempt", _given)}),
        CommandKind(
            "set_hits",
            "Set hits",
            "Corrects the hits of a split.",
            {**_SPLIT, "fight": Field("In fights", _given), "way": Field("Outside fights", _given)},
        ),
        CommandKind("undo", "Undo last press", "Press again for the one before."),
        CommandKind("choose_route", "Choose route", "Before the run starts.", _ROUTE),
        CommandKind(
            "new_route",
            "Create route",
            "Optionally with splits, one per line.",
            {"title": Field("Name", _given), "lines": Field("Splits", text(120_000, empty=True))},
            also=("id", "splits"),
        ),
        CommandKind("copy_route", "Duplicate route", "With its own splits.", _ROUTE),
        CommandKind("rename_route", "Rename route", "Its attempts stay.", {**_ROUTE, "title": Field("Name", _given)}),
        CommandKind("remove_route", "Delete route", "You can undo it.", _ROUTE),
        CommandKind(
            "bring_route",
            "Import route",
            "From a JSON or CSV file.",
            {"file": Field("File contents", text(1_000_000)), "title": Field("Name", _given)},
            also=("rows",),
        ),
        CommandKind(
            "add_splits",
            "Add splits",
            "One per line, at the end or at a position from 0.",
            {**_ROUTE, "names": Field("Names", text(120_000, empty=True)), "at": Field("Place", _given)},
            also=("group",),
        ),
        CommandKind(
            "change_split",
            "Change a split",
            "What is not given stays.",
            {
                **_SPLIT,
                "name": Field("Name", _given),
                "group": Field("Group", _given),
                "picture": Field("Picture", _given),
                "save": Field("Saved game", _given),
            },
        ),
        CommandKind(
            "move_split",
            "Move a split",
            "Positions down, or up with a minus sign.",
            {**_SPLIT, "by": Field("By", _given)},
        ),
        CommandKind(
            "remove_splits",
            "Remove splits",
            "Separate several with commas. You can undo it.",
            {"splits": Field("Splits", text(60_000))},
        ),
        CommandKind(
            "put_splits_back",
            "Restore splits",
            "Those that were removed.",
            also=("route", "splits", "stood"),
            hidden=True,
        ),
    ),
    buttons=(
        ("Hit", "hit", ""),
        ("Hit outside a fight", "way_hit", ""),
        ("Next split", "next", ""),
        ("Undo last press", "undo", ""),
        ("Previous split", "previous", ""),
        ("Pause", "pause", ""),
        ("Start over", "start_over", ""),
    ),
    types=_types,
    moments=lambda name, choices: {f"{name}.{one}": f"{choices['title']} {words}" for one, words in MOMENTS.items()},
    check=check,
    pieces=(PIECE,),
    carries=lambda run: [
        ("bring_route", {"file": json.dumps(route_file(one, run.plan.game)), "title": one.name}) for one in run.routes
    ],
    lays=lambda piece, choices: {"name": str(choices["title"])},
    passing=True,
    panel_follows=("state", "split", "all_hits", "hits", "attempt", "best_hits", "splits", "route", "clean"),
    watches=True,
)
