"""What a run's signals tell, and the rows in which viewers see it."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from itertools import groupby
from typing import Any, NamedTuple

from tesoura.core.instruments.base import Told
from tesoura.core.instruments.run.state import RunBase
from tesoura.core.runs.attempt import READY, SplitCount, total
from tesoura.core.runs.history import difference
from tesoura.core.signals.extremes import Extremes

SIGNALS: Mapping[str, str] = {
    "text": "",
    "state": "",
    "clean": "",
    "attempt": "",
    "route": "",
    "split": "",
    "split_at": "",
    "splits": "",
    "group": "",
    "next_split": "",
    "hits": "hits",
    "way_hits": "hits",
    "all_hits": "hits",
    "split_hits": "hits",
    "split_best": "hits",
    "best_hits": "hits",
    "best_attempt": "",
    "difference": "hits",
    "difference_text": "",
    "count": "",
    "time": "",
    "seconds": "s",
    "split_time": "",
    "average": "hits",
    "chance": "",
    "chance_of": "",
    "together": "hits",
    "attempts": "",
    "list": "drawing",
    "folded": "drawing",
    "track": "drawing",
    "longest": "drawing",
    "picture": "drawing",
}
CLEAN, HIT, NOW, NOT_YET = "clean", "hit", "now", "not yet"
LETTERS: Mapping[str, str] = {CLEAN: "c", HIT: "h", NOW: "n", NOT_YET: "-"}
BEFORE, AFTER = 20, 40
"""So many rows before and after the one in hand are told; a piece shows at most as many."""
LONGEST = 8


class RunRow(NamedTuple):
    """A row as viewers see it: its mark, its name, hits of this run and of the best, and the difference, in words."""

    mark: str
    name: str
    hits: str
    best: str
    more: str


def told_of(run: RunBase, at: int) -> Told:
    """The present value of each."""
    route, attempt, rule, best = run.route, run.attempt, run.plan.rule, run.best
    split, state = run.split, run.attempt.state
    place = attempt.place(route)
    hits, every = total(attempt, route, rule), [attempt.of(one.id) for one in route.splits]
    here = attempt.of(split.id) if split else SplitCount()
    had = best.of(split.id) if best and split else None
    more = difference(attempt, best, route, rule) if best and state != READY else None
    chance = run.told.chance(split.id) if split and run.over_at() is None else None
    together = run.told.together(route)
    rows = _rows(run)
    told: dict[str, Any] = {
        "state": state,
        "clean": run.over_at() is None,
        "attempt": attempt.number,
        "route": route.name,
        "split": split.name if split else "",
        "split_at": min(place + 1, len(route.splits)),
        "splits": len(route.splits),
        "group": split.group if split else "",
        "picture": split.picture if split else "",
        "next_split": route.splits[place + 1].name if place + 1 < len(route.splits) else "",
        "hits": hits,
        "way_hits": sum(one.way for one in every),
        "all_hits": sum(one.fight + one.way for one in every),
        "split_hits": here.hits(rule),
        "split_best": SplitCount(*had[1:]).hits(rule) if had else None,
        "best_hits": best.hits(rule) if best else None,
        "best_attempt": best.number if best else None,
        "difference": more,
        "difference_text": signed(more),
        "count": counted(hits, run.plan.word),
        "time": clock(attempt.time(at)),
        "seconds": attempt.time(at) // 1_000_000,
        "split_time": clock(attempt.split_time(at)) if state != READY else "",
        "average": _average(run),
        "chance": chance[0] / chance[1] if chance else None,
        "chance_of": f"{chance[0]} of {chance[1]}" if chance else "",
        "together": together[0] if together else None,
        "attempts": run.told.attempts,
        "list": _drawn(*_window(rows, place)),
        "track": _track(rows),
        "folded": _drawn(*_window(*_folded(run, rows, place))),
        "longest": _longest(run),
    }
    told["text"] = f"{told['split']}: {told['count']}" if split else told["count"]
    return told


def extremes_of(run: RunBase) -> Mapping[str, Extremes]:
    """What the texts may come to: the longest names of its routes, two digits of hits, ten hours."""
    names = sorted((one.name for route in run.routes for one in route.splits), key=len) or ["Gatekeeper"]
    longest, many = names[-1], counted(99, run.plan.word)
    return {
        "split": Extremes(longest, sample=names[0]),
        "next_split": Extremes(longest, sample=names[0]),
        "count": Extremes(many, sample=counted(3, run.plan.word)),
        "difference_text": Extremes("+99", sample="+1"),
        "time": Extremes("10:00:00", sample="42:07"),
        "split_time": Extremes("59:59", sample="3:12"),
        "text": Extremes(f"{longest}: {many}", sample=names[0]),
    }


def _average(run: RunBase) -> float | None:
    average = run.told.of(run.split.id).average if run.split else None
    return round(average, 2) if average is not None else None


def mark_of(run: RunBase, place: int) -> str:
    """How a split stands: `now`, `not yet`, passed `clean`, or with a `hit`."""
    at = run.attempt.place(run.route)
    if run.attempt.state == READY or place > at:
        return NOT_YET
    if place == at:
        return NOW
    return HIT if run.attempt.of(run.route.splits[place].id).hits(run.plan.rule) else CLEAN


def _rows(run: RunBase) -> list[RunRow]:
    """Each split of the route as a row."""
    rule, best, found = run.plan.rule, run.best.by_id if run.best else None, list[RunRow]()
    for place, one in enumerate(run.route.splits):
        mark, hits = mark_of(run, place), run.attempt.of(one.id).hits(rule)
        had = best.get(one.id) if best else None
        before = SplitCount(had.fight, had.way).hits(rule) if had else None
        more = (
            hits - before if before is not None and (mark in (CLEAN, HIT) or (mark == NOW and hits > before)) else None
        )
        found.append(RunRow(mark, one.name, _words(mark, hits), "" if before is None else str(before), signed(more)))
    return found


def _words(mark: str, hits: int) -> str:
    if mark == CLEAN:
        return CLEAN
    return "" if mark == NOT_YET and not hits else str(hits)


def _folded(run: RunBase, rows: Sequence[RunRow], place: int) -> tuple[list[RunRow], int]:
    """The rows with each group that is not in hand as one; and where the one in hand stands then."""
    found, at, first = list[RunRow](), 0, 0
    rule, best = run.plan.rule, run.best.by_id if run.best else None
    for group, splits in groupby(run.route.splits, key=lambda one: one.group):
        ids = [one.id for one in splits]
        last = first + len(ids)
        if not group or first <= place < last:
            at = len(found) + place - first if first <= place < last else at
            found += rows[first:last]
        else:
            hits = sum(run.attempt.of(one).hits(rule) for one in ids)
            # All of it lies before the split in hand, or behind it.
            mark = NOT_YET if rows[first].mark == NOT_YET else HIT if hits else CLEAN
            had = [best.get(one) for one in ids] if best else []
            before = sum(SplitCount(one.fight, one.way).hits(rule) for one in had if one) if any(had) else None
            more = hits - before if before is not None and mark != NOT_YET else None
            count = "1 split" if len(ids) == 1 else f"{len(ids)} splits"
            found.append(
                RunRow(
                    mark, f"{group} · {count}", _words(mark, hits), "" if before is None else str(before), signed(more)
                )
            )
            at = len(found) if place >= last else at
        first = last
    return found, min(at, len(found))


def _window(rows: Sequence[RunRow], at: int) -> tuple[Sequence[RunRow], int]:
    first = max(at - BEFORE, 0)
    return rows[first : at + 1 + AFTER], at - first


def _drawn(rows: Sequence[RunRow], at: int) -> str:
    return json.dumps({"at": at, "rows": rows}, ensure_ascii=False, separators=(",", ":"))


def _track(rows: Sequence[RunRow]) -> str:
    return "".join(LETTERS[one.mark] for one in rows)


def _longest(run: RunBase) -> str:
    """The longest names that any of its routes has, for the fit check."""
    names = {one.name for route in run.routes for one in route.splits}
    return json.dumps(sorted(names, key=lambda one: (-len(one), one))[:LONGEST], ensure_ascii=False)


def counted(number: int, word: str) -> str:
    """A number with its word: `1 hit`, `3 hits`."""
    return f"{number} {word[:-1] if number == 1 and word.endswith('s') else word}"


def signed(number: int | None) -> str:
    """A difference as it is shown: `+2`, `−1`, `±0`."""
    if number is None:
        return ""
    return f"+{number}" if number > 0 else f"−{-number}" if number else "±0"


def clock(length: int) -> str:
    """A length, µs, as it is shown: `7:05`, `1:02:03`."""
    minutes, seconds = divmod(max(length, 0) // 1_000_000, 60)
    hours, minutes = divmod(minutes, 60)
    return f"{hours}:{minutes:02d}:{seconds:02d}" if hours else f"{minutes}:{seconds:02d}"
