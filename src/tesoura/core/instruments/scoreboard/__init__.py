"""A scoreboard: a match counted by its sport's rules or by hand, its sides, its notices, on air and in draft."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field, one_of
from tesoura.core.instruments.base import Choices, InstrumentKind, ReadyButton
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.items import ItemForm
from tesoura.core.instruments.records import RecordKind
from tesoura.core.instruments.scoreboard.acts import SIDES
from tesoura.core.instruments.scoreboard.commands import Scoreboard
from tesoura.core.instruments.scoreboard.piece import PIECE
from tesoura.core.instruments.scoreboard.plan import FIELDS, check, make, sport_of
from tesoura.core.instruments.scoreboard.sides import SIDE_FIELDS
from tesoura.core.instruments.scoreboard.signals import outputs
from tesoura.core.instruments.scoreboard.state import MATCH_RECORD, MOMENTS, TYPE_OF, kept
from tesoura.core.sports.timed import TimedSport


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Scoreboard:
    return Scoreboard.made(make(name, choices))


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Scoreboard:
    return Scoreboard.made(make(name, choices), **kept(saved))


def _types(name: str, choices: Choices) -> list[str]:
    return [f"{name}.{TYPE_OF.get(mark, mark)}" for mark in MOMENTS]


def _buttons(choices: Choices) -> list[ReadyButton]:
    """Both sides with the way back between them; the clock and fouls where the sport has them; names put on air."""
    sport = sport_of(choices)
    found: list[ReadyButton] = [
        {"does": "side", "side": "home"},
        {"does": "back", "size": "wide"},
        {"does": "side", "side": "away"},
    ]
    if isinstance(sport, TimedSport):
        _, *others = sport.scores
        found += [
            {"does": "side", "side": side, "what": one, "words": f"{one}, {side}"} for one in others for side in SIDES
        ]
        found += [{"does": "match_clock"}, (f"End of the {sport.called}", "end_period", "")] if sport.minutes else []
        found += [
            (f"{one.title}: {side}", "count", f"side {side}, what {one.name}")
            for one in sport.team_counts
            for side in SIDES
        ]
        found += [
            (f"{one}: {side}", "penalty", f"side {side}, what {one}") for one in sport.penalties or () for side in SIDES
        ]
    else:
        found.append(("Change ends", "swap_ends", ""))
    return [*found, ("Remove notice", "end_notice", ""), ("Put on air", "put_on_air", "")]


_given = text(300, empty=True)
_SIDE = {"side": one_of("Side", tuple((one, one) for one in SIDES), "home")}
_WHAT = {**_SIDE, "what": Field("What", _given)}
_ACT = {"act": Field("Act", _given)}

KIND = InstrumentKind(
    name="scoreboard",
    title="A scoreboard",
    about="Scores a match by the rules of its sport or by hand: score, serve, sets, ends, clock.",
    example="match",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=outputs,
    commands=(
        CommandKind("point", "A point", "For a side; with its kind where that matters.", _WHAT),
        CommandKind("take_back", "Undo last entry", "As often as needed."),
        CommandKind("put_back", "Restore", "Restores the last undone entry.", _ACT),
        CommandKind(
            "correct",
            "Switch side",
            "Assigns any entry to the other side; everything after it is recounted.",
            {**_ACT, **_SIDE},
        ),
        CommandKind("strike", "Void", "Any entry; it no longer counts.", _ACT),
        CommandKind(
            "set",
            "Set a figure",
            "Points, games, sets, period or another counter.",
            {"figure": Field("Figure", _given), **_SIDE, "value": Field("Value", _given)},
        ),
        CommandKind(
            "serve", "Server", "A side, and which of its players.", {**_SIDE, "player": Field("Player", _given)}
        ),
        CommandKind("swap_ends", "Change ends", "Swaps the ends of the sides."),
        CommandKind("count", "A foul, a card, a time-out", "Counts one for a side.", _WHAT),
        CommandKind("penalty", "A penalty", "A side plays with one fewer for the time the rules set.", _WHAT),
        CommandKind("end_penalty", "End penalty", "The one running longest.", _SIDE),
        CommandKind("start_clock", "Start clock", "From its current time."),
        CommandKind("stop_clock", "Stop clock", "At its current time."),
        CommandKind(
            "set_clock", "Set clock", "To any time, running or not.", {"to": Field("To", _given, placeholder="12:30")}
        ),
        CommandKind(
            "add_time",
            "Added minutes",
            "Shown beside the clock.",
            {"minutes": Field("Minutes", _given, placeholder="2")},
        ),
        CommandKind("end_period", "End of the period", "Then the next period, extra time or the end."),
        CommandKind("end_match", "End match", "By retirement, or by hand.", _SIDE),
        CommandKind("new_match", "New match", "The current match is saved."),
        CommandKind("last_match", "Back to last match", "While the new match is empty."),
        CommandKind(
            "side",
            "Change a side",
            "In the draft: name, short name, colour, mark, players, country.",
            {**_SIDE, **SIDE_FIELDS},
        ),
        CommandKind("heading", "Match title", "In the draft.", {"heading": Field("Heading", _given)}),
        CommandKind("take_team", "Add a saved team", "To the draft.", {**_SIDE, "team": Field("Team", _given)}),
        CommandKind("exchange", "Swap sides", "In the draft."),
        CommandKind("put_on_air", "Put on air", "Publishes the draft's names, colours and marks."),
        CommandKind("drop_draft", "Discard draft", "Back to what's on air."),
        CommandKind(
            "notice",
            "Notice",
            "A line beside the score, now or after the rally, for some time or until removed.",
            {
                "title": Field("Title", _given),
                "text": Field("Text", _given),
                "for_s": Field("For", _given, unit="s"),
                "when": Field("When", _given),
            },
        ),
        CommandKind(
            "end_notice", "Remove notice", "The one on screen, or a queued one.", {"notice": Field("Notice", _given)}
        ),
    ),
    buttons=_buttons,
    types=_types,
    moments=lambda name, choices: {
        f"{name}.{TYPE_OF.get(mark, mark)}": f"{words} in {choices['title']}" for mark, words in MOMENTS.items()
    },
    check=check,
    pieces=(PIECE,),
    items=ItemForm("team", "teams", SIDE_FIELDS, 100, "Saved for the next match."),
    records=(
        RecordKind(
            MATCH_RECORD,
            "matches",
            {
                "heading": "Match",
                "home": "Home",
                "away": "Away",
                "result": "Result",
                "sets": "Sets",
                "winner": "Winner",
            },
        ),
    ),
    passing=True,
    panel_follows=(
        "state",
        "call",
        "home_points",
        "away_points",
        "score",
        "spans",
        "serves",
        "colours",
        "heading",
        "home_name",
        "away_name",
        "notice",
        "span",
        "added",
        "ends",
        "home_penalties",
        "away_penalties",
    ),
)
