"""What the pages of a scoreboard show beside its signals: facts that do not change any more."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.instruments.scoreboard.acts import SIDES, last_standing
from tesoura.core.instruments.scoreboard.figures import figures
from tesoura.core.instruments.scoreboard.notices import showing
from tesoura.core.instruments.scoreboard.sides import differences
from tesoura.core.instruments.scoreboard.signals import course_points
from tesoura.core.instruments.scoreboard.stage import MatchStage, spans
from tesoura.core.instruments.scoreboard.state import Board
from tesoura.core.instruments.scoreboard.words import act_words, call, result_of, score_text, server_name, shown_points
from tesoura.core.sports.rally import RallyMatch
from tesoura.core.sports.timed import TimedMatch


def view_of(board: Board, now: datetime) -> Mapping[str, Any]:
    """All of it."""
    stage, sport, last = board.stage, board.plan.sport, last_standing(board.acts)
    timed = isinstance(stage.match, TimedMatch)
    return {
        "sides": [_side(board, place) for place in (0, 1)],
        "acts": act_rows(board),
        "timed": timed,
        "sport": sport.title,
        "source": sport.source,
        "over": stage.over,
        "begun": board.is_begun,
        "last": act_words(last, board.lineup) if last else "",
        "differences": differences(board.draft, board.lineup),
        "draft": board.draft,
        "heading": board.draft.heading,
        "figures": figures(sport),
        "scores": dict(getattr(sport, "scores", {})),
        "counts": [(one.name, one.title) for one in getattr(sport, "team_counts", ())],
        "penalties": list(getattr(sport, "penalties", None) or {}),
        "course": course_points(board),
        "borders": _borders(board),
        "spans": [(name, score) for name, score in spans(stage)],
        "clock_runs": stage.clock.runs,
        "clock_used": timed and getattr(sport, "minutes", 0) > 0,
        "closed": stage.clock.closed,
        "notices": board.notices,
        "notice_shown": showing(board.notices),
        "can_go_back": bool(board.previous) and not board.acts,
        "referee": board.plan.referee,
        "teams": {key: side.name for key, side in board.teams.items()},
        "now": micros(now),
        "result": score_text(result_of(stage)),
        "called": getattr(sport, "called", ""),
    }


def _side(board: Board, place: int) -> dict[str, Any]:
    shown, draft, match = board.lineup.sides[place], board.draft.sides[place], board.stage.match
    return {
        "key": SIDES[place],
        "name": shown.name,
        "short": shown.brief,
        "colour": shown.colour,
        "letters": shown.letters,
        "players": shown.names,
        "draft": draft,
        "mark": shown.mark,
        "points": shown_points(board.stage, place),
        "won": result_of(board.stage)[place],
        "serves": isinstance(match, RallyMatch) and match.server == place and not board.stage.over,
        "counts": {one.name: match.had(place, one.name) for one in match.sport.team_counts}
        if isinstance(match, TimedMatch)
        else {},
    }


def act_rows(board: Board) -> list[dict[str, Any]]:
    """Every act with what it did: when, whose, the score after it, why it counts for nothing if it does."""
    rows = []
    for at, (act, stage) in enumerate(zip(board.acts, board.stages[1:], strict=True), 1):
        why = "undone" if act.struck else board.idle.get(act.number, "")
        rows.append(
            {
                "place": at,
                "number": act.number,
                "at": instant(act.at),
                "kind": act.kind,
                "by": act.by,
                "why": why,
                "struck": act.struck,
                "side": SIDES[act.side] if act.side >= 0 else "",
                "words": act_words(act, board.lineup),
                "score": stage_score(stage),
                "spans": _spans_line(stage),
                "call": call(stage, board.lineup, board.plan.final),
                "server": server_name(stage, board.lineup),
            }
        )
    return rows


def stage_score(stage: MatchStage) -> str:
    """The points as they are called, `7–4`."""
    return f"{shown_points(stage, 0)}–{shown_points(stage, 1)}"


def _spans_line(stage: MatchStage) -> str:
    return " ".join(score_text(score) for _, score in spans(stage))


def _borders(board: Board) -> list[float]:
    """Where sets or periods end, as shares of the course's way."""
    found = course_points(board)
    return [across for across, _, place in found if place and board.stages[place].rests]
