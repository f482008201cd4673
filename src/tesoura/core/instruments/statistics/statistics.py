"""Game statistics as they stand: events of a game in, figures by scope out, commands beside them."""

from __future__ import annotations

import copy
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.instruments.base import Fired, Step, by_name
from tesoura.core.instruments.commands import PLACE, Command
from tesoura.core.instruments.statistics import made_up
from tesoura.core.instruments.statistics.course import FOREVER
from tesoura.core.instruments.statistics.events import LAST_SHOWN, Act, Odd
from tesoura.core.instruments.statistics.scoped import FIRED_FOR_US, GROUPS, Scoped
from tesoura.core.instruments.statistics.table import SCOPES
from tesoura.core.instruments.statistics.tally import ASSIST, DEATH, KILL, TallyMark
from tesoura.core.signals.extremes import Extremes
from tesoura.errors import CommandRefused, InvalidField

EVERY_US = 5_000_000
"""While a match goes on, what depends on its time is told anew so often."""
CORRECTED = {"kills": KILL, "deaths": DEATH, "assists": ASSIST}


class Statistics(Scoped):
    """A game's statistics. It grows with its events; a command gives another one that shares what it left alone."""

    # Commands

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or CommandRefused."""
        after = self._copy()
        effect, given = by_name(after, command, now)
        taken_back = command.name in ("correct", "reset")
        return Step(after, effect, given, undo=("undo", {"of": PLACE}) if taken_back else None)

    def _copy(self) -> Statistics:
        again = copy.copy(self)
        again.course = self.course.copy()
        again.froms, again.acts, again.vitals = dict(self.froms), list(self.acts), dict(self.vitals)
        again.vitals_at = dict(self.vitals_at)
        again.odd, again.told, again._kept = copy.copy(self.odd), set(self.told), {}
        return again

    def _reset(self, command: Command, now: datetime) -> tuple[str, Mapping[str, Any]]:
        what = str(command.given.get("what", "session"))
        if what not in ("session", "match", *GROUPS):
            raise InvalidField(f"“{what[:30]}” can't be reset. Choose session, match, or {', '.join(GROUPS)}.")
        before = self._brief(what, now)
        resets = [what, *(GROUPS if what == "session" else ())]
        self.acts.append(Act(command.seq, what, {name: self.froms.get(name) for name in resets}))
        for name in resets:
            self.froms.pop(name, None)
        # What happened at this very instant and stands before it in the log is before it; a trial is behind all.
        self.froms[what] = (micros(now), command.seq or FOREVER)
        words = {"session": "this session", "match": "this match"}.get(what) or GROUPS[what][0]
        return f"{words}: {before} → {self._brief(what, now)}", {"what": what}

    def _brief(self, what: str, now: datetime) -> str:
        told = self.read(now)
        if what in ("session", "match"):
            return f"{_many(told[f'{what}_kills'], 'kill')}, {_many(told[f'{what}_deaths'], 'death')}"
        shown = told[f"session_{GROUPS[what][1][0]}"]
        return "—" if shown is None else str(shown)

    def _correct(self, command: Command, now: datetime) -> tuple[str, Mapping[str, Any]]:
        what, raw = str(command.given.get("what", "kills")), command.given.get("by", 1)
        if what not in CORRECTED:
            raise InvalidField(f"“{what[:30]}” can't be corrected. Choose {', '.join(CORRECTED)}.")
        by = str(raw).strip().replace("\u2212", "-")
        if by not in ("1", "+1", "-1"):
            raise InvalidField("Correct one at a time: by 1, or by -1.")
        scope = "match" if self.course.current else "session"
        before = self.read(now)[f"{scope}_{what}"]
        code, given = CORRECTED[what], {"what": what, "by": -1 if by == "-1" else 1}
        if by == "-1":
            mark = self._taken(command, code, what)
            self.course.take_away(mark.seq)
            given["of"] = mark.seq
        else:
            mark = TallyMark(micros(now), command.seq or FOREVER, code)
            self.course.add(mark)
        self.acts.append(Act(command.seq, what, {}, mark, by != "-1"))
        after = self.read(now)[f"{scope}_{what}"]
        return f"{what} {SCOPES[scope]}: {before} → {after}", given

    def _taken(self, command: Command, code: int, what: str) -> TallyMark:
        """The mark that is deleted: the one that was taken when the command was given, or the last in its scope."""
        course, open_ = self.course, self.course.current
        marks = [mark for mark in course.marks if mark.what == code]
        if "of" in command.given:
            marks = [mark for mark in marks if mark.seq == command.given["of"]]
        elif open_ is not None:
            since = self.froms.get("match", (0, 0))
            marks = [mark for mark in marks if mark[:2] > since and course.of(mark.match, mark.at) is open_]
        else:
            since = max(self._session_from(), self.froms.get(what, (0, 0)))
            marks = [mark for mark in marks if mark[:2] > since]
        if not marks:
            raise CommandRefused(f"There are no {what} to remove.")
        return marks[-1]

    def _undo(self, command: Command, now: datetime) -> tuple[str, Mapping[str, Any]]:
        # By its place in the log: one that led to nothing under another rule must not let an earlier one be taken back.
        wanted = command.given.get("of")
        act = next((one for one in reversed(self.acts) if wanted is None or str(one.seq) == str(wanted)), None)
        if act is None:
            raise CommandRefused("Nothing to undo.")
        self.acts.remove(act)
        scope = "match" if act.what == "match" or (act.mark and self.course.current) else "session"
        before = self._brief(scope, now)
        if act.mark is None:
            for name, since in act.was.items():
                if since is None:
                    self.froms.pop(name, None)
                else:
                    self.froms[name] = since
        elif act.added:
            self.course.take_away(act.mark.seq)
        else:
            self.course.add(act.mark)
        return f"{SCOPES[scope]}: {before} → {self._brief(scope, now)}", {"of": act.seq}

    def _show_card(self, command: Command, now: datetime) -> tuple[str, Mapping[str, Any]]:
        of = str(command.given.get("of", LAST_SHOWN))
        if of not in (LAST_SHOWN, *made_up.COUNTS):
            raise InvalidField(f"Show the last match, or {', '.join(made_up.COUNTS)} made-up ones.")
        if of == LAST_SHOWN and not self.course.finished():
            raise CommandRefused("No match has ended yet. Show it with made-up ones.")
        self.card = (of, micros(now), command.seq)
        matches = "match" if of == "1" else "matches"
        shown = "the last match" if of == LAST_SHOWN else f"{of} made-up {matches}"
        return f"shows the match-end card with {shown}", {"of": of}

    # Time, moments, a restart

    def clock_was_set(self) -> None:
        """All its instants were moved: what was worked out of them is worked out again."""
        self.course.changed()
        self._kept = {}

    def next_change(self, now: datetime) -> datetime | None:
        """While a match goes on, its time does; and a day ends."""
        now_us = micros(now)
        midnight = self.course.days.ends(now_us)
        ticks = self.course.ticks()
        return instant(min((now_us // EVERY_US + 1) * EVERY_US, midnight) if ticks else midnight)

    def fires(self, now: datetime) -> Sequence[Fired]:
        """The ends of matches, and a card that is shown by hand."""
        now_us, found = micros(now), []
        kind = f"{self.plan.name}.match_ended"
        for match in self.course.finished()[-3:]:
            ended = match.ended or 0
            id = f"match:{match.began}"
            if id not in self.told and now_us - ended < FIRED_FOR_US:
                data = {"of": id, "result": match.result, "match": match.id}
                found.append(Fired(id, kind, instant(ended), data))
        of, at, seq = self.card
        if seq and now_us - at < FIRED_FOR_US:
            found.append(Fired(f"card:{seq}", kind, instant(at), {"trial": of != LAST_SHOWN, "by_hand": True}))
        return found

    def view(self, at: datetime) -> Mapping[str, Any]:
        """Whether kills of the player came, while deaths, which are asked for, never did."""
        offered = self.plan.deaths_by == "death" and self.beaten and not self.told_death
        return {"beaten": self.beaten if offered else 0}

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """Numbers grow as all do; the card is tried with twelve made-up matches."""
        card = made_up.card(self.plan.last, self.plan.last)
        found = {f"card_{name}": Extremes(sample=value) for name, value in card.items()}
        found["card_opponent"] = Extremes(widest=made_up.NAME_OF_30, sample=made_up.NAME_OF_30)
        return found

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return {
            "course": self.course.saved(),
            "froms": {name: list(since) for name, since in self.froms.items()},
            "vitals": self.vitals,
            "vitals_at": {name: list(at) for name, at in self.vitals_at.items()},
            "told": sorted(self.told)[-60:],
            "deaths": [self.beaten, self.told_death],
            "card": list(self.card),
            "odd": [[one.seq, one.type, one.why] for one in self.odd],
            "acts": [
                [
                    one.seq,
                    one.what,
                    {name: list(since) if since else None for name, since in one.was.items()},
                    list(one.mark) if one.mark else None,
                    one.added,
                ]
                for one in self.acts[-60:]
            ],
        }

    def restore(self, saved: Mapping[str, Any]) -> Statistics:
        """Go on from what was stored."""
        self.course.restore(saved["course"])
        self.froms = {name: (at, seq) for name, (at, seq) in saved["froms"].items()}
        self.vitals, self.told = dict(saved["vitals"]), set(saved["told"])
        self.vitals_at = {name: (at, seq) for name, (at, seq) in saved["vitals_at"].items()}
        # States of older versions do not have them.
        self.beaten, self.told_death = saved.get("deaths", (0, True))
        of, at, seq = saved["card"]
        self.card = (of, at, seq)
        self.odd.extend(Odd(*one) for one in saved["odd"])
        self.acts = [
            Act(
                seq,
                what,
                {name: (since[0], since[1]) if since else None for name, since in was.items()},
                TallyMark(*mark) if mark else None,
                added,
            )
            for seq, what, was, mark, added in saved["acts"]
        ]
        return self


def _many(count: object, one: str) -> str:
    return f"{count} {one}" if count == 1 else f"{count} {one}s"
