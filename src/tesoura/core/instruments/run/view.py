"""What a run's pages show: its routes, its attempts, where they end."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.computed.occurrence import instant
from tesoura.core.instruments.run.signals import clock, counted, mark_of
from tesoura.core.instruments.run.state import RunBase
from tesoura.core.runs.attempt import SplitCount
from tesoura.core.runs.history import LEAST_ATTEMPTS, PastAttempt

SHOWN = 12
"""So many of the last attempts are listed; all of them are in the file."""


def view_of(run: RunBase, at: int) -> Mapping[str, Any]:
    """The facts."""
    route, told, rule = run.route, run.told, run.plan.rule
    over = run.over_at()
    chance = told.chance(run.split.id) if run.split else None
    mine = [one for one in reversed(run.history.attempts[-5_000:]) if one.route == route.id]
    return {
        "routes": [{"id": one.id, "name": one.name, "splits": len(one.splits)} for one in run.routes],
        "route": route,
        "word": run.plan.word,
        "state": run.attempt.state,
        "presses": len(run.presses),
        "last_press": run.presses[-1].words if run.presses else "",
        "rows": [
            {
                "split": one,
                "place": place,
                "mark": mark_of(run, place),
                "has": _has(run, run.attempt.of(one.id)),
                "told": told.of(one.id),
            }
            for place, one in enumerate(route.splits)
        ],
        "over": route.splits[over].name if over is not None else "",
        "best": _line(run, run.best) if run.best else None,
        "bests": [_line(run, one) for one in reversed(run.bests) if one.route == route.id][1:11],
        "save": run.split.save if run.split else "",
        "attempts": told.attempts,
        "last": [_line(run, one) for one in mine[:SHOWN]],
        "going_on": told.going_on(route),
        "placed": told.placed(route),
        "chance": chance,
        "least": LEAST_ATTEMPTS,
        "together": _together(run),
        "rule": rule,
    }


def _together(run: RunBase) -> str:
    found = run.told.together(run.route)
    return f"{counted(found[0], run.plan.word)} in {clock(found[1])}" if found else ""


def _has(run: RunBase, one: SplitCount) -> str:
    """The hits of a split: those of the fight, and those on the way to it."""
    if not one.fight and not one.way:
        return ""
    way = f" + {one.way} outside" if one.way else ""
    return f"{counted(one.fight, run.plan.word) if one.fight or not way else '0'}{way}"


def _line(run: RunBase, one: PastAttempt) -> Mapping[str, Any]:
    """An attempt as a line of a list."""
    end = one.ended_in(run.plan.rule)
    split = run.route.split(end) if end else None
    return {
        "number": one.number,
        "began": instant(one.began),
        "hits": one.hits(run.plan.rule),
        "count": counted(one.hits(run.plan.rule), run.plan.word),
        "time": clock(one.us),
        "splits": one.got_through(run.plan.rule),
        "through": one.through and end is None,
        "ended": split.name if split else ("" if end is None else "a deleted split"),
        "given_up": one.over_in(run.plan.rule) is None and not one.through,
    }
