"""Game statistics as they stand: events of a game in, figures by scope out."""

from __future__ import annotations

import copy
from collections import deque
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from tesoura.core.checks import InvalidField
from tesoura.core.computed.almanac import Almanac
from tesoura.core.computed.happening import Happening, amount_of, instant, micros, name_key, name_of, number
from tesoura.core.extremes import Extremes
from tesoura.core.instruments.kind import Command, Fired, Refused, Step, Told
from tesoura.core.instruments.statistics import figures, made_up
from tesoura.core.instruments.statistics.course import Course, Match
from tesoura.core.instruments.statistics.plan import Plan
from tesoura.core.instruments.statistics.table import SCOPES
from tesoura.core.instruments.statistics.tally import (
    AIM,
    ASSIST,
    CLOCK_OFF,
    CLOCK_ON,
    DEALT,
    DEATH,
    KILL,
    TAKEN,
    TOTAL_ASSISTS,
    TOTAL_DEATHS,
    TOTAL_KILLS,
    Mark,
    Tally,
)  # fmt: skip
from tesoura.core.values import Scalar

EVERY_US = 5_000_000
"""While a match goes on, what depends on its time is told anew so often."""
FIRED_FOR_US = 120_000_000
"""An end that is heard of later than this is history: no card is shown for it."""
MAX_ODD = 20
GROUPS: Mapping[str, tuple[str, Sequence[str]]] = {
    "kills": ("kills", ("kills",)), "deaths": ("deaths", ("deaths", "deathless")), "assists": ("assists", ("assists",)),
    "streaks": ("streaks", ("streak", "best_streak")), "multis": ("multi-kills", ("multis", "best_multi")),
    "damage": ("damage and accuracy", ("damage", "taken", "accuracy_pct")),
    "results": ("wins and losses", ("wins", "losses", "draws", "win_rate_pct", "win_run")),
    "rating": ("the rating's change", ("rating_change", "rating_peak")),
}  # fmt: skip
"""What can be reset by itself: its words, and the statistics that begin anew."""
CORRECTED = {"kills": KILL, "deaths": DEATH, "assists": ASSIST}
LAST_SHOWN = "last"


@dataclass(frozen=True, slots=True)
class Act:
    """A command that can be taken back: its place in the log, what was reset and since when, or what was corrected."""

    seq: int
    what: str
    was: int | None = None
    mark: Mark | None = None
    added: bool = False


@dataclass(frozen=True, slots=True)
class Odd:
    """An event that could not be used as it came, and why."""

    seq: int
    type: str
    why: str


class Statistics:
    """A game's statistics. It grows with its events; a command gives another one that shares what it left alone."""

    def __init__(self, plan: Plan, almanac: Almanac) -> None:
        self.plan = plan
        self.course = Course(almanac.zone, almanac.session_began, plan.within_us)
        self.froms: dict[str, int] = {}
        self.acts: list[Act] = []
        self.vitals: dict[str, float] = {}
        self.odd: deque[Odd] = deque(maxlen=MAX_ODD)
        self.told: set[int] = set()
        self.card = (LAST_SHOWN, 0, 0)
        """What the card shows: the last match or how many made-up ones; since when; by which place in the log."""
        self._kept: dict[str, tuple[Any, Any]] = {}

    @property
    def stale(self) -> bool:
        """Whether only the log can set it right."""
        return self.course.stale

    # Events

    def hear(self, event: Happening, now: datetime) -> Statistics:
        """Take an event of the game, or of its own."""
        taken = _HEARD.get(event.type)
        if taken is not None:
            taken(self, event)
        elif event.type == f"{self.plan.name}.match_ended" and isinstance(event.data.get("number"), int):
            self.told.add(int(str(event.data["number"])))
        return self

    def see(self, values: Mapping[str, Scalar], now: datetime) -> Statistics:
        """It reads no signals."""
        return self

    def why_not(self, event: Happening) -> str | None:
        """Why an event does not count, or None when it does."""
        if event.type in ("kill", "death") and (why := self.plan.rule.left_out(event.data)):
            return why
        if event.type == "kill" and not self._mine(event.data, "actor"):
            return "it is somebody else's"
        return None

    def _strange(self, event: Happening, why: str) -> None:
        self.odd.append(Odd(event.seq, event.type, why))

    def _match_of(self, event: Happening) -> Match | None:
        return self.course.by_id(name_of(event.data.get("match")))

    def _mine(self, data: Mapping[str, object], role: str) -> bool:
        rule = self.plan.rule
        return not rule.players or rule.is_me(name_of(data.get(role)))

    def _mark(self, event: Happening, what: int, amount: float = 1, of: float = 0) -> None:
        self.course.add(Mark(event.at, event.seq, what, amount, of), self._match_of(event))

    def _amount(self, event: Happening, field: str) -> float | None:
        raw = event.data.get(field)
        if raw is None:
            return None
        millionths = amount_of(raw.replace(",", "") if isinstance(raw, str) else raw)
        if millionths is None or isinstance(raw, bool):
            self._strange(event, f"its {field} is “{str(raw)[:30]}”, which is no number")
            return None
        return float(number(millionths))

    def _kill(self, event: Happening) -> None:
        data, rule = event.data, self.plan.rule
        if rule.left_out(data):
            return
        actor, target = name_of(data.get("actor")), name_of(data.get("target"))
        match = self._match_of(event) or self.course.open
        if match is not None:
            for name, more in ((actor, 1), (target, 0)):
                if name:
                    match.kills[name_key(name)] = match.kills.get(name_key(name), 0) + more
        if rule.players and not actor:
            self._strange(event, "it does not tell who did it")
        if self._mine(data, "actor"):
            if not target:
                self._strange(event, "it does not tell whose end it was; it counts all the same")
            self._mark(event, KILL)
        elif self.plan.deaths_by == "kill" and rule.is_me(target):
            self._mark(event, DEATH)

    def _death(self, event: Happening) -> None:
        if self.plan.deaths_by == "kill" or self.plan.rule.left_out(event.data) == "the warm-up is left out":
            return
        if event.data.get("target") is None or self._mine(event.data, "target"):
            self._mark(event, DEATH)

    def _assist(self, event: Happening) -> None:
        if self._mine(event.data, "actor"):
            self._mark(event, ASSIST)

    def _damage(self, event: Happening) -> None:
        amount = self._amount(event, "amount")
        if amount is not None and amount < 0:
            self._strange(event, f"it does {amount:g} damage, which is less than none")
        elif amount:
            if self._mine(event.data, "actor"):
                self._mark(event, DEALT, amount)
            elif self._mine(event.data, "target"):
                self._mark(event, TAKEN, amount)
        if self._mine(event.data, "actor"):
            self._aim(event)

    def _aim(self, event: Happening) -> None:
        shots, hits = self._amount(event, "shots"), self._amount(event, "hits")
        if shots is not None and hits is not None:
            if 0 <= hits <= shots:
                self._mark(event, AIM, hits, shots)
            else:
                self._strange(event, f"it tells {hits:g} hits of {shots:g} shots")

    def _vitals(self, event: Happening) -> None:
        if not self._mine(event.data, "actor") and event.data.get("actor") is not None:
            return
        for name in self.plan.vitals:
            value = self._amount(event, name)
            if value is not None and value < 0:
                self._strange(event, f"its {name} is {value:g}; it is taken as 0")
            if value is not None:
                self.vitals[name] = max(value, 0.0)

    def _rated(self, at: int, rating: float | None, before: bool) -> None:
        if rating is None:
            return
        self.course.ratings.append((at, rating, before))
        if len(self.course.ratings) > 1 and self.course.ratings[-2][0] > at:
            self.course.ratings.sort(key=lambda one: one[0])
        self.course.rating = self.course.ratings[-1][1]

    def _start(self, event: Happening) -> None:
        course, id = self.course, name_of(event.data.get("match"))
        if course.open is not None:
            if id and course.open.id == id:
                return self._strange(event, "this match has started already")
            if event.at < course.open.began:
                return self._strange(event, "a later match has started already")
            self._strange(event, "the match before it never ended; it is over since its last event")
        rating = self._amount(event, "rating")
        self._rated(event.at, rating, True)
        match = course.start_match(event.at, id)
        match.before = course.rating
        self._describe(match, event)
        self.froms.pop("match", None)
        return None

    def _describe(self, match: Match, event: Happening) -> None:
        match.opponent = name_of(event.data.get("opponent")) or match.opponent
        match.arena = name_of(event.data.get("arena")) or match.arena

    def _end(self, event: Happening) -> None:
        course = self.course
        match = self._match_of(event) or course.open
        if match is not None and match.finished:
            return self._strange(event, "this match has ended already")
        if match is None:
            self._strange(event, "no match had started; how long it was is not known")
            long_s = self._amount(event, "duration_s") or 0
            match = course.start_match(event.at - round(max(long_s, 0) * 1_000_000), name_of(event.data.get("match")),
                                       started=False)  # fmt: skip
            match.before = course.rating
        self._aim(event)
        self._totals(event, match)
        raw = name_of(event.data.get("result")).casefold()
        match.result = figures.RESULT_OF.get(raw, "")
        if raw and not match.result:
            self._strange(event, f"its result is “{raw[:30]}”; won, lost and drawn are known")
        self._describe(match, event)
        at = max(event.at, match.began)
        course.end_match(match, at, finished=True)
        if (before := self._amount(event, "rating_before")) is not None:
            match.before = before
            self._rated(match.began, before, True)
        self.card = (LAST_SHOWN, 0, 0)
        match.rating = self._amount(event, "rating")
        self._rated(at, match.rating, False)
        return None

    def _totals(self, event: Happening, match: Match) -> None:
        """The end's own sums, for a match of which no single kill or death was told."""
        tally = self.course.of_match(match)
        if tally.kills or tally.deaths or tally.assists:
            return
        for name, what in (("kills", TOTAL_KILLS), ("deaths", TOTAL_DEATHS), ("assists", TOTAL_ASSISTS)):
            amount = self._amount(event, name)
            if amount is not None and amount > 0:
                self.course.add(Mark(event.at, event.seq, what, amount), match)

    def _pause(self, event: Happening) -> None:
        self._mark(event, CLOCK_OFF)

    def _resume(self, event: Happening) -> None:
        if self.course.open is not None:
            self._mark(event, CLOCK_ON)

    # Commands

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or Refused."""
        act = _ACTS.get(command.name)
        if act is None:
            raise Refused(f"Game statistics know no “{command.name[:30]}”. They know {', '.join(sorted(_ACTS))}.")
        after = self._copy()
        effect, given = act(after, command, now)
        return Step(after, effect, given)

    def _copy(self) -> Statistics:
        again = copy.copy(self)
        again.course = self.course.copy()
        again.froms, again.acts, again.vitals = dict(self.froms), list(self.acts), dict(self.vitals)
        again.odd, again.told, again._kept = copy.copy(self.odd), set(self.told), {}
        return again

    def _reset(self, command: Command, now: datetime) -> tuple[str, Mapping[str, Any]]:
        what = str(command.given.get("what", "session"))
        if what not in ("session", "match", *GROUPS):
            raise InvalidField(f"“{what[:30]}” cannot be reset. Choose session, match, or {', '.join(GROUPS)}.")
        at, before = micros(now), self._brief(what, now)
        self.course.cut(at)
        self.acts.append(Act(command.seq, what, self.froms.get(what)))
        self.froms[what] = at
        if what == "session":
            for group in GROUPS:
                self.froms.pop(group, None)
        words = {"session": "this session", "match": "this match"}.get(what) or GROUPS[what][0]
        return f"{words}: {before} → {self._brief(what, now)}", {"what": what}

    def _brief(self, what: str, now: datetime) -> str:
        told = self.read(now)
        if what in ("session", "match"):
            return f"{told[f'{what}_kills']} kills, {told[f'{what}_deaths']} deaths"
        shown = told[f"session_{GROUPS[what][1][0]}"]
        return "—" if shown is None else str(shown)

    def _correct(self, command: Command, now: datetime) -> tuple[str, Mapping[str, Any]]:
        what, raw = str(command.given.get("what", "kills")), command.given.get("by", 1)
        if what not in CORRECTED:
            raise InvalidField(f"“{what[:30]}” cannot be corrected. Choose {', '.join(CORRECTED)}.")
        by = str(raw).strip().replace("\u2212", "-")
        if by not in ("1", "+1", "-1"):
            raise InvalidField("Correct one at a time: by 1, or by -1.")
        scope = "match" if self.course.open else "session"
        before = self.read(now)[f"{scope}_{what}"]
        if by == "-1":
            self._take_back(command, CORRECTED[what], what)
        else:
            mark = Mark(micros(now), command.seq, CORRECTED[what])
            self.course.add(mark)
            self.acts.append(Act(command.seq, what, mark=mark, added=True))
        after = self.read(now)[f"{scope}_{what}"]
        return f"{what} {SCOPES[scope]}: {before} → {after}", {"what": what, "by": -1 if by == "-1" else 1}

    def _take_back(self, command: Command, code: int, what: str) -> None:
        stretches = self.course.stretches
        since = self.course.open.began if self.course.open else self._session_from()
        for index in range(len(stretches) - 1, -1, -1):
            if stretches[index].began < since:
                break
            mark = next((one for one in reversed(stretches[index].marks or ()) if one.what == code), None)
            if mark is not None:
                self.course.own(index).take_away(mark.seq, self.plan.within_us)
                self.acts.append(Act(command.seq, what, mark=mark))
                return
        raise Refused(f"There are no {what} to take away.")

    def _undo(self, command: Command, now: datetime) -> tuple[str, Mapping[str, Any]]:
        if not self.acts:
            raise Refused("There is nothing to take back.")
        act = self.acts.pop()
        scope = "match" if act.what == "match" or (act.mark and self.course.open) else "session"
        before = self._brief(scope, now)
        if act.mark is None:
            if act.was is None:
                self.froms.pop(act.what, None)
            else:
                self.froms[act.what] = act.was
        elif act.added:
            for index in self.course.stretches_of(act.mark.seq):
                self.course.own(index).take_away(act.mark.seq, self.plan.within_us)
        else:
            index = max(len([one for one in self.course.stretches if one.began <= act.mark.at]) - 1, 0)
            self.course.own(index).add(act.mark, self.plan.within_us)
        return f"{SCOPES[scope]}: {before} → {self._brief(scope, now)}", {}

    def _show_card(self, command: Command, now: datetime) -> tuple[str, Mapping[str, Any]]:
        of = str(command.given.get("of", LAST_SHOWN))
        if of not in (LAST_SHOWN, *made_up.COUNTS):
            raise InvalidField(f"Show the last match, or {', '.join(made_up.COUNTS)} made-up ones.")
        if of == LAST_SHOWN and not self.course.finished():
            raise Refused("No match has ended yet. Show it with made-up ones.")
        self.card = (of, micros(now), command.seq)
        matches = "match" if of == "1" else "matches"
        shown = "the last match" if of == LAST_SHOWN else f"{of} made-up {matches}"
        return f"viewers see the match-end card with {shown}", {"of": of}

    # Signals

    def _session_from(self) -> int:
        return max(self.course.session_from, self.froms.get("session", 0))

    def present(self) -> Match | None:
        """The match that goes on, or else the last one."""
        return self.course.open or (self.course.matches[-1] if self.course.matches else None)

    def read(self, now: datetime) -> Told:
        """Every statistic in every scope."""
        course, now_us = self.course, micros(now)
        told: dict[str, Scalar | None] = {}
        match = self.present()
        of_match = course.of_match(match, self.froms.get("match", 0)) if match else Tally()
        self._put(told, "match", figures.played(of_match, now_us))
        self._put(told, "match", figures.place(match, self.plan.rule.players) if match else {})
        froms = {"session": self._session_from(), "day": course.days.began(now_us)}
        for scope, since in froms.items():
            self._put(told, scope, figures.played(course.since(since), now_us))
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
            "rating": course.rating, "state": "on" if course.open else "between",
            "match_number": self._once("matches", (course.version, froms["session"]), lambda: sum(
                one.began >= froms["session"] for one in course.matches
            )),
            "opponent": (match.opponent or None) if match else None, "arena": (match.arena or None) if match else None,
        }  # fmt: skip
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

    def _results(self, scope: str, since: int) -> Mapping[str, Scalar | None]:
        def make() -> Mapping[str, Scalar | None]:
            return figures.results(one for one in self.course.finished() if (one.ended or 0) >= since)

        found: Mapping[str, Scalar | None] = self._once(f"results {scope}", (self.course.version, since), make)
        return found

    def _rating(self, scope: str, since: int) -> Mapping[str, Scalar | None]:
        if not self.course.ratings:
            return {"rating_change": None, "rating_peak": None}
        key = (len(self.course.ratings), self.course.ratings[0], since)
        found: Mapping[str, Scalar | None] = self._once(f"rating {scope}", key, lambda: self._rated_since(since))
        return found

    def _rated_since(self, since: int) -> Mapping[str, Scalar | None]:
        ratings = self.course.ratings
        before = [rating for at, rating, _ in ratings if at <= since]
        after = [rating for at, rating, _ in ratings if at > since]
        first = before[-1] if before else after[0]
        return {"rating_change": round(ratings[-1][1] - first, 3), "rating_peak": max([first, *after])}

    def _of_groups(self, told: dict[str, Scalar | None], now_us: int) -> None:
        """Statistics of the session that were reset by themselves."""
        for group, (_, names) in GROUPS.items():
            since = self.froms.get(group)
            if since is None or since < self._session_from():
                continue
            values = {
                **figures.played(self.course.since(since), now_us), **self._results(group, since),
                **self._rating(group, since),
            }  # fmt: skip
            for name in names:
                told[f"session_{name}"] = values[name]
        kills, deaths, assists = (int(told[f"session_{name}"] or 0) for name in ("kills", "deaths", "assists"))
        told["session_kd"] = figures.ratio(kills, deaths)
        told["session_kda"] = figures.ratio(kills + assists, deaths)

    def _of_ended(self, now_us: int) -> Mapping[str, Mapping[str, Scalar | None]]:
        tried = self.card[0] != LAST_SHOWN and now_us - self.card[1] < FIRED_FOR_US
        key = (self.course.version, self.card, tried, self._late_marks())
        found: Mapping[str, Mapping[str, Scalar | None]] = self._once("ended", key, lambda: self._ended(now_us, tried))
        return found

    def _late_marks(self) -> int:
        return len(self.course.stretches[-1].marks or ()) if self.course.stretches and not self.course.open else 0

    def _ended(self, now_us: int, tried: bool) -> Mapping[str, Mapping[str, Scalar | None]]:
        matches = self.course.finished()
        last = matches[-self.plan.last :]
        total = Tally()
        for one in last:
            total = total.then(self.course.of_match(one))
        change: Mapping[str, Scalar | None] = {"rating_change": None, "rating_peak": None}
        if last and (rated := [one.rating for one in last if one.rating is not None]):
            first = last[0].before if last[0].before is not None else rated[0]
            change = {"rating_change": round(rated[-1] - first, 3), "rating_peak": max([first, *rated])}
        ended = self._of_one(matches[-1]) if matches else {}
        drawn = made_up.drawn([one.result for one in last], [one.rating for one in last], self.plan.last)
        of_last: Mapping[str, Scalar | None] = {
            "rating": matches[-1].rating if matches else None,
            "opponent": (matches[-1].opponent or None) if matches else None,
        }
        card: Mapping[str, Scalar | None] = {**ended, **drawn, **of_last}
        if tried:
            card = made_up.card(int(self.card[0]), self.plan.last)
        return {
            "last": {**figures.played(total, now_us), **figures.results(last), **change},
            "ended": ended, "card": card,
        }  # fmt: skip

    def _of_one(self, match: Match) -> Mapping[str, Scalar | None]:
        change = None if match.rating is None or match.before is None else round(match.rating - match.before, 3)
        told = figures.played(self.course.of_match(match), match.ended or 0)
        place = figures.place(match, self.plan.rule.players)
        return {**told, **place, "result": match.result or None, "rating_change": change}

    # Time, moments, a restart

    def next_change(self, now: datetime) -> datetime | None:
        """While a match goes on, its time does; and a day ends."""
        now_us = micros(now)
        midnight = self.course.days.began(self.course.days.began(now_us) + 30 * 3_600_000_000)
        ticks = self.course.stretches and self.course.stretches[-1].tally.on_at is not None
        return instant(min((now_us // EVERY_US + 1) * EVERY_US, midnight) if ticks else midnight)

    def fires(self, now: datetime) -> Sequence[Fired]:
        """The ends of matches, and a card that is shown by hand."""
        now_us, found = micros(now), []
        kind = f"{self.plan.name}.match_ended"
        for match in self.course.matches[-3:]:
            ended = match.ended or 0
            if match.finished and match.number not in self.told and now_us - ended < FIRED_FOR_US:
                data = {"number": match.number, "result": match.result, "match": match.id}
                found.append(Fired(f"{match.number}:{match.began}", kind, instant(ended), data))
        of, at, seq = self.card
        if seq and now_us - at < FIRED_FOR_US:
            found.append(Fired(f"card:{seq}", kind, instant(at), {"trial": of != LAST_SHOWN, "by_hand": True}))
        return found

    def extremes(self) -> Mapping[str, Extremes]:
        """Numbers grow as all do."""
        return {}

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return {
            "course": self.course.saved(), "froms": self.froms, "vitals": self.vitals, "told": sorted(self.told)[-60:],
            "card": list(self.card), "odd": [[one.seq, one.type, one.why] for one in self.odd],
            "acts": [[one.seq, one.what, one.was, list(one.mark) if one.mark else None, one.added]
                     for one in self.acts[-60:]],
        }  # fmt: skip

    def restore(self, saved: Mapping[str, Any]) -> Statistics:
        """Go on from what was stored."""
        self.course.restore(saved["course"])
        self.froms, self.vitals, self.told = dict(saved["froms"]), dict(saved["vitals"]), set(saved["told"])
        of, at, seq = saved["card"]
        self.card = (of, at, seq)
        self.odd.extend(Odd(*one) for one in saved["odd"])
        self.acts = [
            Act(seq, what, was, Mark(*mark) if mark else None, added) for seq, what, was, mark, added in saved["acts"]
        ]
        return self


_HEARD: Mapping[str, Callable[[Statistics, Happening], None]] = {
    "kill": Statistics._kill, "death": Statistics._death, "assist": Statistics._assist, "damage": Statistics._damage,
    "vitals": Statistics._vitals, "round.end": Statistics._aim, "match.start": Statistics._start,
    "match.end": Statistics._end, "match.pause": Statistics._pause, "match.resume": Statistics._resume,
}  # fmt: skip
_ACTS: Mapping[str, Callable[[Statistics, Command, datetime], tuple[str, Mapping[str, Any]]]] = {
    "reset": Statistics._reset, "correct": Statistics._correct, "undo": Statistics._undo,
    "show_card": Statistics._show_card,
}  # fmt: skip
