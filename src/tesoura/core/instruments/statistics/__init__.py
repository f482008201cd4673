"""Game statistics: what a game's events come to by match, session, day and last matches; the match-end card."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.statistics.pieces import CARD, VITALS
from tesoura.core.instruments.statistics.plan import FIELDS, HEARD, make, vitals_of
from tesoura.core.instruments.statistics.schema import FIELDS as EVENT_FIELDS
from tesoura.core.instruments.statistics.schema import GAME_EVENTS
from tesoura.core.instruments.statistics.scoped import GROUPS
from tesoura.core.instruments.statistics.statistics import Statistics
from tesoura.core.instruments.statistics.table import SCOPES, STATISTICS, outputs


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Statistics:
    return Statistics(make(name, choices), almanac)


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Statistics:
    return Statistics(make(name, choices), almanac).restore(saved)


def _depends_on(choices: Choices, almanac: Almanac) -> str:
    began = almanac.session_began.isoformat() if almanac.session_began else ""
    return f"{almanac.zone} {began}"


def _ready_wordings(of: str, name: str) -> list[tuple[str, Mapping[str, str]]]:
    """Every statistic in every scope, for a slot."""
    found: list[tuple[str, Mapping[str, str]]] = []
    for one in STATISTICS if of == "statistic" else ():
        for scope in one.scopes:
            given = {"label": one.label, "value": one.wording(f"{name}.{scope}_{one.name}"), "icon": one.icon}
            found.append((f"{one.label}, {SCOPES[scope]}", given))
    return found


_given = text(40, empty=True)

KIND = InstrumentKind(
    name="statistics",
    title="Game statistics",
    about="Kills, deaths, streaks, results and rating from game events; vitals as bars; a match-end card.",
    example="game",
    shares=True,
    reported="session_",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: outputs(vitals_of(choices["vitals"])),
    commands=(
        CommandKind(
            "correct",
            "Correct",
            "Add or remove a kill, death or assist.",
            {"what": Field("What", _given), "by": Field("By", _given)},
        ),
        CommandKind(
            "reset", "Reset", "Set the session, the match or one statistic to 0.", {"what": Field("What", _given)}
        ),
        CommandKind("undo", "Undo", "Undoes the last correction or reset.", also=("of",)),
        CommandKind(
            "show_card",
            "Show card now",
            "With the last match, or with 1, 2 or 30 made-up ones.",
            {"of": Field("Of", _given)},
        ),
    ),
    buttons=(
        ("Kill +1", "correct", "what kills, by 1"),
        ("Death +1", "correct", "what deaths, by 1"),
        ("Assist +1", "correct", "what assists, by 1"),
        ("Show card now", "show_card", ""),
        ("Undo", "undo", ""),
    ),
    types=lambda name, choices: (*HEARD, f"{name}.match_ended"),
    moments=lambda name, choices: {f"{name}.match_ended": f"a match of {choices['title']} has ended"},
    depends_on=_depends_on,
    pieces=(CARD, VITALS),
    ready_wordings=_ready_wordings,
    facts={"statistics": STATISTICS, "scopes": SCOPES, "groups": GROUPS, "events": GAME_EVENTS, "fields": EVENT_FIELDS},
)
