"""Matches as files: a match as it was told, told again; point by point as a table."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tesoura.core.computed.occurrence import instant
from tesoura.core.instruments.records import Record
from tesoura.core.instruments.scoreboard.acts import MatchAct, act_of
from tesoura.core.instruments.scoreboard.plan import FIELDS, PLAYED_BY, MatchPlan, make
from tesoura.core.instruments.scoreboard.sides import Lineup
from tesoura.core.instruments.scoreboard.state import MATCH_RECORD, Board
from tesoura.core.instruments.scoreboard.view import act_rows
from tesoura.core.instruments.scoreboard.words import result_of, score_text, spans_text, winner_of
from tesoura.errors import Invalid, InvalidField

FORMAT = "tesoura match 1"
COLUMNS = ("place", "at", "side", "words", "score", "spans", "server", "call", "by", "why")


def match_file(board: Board) -> dict[str, Any]:
    """A match as JSON: by what it was played, who played, every act, and what they came to."""
    return {
        "format": FORMAT,
        "rules": dict(board.plan.chosen),
        "sides": board.lineup.saved(),
        "acts": [one.told() for one in board.acts],
        "result": score_text(result_of(board.stage)),
    }


def board_of(told: Mapping[str, Any], title: str = "Match") -> Board:
    """The match of such a file, told again from its acts. Raises InvalidField for what is none."""
    if not isinstance(told, Mapping) or told.get("format") != FORMAT:
        raise InvalidField("This is not a Tesoura match file. Use one exported as JSON.")
    try:
        rules = {name: FIELDS[name].check(told["rules"].get(name, FIELDS[name].default)) for name in PLAYED_BY}
        plan = make("match", {**{name: field.default for name, field in FIELDS.items()}, **rules, "title": title})
        lineup = _lineup(told["sides"])
        raw: Sequence[Mapping[str, Any]] = told["acts"]
        acts = tuple(map(act_of, raw))
    except (KeyError, TypeError, AttributeError, ValueError, Invalid):
        raise InvalidField("The match file is damaged: its rules, sides or log were changed.") from None
    return again(plan, lineup, acts)


def _lineup(told: Mapping[str, Any]) -> Lineup:
    """The sides of a file, checked as if they were typed. Raises InvalidPiece."""
    lineup = Lineup(" ".join(str(told.get("heading", "")).split())[:80])
    for place, side in enumerate((told["sides"][0], told["sides"][1])):
        lineup = lineup.changed(place, {name: str(value) for name, value in side.items()})
    return lineup


def again(plan: MatchPlan, lineup: Lineup, acts: tuple[MatchAct, ...]) -> Board:
    """A match told again from its acts."""
    return Board.made(plan, lineup=lineup, draft=lineup, acts=acts)


def record_of(board: Board) -> Record:
    """A match that is over, or left, as it is written down: its result, and all that tells it again."""
    names = [side.name for side in board.lineup.sides]
    won = winner_of(board.stage)
    data = {
        "heading": board.lineup.heading or board.plan.title,
        "home": names[0],
        "away": names[1],
        "result": score_text(result_of(board.stage)),
        "sets": spans_text(board.stage),
        "winner": names[won] if won is not None else "",
        "match": match_file(board),
    }
    return Record(MATCH_RECORD, instant(board.acts[0].at), data)


def table(board: Board) -> list[list[str]]:
    """A match point by point: a row of headings, then one for each act."""
    rows = [["number", "time", "side", "what", "points", "sets", "serves", "call", "by", "is not counted because"]]
    for one in act_rows(board):
        rows.append([one["at"].isoformat() if name == "at" else str(one[name]) for name in COLUMNS])
    return rows
