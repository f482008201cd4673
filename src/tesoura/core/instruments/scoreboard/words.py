"""What is said of a match: the call beside the score, what a point has led to, the sets in a line."""

from __future__ import annotations

from tesoura.core.instruments.scoreboard import acts as kinds
from tesoura.core.instruments.scoreboard import stage as stages
from tesoura.core.instruments.scoreboard.acts import MatchAct
from tesoura.core.instruments.scoreboard.clock import clock_text
from tesoura.core.instruments.scoreboard.figures import figures
from tesoura.core.instruments.scoreboard.sides import Lineup
from tesoura.core.instruments.scoreboard.stage import MatchStage, spans
from tesoura.core.sports.rally import Pair, RallyMatch
from tesoura.core.sports.timed import TimedMatch

READY, PLAYING, BETWEEN, OVER = "ready", "playing", "between", "over"
ADVANTAGE = "AD"


def state_of(stage: MatchStage, begun: bool) -> str:
    """How a match stands in one word."""
    if stage.over:
        return OVER
    return BETWEEN if stage.rests else PLAYING if begun else READY


def shown_points(stage: MatchStage, side: int) -> str:
    """A side's points as they are shown."""
    if isinstance(stage.match, TimedMatch):
        return str(stage.match.score[side])
    match = stage.match
    if stage.over and match.finished and not any(match.counts[0]):
        # The last point has ended everything: what stands is the game or set that it won.
        last = next(one for one in reversed(match.finished) if one.level == 0)
        return str(last.score[side]) if len(match.counts) == 2 else ""
    called = match.called(side)
    return ADVANTAGE if called == "advantage" else called


def score_text(pair: Pair) -> str:
    """A score as `11–7`."""
    return f"{pair[0]}–{pair[1]}"


def result_of(stage: MatchStage) -> Pair:
    """What the match is decided by: sets or games, or the score."""
    return stage.match.score if isinstance(stage.match, TimedMatch) else stage.match.counts[-1]


def spans_text(stage: MatchStage) -> str:
    """The sets or periods in a line, as `11–7 9–11 4–3`."""
    return " ".join(score_text(score) for _, score in spans(stage))


def winner_of(stage: MatchStage) -> int | None:
    """Who has won; None while it goes on, and for a draw."""
    return stage.match.winner


def call(stage: MatchStage, lineup: Lineup, final: bool = False) -> str:
    """What there is to call beside the score: `set point Team Keel`, `deuce`, `Team Bobbin wins`; empty for nothing."""
    names = [side.name for side in lineup.sides]
    if stage.over:
        won = winner_of(stage)
        return f"{names[won]} wins" if won is not None else "a draw"
    if isinstance(stage.match, TimedMatch):
        return _timed_call(stage, stage.match, names)
    match = stage.match
    point, whose = point_to_play(match, final)
    if point:
        return f"{point} {names[whose]}" if whose >= 0 else f"{point} for both"
    if _is_deuce(match):
        return "deuce"
    ahead = next((side for side in (0, 1) if match.called(side) == "advantage"), None)
    return f"advantage {names[ahead]}" if ahead is not None else ""


def point_to_play(match: RallyMatch, final: bool = False) -> tuple[str, int]:
    """What the next point may be, as `set point`, and whose: -1 for both; empty where it is nothing to call."""
    points = [_point_word(match, side, final) for side in (0, 1)]
    if points[0] and points[0] == points[1]:
        return points[0], -1
    for side in (0, 1):
        if points[side] and _rank(match, side) >= _rank(match, 1 - side):
            return points[side], side
    return "", -1


def _rank(match: RallyMatch, side: int) -> int:
    found = match.point_for(side)
    return next((at for at, unit in enumerate(match.sport.units, 1) if unit.name == found), 1 if found else 0)


def _point_word(match: RallyMatch, side: int, final: bool) -> str:
    found = match.point_for(side)
    if not found:
        return ""
    if found == match.sport.match.name:
        return "championship point" if final else "match point"
    if found == match.sport.units[0].name and len(match.sport.units) > 2:
        # Whoever receives breaks the service; that who serves has a point for his game is nothing to call.
        return "break point" if match.server != side else ""
    return f"{found} point"


def _is_deuce(match: RallyMatch) -> bool:
    mine, theirs = match.counts[0]
    unit = match.unit(0)
    return mine == theirs >= match.to_win(0) - 1 and unit.by == 2 and unit.cap is None


def _timed_call(stage: MatchStage, match: TimedMatch, names: list[str]) -> str:
    found = []
    if match.in_extra_time:
        found.append("the next score wins" if match.sport.sudden else "extra time")
    fewer = match.fewer
    if fewer[0] != fewer[1]:
        side = 0 if fewer[0] > fewer[1] else 1
        found.append(f"{names[side]} {'one' if abs(fewer[0] - fewer[1]) == 1 else 'two'} fewer")
    return ", ".join(found)


def server_name(stage: MatchStage, lineup: Lineup) -> str:
    """Who serves: the player, where players are named, or the side; empty where nobody does."""
    if not isinstance(stage.match, RallyMatch) or stage.over:
        return ""
    if stage.order is None:
        return lineup.sides[stage.match.server].name
    side, place = stage.order.server(stage.match)
    return lineup.sides[side].player(place)


def receiver_name(stage: MatchStage, lineup: Lineup) -> str:
    """Who receives, where the order of serving says so."""
    found = stage.order.receiver() if stage.order is not None and not stage.over else None
    return lineup.sides[found[0]].player(found[1]) if found else ""


def led_to(before: MatchStage, after: MatchStage, act: MatchAct, lineup: Lineup, final: bool = False) -> str:
    """What an act does, in words: `11–7, game to Team Bobbin · Team Keel serves · change ends`."""
    name = lineup.sides[act.side].name if act.side >= 0 else ""
    if act.kind == kinds.POINT:
        return _point_words(before, after, act, name, lineup, final)
    match = after.match
    if act.kind in (kinds.COUNT, kinds.PENALTY) and isinstance(match, TimedMatch):
        if act.kind == kinds.PENALTY:
            return f"{name}: {act.what or 'a penalty'}, {after.note}"
        rule = match.sport.counts(act.what)
        return f"{name}, {rule.title.lower()}: {match.had(act.side, act.what)}{', ' + after.note if after.note else ''}"
    if act.kind == kinds.FIGURE:
        words = figures(match.sport)[act.what]
        return f"{name + ', ' if name else ''}{words.lower()}: {round(act.value)}, by hand"
    if act.kind == kinds.SERVE:
        return f"{server_name(after, lineup)} serves"
    if act.kind == kinds.PERIOD:
        return after.note
    said = {
        kinds.SWAP: "ends change",
        kinds.RUN: f"the clock runs from {before.clock.text(act.at)}",
        kinds.STAND: f"clock set to {after.clock.text(act.at)}",
        kinds.CLOCK: f"{before.clock.text(act.at)} → {after.clock.text(act.at)}",
        kinds.ADDED: f"{after.clock.added_min} min added",
        kinds.OVER: f"match finished: {call(after, lineup, final)}",
    }
    return said[act.kind]


def _point_words(before: MatchStage, after: MatchStage, act: MatchAct, name: str, lineup: Lineup, final: bool) -> str:
    match = after.match
    if isinstance(match, TimedMatch):
        words = f"{act.what or next(iter(match.sport.scores))} for {name} → {score_text(match.score)}"
        return f"{words} · {call(after, lineup, final)}" if after.over else words
    units = [one for one in match.told if one != "ends"]
    if units:
        score = match.finished[-1].score if len(units) == 1 else result_of(after)
        found = [f"{score_text(score)}, {units[-1]} to {name}"]
    else:
        found = [f"point for {name} → {shown_points(after, 0)}–{shown_points(after, 1)}"]
    if not after.over and (said := call(after, lineup, final)):
        found.append(said)
    if not after.over and (now := server_name(after, lineup)) != server_name(before, lineup):
        found.append(f"{now} serves")
    if stages.ENDS in after.led_to:
        found.append("change ends")
    return " · ".join(found)


def act_words(act: MatchAct, lineup: Lineup) -> str:
    """An act in a few words, as it stands in the list of them."""
    name = lineup.sides[act.side].name if act.side >= 0 else ""
    what = act.what or kinds.WORDS[act.kind]
    if act.kind == kinds.FIGURE:
        what = f"{act.what} set to {round(act.value)}"
    elif act.kind == kinds.CLOCK:
        what = f"clock set to {clock_text(round(act.value * 1_000_000))}"
    return f"{name}: {what}" if name else what
