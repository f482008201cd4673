"""What a scoreboard's signals tell."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import micros
from tesoura.core.instruments.base import Choices, Told
from tesoura.core.instruments.scoreboard.acts import SIDES
from tesoura.core.instruments.scoreboard.clock import clock_text
from tesoura.core.instruments.scoreboard.notices import showing
from tesoura.core.instruments.scoreboard.plan import sport_of
from tesoura.core.instruments.scoreboard.stage import MatchStage, spans
from tesoura.core.instruments.scoreboard.state import Board
from tesoura.core.instruments.scoreboard.words import (
    call,
    receiver_name,
    result_of,
    score_text,
    server_name,
    shown_points,
    spans_text,
    state_of,
    winner_of,
)
from tesoura.core.signals.extremes import Extremes
from tesoura.core.sports.own import Sport
from tesoura.core.sports.rally import RallyMatch
from tesoura.core.sports.timed import TimedMatch, TimedSport

MOST_DRAWN = 150
MOST_SPANS = 7
"""So many sets or periods stand in columns of their own."""
_BOTH = {
    "text": "",
    "state": "",
    "call": "",
    "heading": "",
    "server": "",
    "receiver": "",
    "ends": "",
    "leader": "",
    "lead": "",
    "run": "",
    "run_name": "",
    "winner": "",
    "score": "",
    "spans": "",
    "span": "",
    "clock": "",
    "over_time": "",
    "added": "",
    "chance": "",
    "card": "",
    "notice": "",
    "notice_title": "",
    "notice_there": "",
    "clock_runs": "",
    "colours": "drawing",
    "serves": "drawing",
    "course": "drawing",
}
_EACH = ("name", "short", "points", "won", "country", "players", "mark", "serves", "penalties")


def units(sport: Sport) -> Mapping[str, str]:
    """The signals of a scoreboard for this sport, each with its unit."""
    each = [*_EACH, *(f"span_{at}" for at in range(1, MOST_SPANS + 1))]
    if isinstance(sport, TimedSport):
        each += [f"count_{one.name}" for one in sport.team_counts]
    drawn = ("mark",)
    return {**_BOTH, **{f"{side}_{one}": "drawing" if one in drawn else "" for side in SIDES for one in each}}


def outputs(choices: Choices) -> Mapping[str, str]:
    """The signals of a scoreboard with these choices."""
    return units(sport_of(choices))


def told_of(board: Board, now: datetime) -> Told:
    """The present value of each."""
    stage, lineup, plan, at = board.stage, board.lineup, board.plan, micros(now)
    told: dict[str, Any] = dict.fromkeys(units(plan.sport))
    match, seen, won = stage.match, showing(board.notices), winner_of(stage)
    result = result_of(stage)
    lead = result[0] - result[1] or _points(stage)[0] - _points(stage)[1]
    names = [side.name for side in lineup.sides]
    told |= {
        "text": f"{names[0]} {score_text(result)} {names[1]}",
        "state": state_of(stage, board.is_begun),
        "call": call(stage, lineup, plan.final),
        "heading": lineup.heading,
        "server": server_name(stage, lineup),
        "receiver": receiver_name(stage, lineup),
        "score": score_text(result),
        "ends": isinstance(match, RallyMatch) and match.swapped,
        "lead": abs(_points(stage)[0] - _points(stage)[1]),
        "leader": names[0] if lead > 0 else names[1] if lead < 0 else "",
        "run": stage.row[1],
        "run_name": names[stage.row[0]] if stage.row[0] >= 0 else "",
        "winner": names[won] if won is not None else "",
        "spans": spans_text(stage),
        "span": _span(stage),
        "card": board.card_is_there(now),
        "notice": seen.text if seen else "",
        "notice_title": seen.title if seen else "",
        "notice_there": seen is not None,
        "clock_runs": stage.clock.runs,
        "course": course_path(board),
        "colours": " ".join(part for side in lineup.sides for part in (side.colour, side.letters)),
        "serves": SIDES[match.server] if isinstance(match, RallyMatch) and not stage.over else "",
    }
    if isinstance(match, RallyMatch):
        told["chance"] = round(stage.height, 4)
    else:
        told |= {
            "clock": stage.clock.text(at),
            "over_time": stage.clock.over_text(at),
            "added": f"+{stage.clock.added_min}" if stage.clock.added_min else "",
        }
    for place, side in enumerate(lineup.sides):
        told |= {f"{SIDES[place]}_{name}": value for name, value in _of_side(board, place, at).items()}
        told[f"{SIDES[place]}_serves"] = isinstance(match, RallyMatch) and match.server == place and not stage.over
        told[f"{SIDES[place]}_name"] = side.name
    return told


def _points(stage: MatchStage) -> tuple[int, int]:
    return stage.match.score if isinstance(stage.match, TimedMatch) else stage.match.counts[0]


def _span(stage: MatchStage) -> str:
    if isinstance(stage.match, TimedMatch):
        sport, period = stage.match.sport, stage.match.period
        extra = period - sport.periods
        if extra > 0:
            return "extra time" if sport.extra == 1 else f"extra time {extra}"
        return f"{sport.called} {period}" if sport.periods > 1 else ""
    return spans(stage)[-1][0]


def _of_side(board: Board, place: int, at: int) -> dict[str, Any]:
    side, stage = board.lineup.sides[place], board.stage
    match = stage.match
    found: dict[str, Any] = {
        "short": side.brief,
        "points": shown_points(stage, place),
        "won": result_of(stage)[place],
        "country": side.country,
        "players": side.players,
        "mark": side.mark,
    }
    for number, (_, score) in enumerate(spans(stage)[-MOST_SPANS:], 1):
        found[f"span_{number}"] = score[place]
    if isinstance(match, TimedMatch):
        gone_us = max(stage.playing_us(at) - stage.played, 0)
        left = [one.left_s * 1_000_000 - gone_us for one in match.penalties if one.side == place]
        found["penalties"] = " ".join(clock_text(int(one), up=True) for one in left if one > 0)
        found |= {f"count_{one.name}": match.had(place, one.name) for one in match.sport.team_counts}
    return found


# The match's course as a line


def course_points(board: Board) -> list[tuple[float, float, int]]:
    """The course of a match: for each point the share of the way, how high home stands (0 to 1), and its act's place.

    Rally by rally that is its chance to win at even strength; against the clock how far it is ahead, 0.5 for level.
    """
    stages = [(0, board.stages[0])]
    stages += [(at, stage) for at, stage in enumerate(board.stages[1:], 1) if "point" in stage.led_to or stage.over]
    heights = [one.height for _, one in stages]
    if isinstance(board.stage.match, TimedMatch):
        most = max(*(abs(one) for one in heights), 4)
        heights = [0.5 + one / most / 2 for one in heights]
    last = max(len(stages) - 1, 1)
    return [(at / last, height, place) for at, ((place, _), height) in enumerate(zip(stages, heights, strict=True))]


def course_path(board: Board) -> str:
    """The course as a path in a square of 100 by 100, home at the top; empty before the second point."""
    found = course_points(board)
    if len(found) < 3:
        return ""
    # More points than this cannot be told apart on any piece.
    step = max(len(found) // MOST_DRAWN, 1)
    found = [*found[::step], found[-1]] if step > 1 else found
    return "M" + "L".join(f"{across * 100:.1f} {(1 - height) * 100:.1f}" for across, height, _ in found)


def extremes_of(board: Board) -> Mapping[str, Extremes]:
    """The widest that figures come to."""
    match = board.stage.match
    if isinstance(match, RallyMatch):
        widest = "AD" if match.sport.names else "88"
    else:
        widest = "188" if max(match.sport.scores.values()) > 1 else "88"
    longest = max((side.name for side in board.lineup.sides), key=len)
    players = [one for side in board.lineup.sides for one in side.names]
    found = {f"{side}_points": Extremes(widest, sample="7") for side in SIDES}
    found |= {
        f"{side}_span_{at}": Extremes("88", sample=str(9 + at % 3)) for side in SIDES for at in range(1, MOST_SPANS + 1)
    }
    word = "championship point" if board.plan.final else "match point"
    found |= {
        "call": Extremes(f"{word} {longest}", f"{longest} wins"),
        "clock": Extremes("188:88", sample="12:40"),
        "server": Extremes(max(players, key=len, default=longest)),
        "over_time": Extremes("+18:88"),
        "spans": Extremes(" ".join(["18–18"] * 5)),
    }
    return found
