"""What is given with the commands that are acts of a match, checked."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from tesoura.core.forms.checks import whole
from tesoura.core.instruments.scoreboard import acts as kinds
from tesoura.core.instruments.scoreboard.acts import side_of
from tesoura.core.instruments.scoreboard.clock import seconds_of
from tesoura.core.instruments.scoreboard.figures import MOST_FIGURE, PERIOD_FIGURE
from tesoura.core.instruments.scoreboard.state import Board
from tesoura.errors import InvalidField

MOST_PERIOD = 20
Given = Mapping[str, Any]


def _whose(board: Board, given: Given) -> dict[str, Any]:
    return {"side": side_of(given.get("side")), "what": str(given.get("what") or "").strip()[:60]}


def _server(board: Board, given: Given) -> dict[str, Any]:
    side, typed = side_of(given.get("side")), str(given.get("player") or "").strip()
    names = [one.casefold() for one in board.lineup.sides[side].names]
    if typed and typed.casefold() not in names:
        raise InvalidField(
            f"{board.lineup.sides[side].name} has no player {typed[:40]}. There are: "
            f"{', '.join(board.lineup.sides[side].names) or 'none named'}."
        )
    return {"side": side, "value": float(names.index(typed.casefold())) if typed else 0.0}


def _by_hand(board: Board, given: Given) -> dict[str, Any]:
    side = side_of(given["side"]) if given.get("side") else -1
    what = str(given.get("figure") or "").strip().lower()
    bounds = (1, MOST_PERIOD) if what == PERIOD_FIGURE else (0, MOST_FIGURE)
    value = whole(*bounds)(given.get("value", ""))
    return {"side": side, "what": what, "value": float(value)}


def _winner(board: Board, given: Given) -> dict[str, Any]:
    return {"side": side_of(given["side"]) if given.get("side") else -1}


SCORES: Mapping[str, tuple[str, Callable[[Board, Given], dict[str, Any]]]] = {
    "point": (kinds.POINT, _whose),
    "count": (kinds.COUNT, _whose),
    "penalty": (kinds.PENALTY, _whose),
    "end_penalty": (kinds.PENALTY, lambda board, given: {"side": side_of(given.get("side")), "value": -1.0}),
    "serve": (kinds.SERVE, _server),
    "swap_ends": (kinds.SWAP, lambda board, given: {}),
    "set": (kinds.FIGURE, _by_hand),
    "end_match": (kinds.OVER, _winner),
    "start_clock": (kinds.RUN, lambda board, given: {}),
    "stop_clock": (kinds.STAND, lambda board, given: {}),
    "set_clock": (kinds.CLOCK, lambda board, given: {"value": seconds_of(given.get("to"))}),
    "add_time": (kinds.ADDED, lambda board, given: {"value": float(whole(0, 60)(given.get("minutes", "")))}),
    "end_period": (kinds.PERIOD, lambda board, given: {}),
}
"""The commands that are acts: which act each is, and what of it follows from what was given."""
