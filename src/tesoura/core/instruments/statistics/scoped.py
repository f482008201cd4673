"""What game statistics tell: every statistic of the table in every scope."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import micros
from tesoura.core.instruments.base import Told
from tesoura.core.instruments.statistics import figures, made_up
from tesoura.core.instruments.statistics.course import Match, Since
from tesoura.core.instruments.statistics.events import LAST_SHOWN, Hearing
from tesoura.core.instruments.statistics.tally import Tally
from tesoura.core.values import Scalar

_ALWAYS: Since = (0, -1)
FIRED_FOR_US = 120_000_000
"""An end that is heard of later than this is history: no card is shown for it, nor a made-up one for longer."""
GROUPS: Mapping[str, tuple[str, Sequence[str]]] = {
    "kills": ("kills", ("kills",)),
    "deaths": ("deaths", ("deaths", "deathless")),
    "assists": ("assists", ("assists",)),
    "streaks": ("streaks", ("streak", "best_streak")),
    "multis": ("multi-kills", ("multis", "best_multi")),
    "damage": ("damage and accuracy", ("damage", "taken", "accuracy_pct")),
    "results": ("wins and losses", ("wins", "losses", "draws", "win_rate_pct", "win_run")),
    "rating": ("the rating's change", ("rating_change", "rating_peak")),
}
"""What can be reset by itself: its words, and the statistics that begin anew."""


class Scoped(Hearing):
    """The figures of what was heard, by scope."""

    def _session_from(self) -> Since:
        return max((self.course.session_from, -1), self.froms.get("session", _ALWAYS))

    def present(self) -> Match | None:
        """The match that goes on, or else the one that ended last."""
        if self.course.current is not None:
            return self.course.current
        return next(iter(self.course.finished()[-1:]), None) or next(iter(self.course.matches[-1:]), None)

    def _played(self, since: Since, now_us: int) -> Mapping[str, Scalar | None]:
        return figures.played(self.course.since(since), self.course.played_us(since[0], now_us))

    def read(self, now: datetime) -> Told:
        """Every statistic in every scope."""
        course, now_us = self.course, micros(now)
        told: dict[str, Scalar | None] = {}
        match = self.present()
        since = self.froms.get("match", _ALWAYS)
        of_match = course.of_match(match, since) if match else Tally()
        self._put(told, "match", figures.played(of_match, course.played_us(since[0], now_us, match) if match else 0))
        self._put(told, "match", figures.place(course.kills_in(match), self.plan.rule.players) if match else {})
        froms = {"session": self._session_from(), "day": (course.days.began(now_us), -1)}
        for scope, since in froms.items():
            self._put(told, scope, self._played(since, now_us))
            self._put(told, scope, self._results(scope, since))
            self._put(told, scope, self._rating(scope, since))
        self._of_groups(told, now_us)
        for scope, values in self._of_ended(now_us).items():
            self._put(told, scope, values)
        told |= {f"vital_{name}": self.vitals.get(name) for name in self.plan.vitals}
        told |= {
            f"vital_{name}_share": round(min(self.vitals[name] / full, 1), 4) if name in self.vitals else None
            for name, full in self.plan.vitals.items()
        }
        told |= {
            "rating": course.rating,
            "state": "on" if course.current else "between",
            "match_number": self._once(
                "matches",
                (course.version, froms["session"]),
                lambda: sum(one.began >= froms["session"][0] for one in course.matches),
            ),
            "opponent": (match.opponent or None) if match else None,
            "arena": (match.arena or None) if match else None,
        }
        return told

    @staticmethod
    def _put(told: dict[str, Scalar | None], scope: str, values: Mapping[str, Scalar | None]) -> None:
        for name, value in values.items():
            told[f"{scope}_{name}"] = value

    def _once(self, name: str, key: Any, make: Callable[[], Any]) -> Any:
        """What changes with the key alone is made once."""
        known = self._kept.get(name)
        if known is None or known[0] != key:
            known = self._kept[name] = (key, make())
        return known[1]

    def _results(self, scope: str, since: Since) -> Mapping[str, Scalar | None]:
        def make() -> Mapping[str, Scalar | None]:
            return figures.results(one for one in self.course.finished() if (one.ended or 0) >= since[0])

        found: Mapping[str, Scalar | None] = self._once(f"results {scope}", (self.course.version, since), make)
        return found

    def _rating(self, scope: str, since: Since) -> Mapping[str, Scalar | None]:
        if not self.course.ratings:
            return {"rating_change": None, "rating_peak": None}
        key = (len(self.course.ratings), self.course.ratings[0], self.course.ratings[-1], since)
        found: Mapping[str, Scalar | None] = self._once(f"rating {scope}", key, lambda: self._rated_since(since))
        return found

    def _rated_since(self, since: Since) -> Mapping[str, Scalar | None]:
        ratings = self.course.ratings
        before = [rating for at, _, rating in ratings if at <= since[0]]
        after = [rating for at, _, rating in ratings if at > since[0]]
        first = before[-1] if before else after[0]
        return {"rating_change": round(ratings[-1][2] - first, 3), "rating_peak": max([first, *after])}

    def _of_groups(self, told: dict[str, Scalar | None], now_us: int) -> None:
        """Statistics of the session that were reset by themselves."""
        for group, (_, names) in GROUPS.items():
            since = self.froms.get(group)
            if since is None or since < self._session_from():
                continue
            values = {**self._played(since, now_us), **self._results(group, since), **self._rating(group, since)}
            for name in names:
                told[f"session_{name}"] = values[name]
        kills, deaths, assists = (int(told[f"session_{name}"] or 0) for name in ("kills", "deaths", "assists"))
        told["session_kd"] = figures.ratio(kills, deaths)
        told["session_kda"] = figures.ratio(kills + assists, deaths)

    def _of_ended(self, now_us: int) -> Mapping[str, Mapping[str, Scalar | None]]:
        tried = self.card[0] != LAST_SHOWN and now_us - self.card[1] < FIRED_FOR_US
        key = (self.course.version, self.card, tried)
        found: Mapping[str, Mapping[str, Scalar | None]] = self._once("ended", key, lambda: self._ended(now_us, tried))
        return found

    def _ended(self, now_us: int, tried: bool) -> Mapping[str, Mapping[str, Scalar | None]]:
        matches = self.course.finished()
        last = matches[-self.plan.last :]
        change: Mapping[str, Scalar | None] = {"rating_change": None, "rating_peak": None}
        if last and (rated := [one.rating for one in last if one.rating is not None]):
            before = self._before(last[0])
            first = before if before is not None else rated[0]
            change = {"rating_change": round(rated[-1] - first, 3), "rating_peak": max([first, *rated])}
        ended = self._of_one(matches[-1]) if matches else {}
        drawn = made_up.drawn([one.result for one in last], [one.rating for one in last])
        of_last: Mapping[str, Scalar | None] = {
            "rating": matches[-1].rating if matches else None,
            "opponent": (matches[-1].opponent or None) if matches else None,
        }
        card: Mapping[str, Scalar | None] = {**ended, **drawn, **of_last}
        if tried:
            card = made_up.card(int(self.card[0]), self.plan.last)
        return {"last": {**self._of_several(last), **figures.results(last), **change}, "ended": ended, "card": card}

    def _of_several(self, matches: Sequence[Match]) -> Mapping[str, Scalar | None]:
        played_us = sum(self.course.played_us(0, one.ended or 0, one) for one in matches)
        return figures.played(self.course.of_matches(matches), played_us)

    def _before(self, match: Match) -> float | None:
        """The rating before a match: as it was told with it, or the last one told before it."""
        return match.before if match.before is not None else self.course.rating_by(match.began)

    def _of_one(self, match: Match) -> Mapping[str, Scalar | None]:
        before = self._before(match)
        change = None if match.rating is None or before is None else round(match.rating - before, 3)
        played_us = self.course.played_us(0, match.ended or 0, match)
        told = figures.played(self.course.of_match(match), played_us)
        place = figures.place(self.course.kills_in(match), self.plan.rule.players)
        return {**told, **place, "result": match.result or None, "rating_change": change}
