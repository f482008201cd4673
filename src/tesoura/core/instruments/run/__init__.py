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
_ROUTE = {"route": Field("Route", _given, placeholder="the one that is run")}
_SPLIT = {"split": Field("Split", _given)}

KIND = InstrumentKind(
    name="run",
    title="A run without hits",
    about="Hits by split against the best, with keys; where runs end, the chance from here, the best of each split.",
    example="lantern_run",
    fields=FIELDS,
    shifts=True,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind("hit", "Hit", "One more in the split in hand."),
        CommandKind("way_hit", "Hit on the way", "One that happened on the way to the fight."),
        CommandKind("hit_back", "Take the last hit back", "Wherever it was."),
        CommandKind("next", "Next split", "The one in hand is passed; behind the last one the run is through."),
        CommandKind("previous", "Previous split", "Back by one."),
        CommandKind("begin", "Begin", "The time begins, in the first split."),
        CommandKind("pause", "Pause, or go on", "The clock stands, or runs on."),
        CommandKind("start_over", "Start over", "The attempt is kept, and the next one is ready."),
        CommandKind("best", "This is the best now", "The one before is kept."),
        CommandKind(
            "use_best",
            "That one is the best",
            "An earlier attempt, by its number.",
            {"attempt": Field("Attempt", _given)},
        ),
        CommandKind(
            "set_hits",
            "Set a split's hits",
            "By hand, where a count went wrong.",
            {**_SPLIT, "fight": Field("In the fight", _given), "way": Field("On the way", _given)},
        ),
        CommandKind("undo", "Undo the last press", "Again for the one before it."),
        CommandKind("choose_route", "Run another route", "Before the run begins.", _ROUTE),
        CommandKind(
            "new_route",
            "Make a route",
            "With its splits, one a line, if they are given.",
            {"title": Field("Called", _given), "lines": Field("Splits", text(120_000, empty=True))},
            also=("id", "splits"),
        ),
        CommandKind("copy_route", "Make a route once more", "With splits of its own.", _ROUTE),
        CommandKind(
            "rename_route", "Rename a route", "Its attempts stay.", {**_ROUTE, "title": Field("Called", _given)}
        ),
        CommandKind("remove_route", "Take a route away", "It can be put back.", _ROUTE),
        CommandKind(
            "bring_route",
            "Bring a route in",
            "Out of a file, JSON or CSV.",
            {"file": Field("The file's text", text(1_000_000)), "title": Field("Called", _given)},
            also=("rows",),
        ),
        CommandKind(
            "add_splits",
            "Add splits",
            "One a line, at the end or at a place that counts from 0.",
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
            "So many places down, or up with a minus.",
            {**_SPLIT, "by": Field("By", _given)},
        ),
        CommandKind(
            "remove_splits",
            "Take splits out",
            "Several with commas between; they can be put back.",
            {"splits": Field("Splits", text(60_000))},
        ),
        CommandKind(
            "put_splits_back",
            "Put splits back",
            "Those that were taken out.",
            also=("route", "splits", "stood"),
            hidden=True,
        ),
    ),
    buttons=(
        ("Hit", "hit", ""),
        ("Hit on the way", "way_hit", ""),
        ("Next split", "next", ""),
        ("Undo the last press", "undo", ""),
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
