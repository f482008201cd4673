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
    return [*found, ("Take the notice away", "end_notice", ""), ("Put on air", "put_on_air", "")]


_given = text(300, empty=True)
_SIDE = {"side": one_of("Side", tuple((one, one) for one in SIDES), "home")}
_WHAT = {**_SIDE, "what": Field("What", _given)}
_ACT = {"act": Field("Act", _given)}

KIND = InstrumentKind(
    name="scoreboard",
    title="A scoreboard",
    about="A match counted by the rules of its sport, or by hand: score, serve, sets, ends, clock; with a phone too.",
    example="match",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=outputs,
    commands=(
        CommandKind("point", "A point", "A side scores; what it was, where that matters.", _WHAT),
        CommandKind("take_back", "Take back the last", "The last act counts no more; again and again, without end."),
        CommandKind("put_back", "Count it again", "What was taken back last counts again.", _ACT),
        CommandKind(
            "correct",
            "It was the other side's",
            "An act, however long ago, belongs to this side; all that came after it is told again.",
            {**_ACT, **_SIDE},
        ),
        CommandKind("strike", "It did not happen", "An act, however long ago, counts no more.", _ACT),
        CommandKind(
            "set",
            "Set a figure by hand",
            "points, games, sets, period, or something that is counted.",
            {"figure": Field("Figure", _given), **_SIDE, "value": Field("Value", _given)},
        ),
        CommandKind(
            "serve", "Who serves", "A side, and which of its players.", {**_SIDE, "player": Field("Player", _given)}
        ),
        CommandKind("swap_ends", "Change ends", "The sides stand at the other's end."),
        CommandKind("count", "A foul, a card, a time-out", "One is counted for a side.", _WHAT),
        CommandKind("penalty", "A penalty", "A side is one fewer, for as long as the sport has it.", _WHAT),
        CommandKind("end_penalty", "A penalty is over", "The one that has been served longest.", _SIDE),
        CommandKind("start_clock", "The clock runs", "From where it stands."),
        CommandKind("stop_clock", "The clock stands", "Where it is."),
        CommandKind(
            "set_clock",
            "Set the clock",
            "To what it shall show, running or not.",
            {"to": Field("To", _given, placeholder="12:30")},
        ),
        CommandKind(
            "add_time",
            "Minutes added",
            "What is announced beside the clock.",
            {"minutes": Field("Minutes", _given, placeholder="2")},
        ),
        CommandKind("end_period", "End of the period", "The next one, extra time, or the end of the match."),
        CommandKind("end_match", "End the match", "By a side's giving up, or by hand.", _SIDE),
        CommandKind("new_match", "A new match", "The present one is kept under matches."),
        CommandKind("last_match", "Back to the last match", "As long as nothing was counted in this one."),
        CommandKind(
            "side",
            "Change a side",
            "In the draft: name, short, colour, mark, players, country.",
            {**_SIDE, **SIDE_FIELDS},
        ),
        CommandKind("heading", "What the match is called", "In the draft.", {"heading": Field("Heading", _given)}),
        CommandKind(
            "take_team", "Take a team from the shelf", "Into the draft.", {**_SIDE, "team": Field("Team", _given)}
        ),
        CommandKind("exchange", "Exchange the sides", "In the draft: who is home is away."),
        CommandKind("put_on_air", "Put on air", "Viewers see the names, colours and marks of the draft."),
        CommandKind("drop_draft", "Drop the draft", "As viewers see it."),
        CommandKind(
            "notice",
            "A notice",
            "A line beside the score, now or after this rally, for a time or until it is taken away.",
            {
                "title": Field("Title", _given),
                "text": Field("Text", _given),
                "for_s": Field("For", _given, unit="s"),
                "when": Field("When", _given),
            },
        ),
        CommandKind(
            "end_notice",
            "Take the notice away",
            "The one that is seen, or one that waits.",
            {"notice": Field("Notice", _given)},
        ),
    ),
    buttons=_buttons,
    types=_types,
    moments=lambda name, choices: {
        f"{name}.{TYPE_OF.get(mark, mark)}": f"{words} in {choices['title']}" for mark, words in MOMENTS.items()
    },
    check=check,
    pieces=(PIECE,),
    items=ItemForm("team", "teams", SIDE_FIELDS, 100, "Kept for the next match; taken into the draft with one press."),
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
