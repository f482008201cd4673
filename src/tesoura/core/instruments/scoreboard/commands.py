"""A scoreboard operated: scoring, correcting, the clock, sides and notices; and what its signals tell."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import MICRO, micros
from tesoura.core.forms.checks import text, whole
from tesoura.core.instruments.base import Step, Told, by_name
from tesoura.core.instruments.commands import PLACE, Command
from tesoura.core.instruments.items import InstrumentItem
from tesoura.core.instruments.scoreboard import acts as kinds
from tesoura.core.instruments.scoreboard.acts import SIDES, MatchAct, last_standing, side_of
from tesoura.core.instruments.scoreboard.given import SCORES
from tesoura.core.instruments.scoreboard.matches import record_of
from tesoura.core.instruments.scoreboard.notices import MOST_NOTICES, Notice, driven, showing, without
from tesoura.core.instruments.scoreboard.sides import SIDE_FIELDS, Side, differences
from tesoura.core.instruments.scoreboard.signals import extremes_of, told_of
from tesoura.core.instruments.scoreboard.stage import MatchStage, spans
from tesoura.core.instruments.scoreboard.state import Board
from tesoura.core.instruments.scoreboard.view import stage_score, view_of
from tesoura.core.instruments.scoreboard.words import act_words, led_to, spans_text
from tesoura.core.signals.extremes import Extremes
from tesoura.errors import CommandRefused, InvalidField

DEVICE = "device:"
_NOT_OF_A_SIDE = ("side", "by", "command")
"""What is given with a command to a side, or logged with it, and is none of its fields."""
_TITLE, _LINE = text(40, empty=True), text(160)


class Scoreboard(Board):
    """A scoreboard, operated."""

    __slots__ = ()

    def with_items(self, items: Sequence[InstrumentItem]) -> Scoreboard:
        """With these teams on its shelf."""
        teams = {one.id: Side(**{name: str(one.values.get(name, "")) for name in SIDE_FIELDS}) for one in items}
        return replace(self, teams=teams)

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField, InvalidPiece or CommandRefused."""
        it = replace(self.advance(now), written=())
        if command.name in SCORES:
            return it._scored(command, now)
        step: Step = by_name(it, command, now)
        return step

    # Acts

    def _scored(self, command: Command, now: datetime) -> Step:
        by = _given_by(command)
        if len(self.acts) >= kinds.MOST_ACTS:
            raise CommandRefused(f"This match has {len(self.acts):,} acts. Begin a new match.")
        kind, more = SCORES[command.name]
        values = more(self, command.given)
        act = MatchAct(command.seq, micros(now), kind, by=by, **values)
        if not command.seq:
            # What is in the log was let in when it came, whatever is chosen by now.
            self._may_count(by)
            self._is_no_echo(act)
        after = self.with_act(act)
        words = led_to(self.stage, after.stage, act, self.lineup, self.plan.final)
        given = {name: value for name, value in command.given.items() if name != "by"} | ({"by": by} if by else {})
        return Step(after, words, given, undo=("strike", {"act": PLACE}))

    def _who(self, command: Command) -> str:
        """Who gives it. Raises CommandRefused for one who may not count here."""
        by = _given_by(command)
        if not command.seq:
            self._may_count(by)
        return by

    def _may_count(self, by: str) -> None:
        wanted = self.plan.referee
        if wanted and by.startswith(DEVICE) and by.removeprefix(DEVICE).casefold() != wanted.casefold():
            raise CommandRefused(f"{wanted} scores this match. This phone can only view it.")

    def _is_no_echo(self, act: MatchAct) -> None:
        """Two who tell of the same rally count one point."""
        last = last_standing(self.acts)
        if act.kind != kinds.POINT or last is None or last.kind != kinds.POINT or last.by == act.by:
            return
        gone_s = (act.at - last.at) / MICRO
        if 0 <= gone_s < self.plan.same_rally_s:
            whose, who = self.lineup.sides[last.side].name, _called(last.by)
            raise CommandRefused(f"{who} scored {gone_s:.1f} s ago for {whose}. Press again if this is another rally.")

    def _take_back(self, command: Command, now: datetime) -> Step:
        self._who(command)
        last = last_standing(self.acts)
        if last is None:
            raise CommandRefused("Nothing left to undo in this match.")
        step = self._with_strike(command, last, True)
        return replace(step, effect=step.effect.replace("undone", "undo", 1))

    def _strike(self, command: Command, now: datetime) -> Step:
        return self._with_strike(command, self._act(command.given.get("act")), True)

    def _put_back(self, command: Command, now: datetime) -> Step:
        struck = [one for one in self.acts if one.struck]
        if not command.given.get("act") and not struck:
            raise CommandRefused("Nothing to restore.")
        standing = last_standing(self.acts)
        behind = [one for one in struck if standing is None or one.number > standing.number]
        # Of those that were taken back one after the other, the last one comes back first.
        act = self._act(command.given.get("act") or (behind or struck[-1:])[0].number)
        return self._with_strike(command, act, False)

    def _with_strike(self, command: Command, act: MatchAct, struck: bool) -> Step:
        by = self._who(command)
        if act.struck is struck:
            raise CommandRefused("Already undone." if struck else "Already counted.")
        after = self._told_otherwise(act, replace(act, struck=struck), command.seq)
        words = f"{'undone' if struck else 'restored'}: {act_words(act, self.lineup)} → {_score(after.stage)}"
        given = {"act": act.number, **({"by": by} if by else {})}
        return Step(after, words, given, undo=("put_back" if struck else "strike", {"act": act.number}))

    def _correct(self, command: Command, now: datetime) -> Step:
        by = self._who(command)
        act, side = self._act(command.given.get("act")), side_of(command.given.get("side"))
        if act.side < 0 or act.side == side:
            raise CommandRefused("No change.")
        after = self._told_otherwise(act, replace(act, side=side), command.seq)
        words = f"corrected: {act_words(replace(act, side=side), self.lineup)} → {_score(after.stage)}"
        given = {"act": act.number, "side": SIDES[side], **({"by": by} if by else {})}
        return Step(after, words, given, undo=("correct", {"act": act.number, "side": SIDES[act.side]}))

    def _told_otherwise(self, old: MatchAct, new: MatchAct, seq: int) -> Scoreboard:
        """It with another act in the place of one. What was announced stays; that the match ends now, is announced."""
        after = self.told_again(tuple(new if one is old else one for one in self.acts))
        owed = tuple(one for one in after.owed if not one.id.startswith(f"{old.number}:") or not new.struck)
        after = replace(after, owed=owed)
        if after.stage.over and not self.stage.over:
            last = replace(last_standing(after.acts) or new, number=seq)
            fired = [one for one in after.happened(self.stage, last) if one.id.endswith(":match")]
            after = replace(after, owed=(*after.owed, *fired))
        return after

    def _act(self, raw: object) -> MatchAct:
        found = next((one for one in self.acts if str(one.number) == str(raw or "").strip()), None)
        if found is None:
            raise InvalidField("There is no such entry in this match. Reload the page.")
        return found

    def _new_match(self, command: Command, now: datetime) -> Step:
        if not any(not one.struck for one in self.acts):
            raise CommandRefused("This match is still empty.")
        after = replace(self.told_again(()), previous=self.acts, notices=(), written=(record_of(self),))
        words = f"a new match; {_score(self.stage)} is kept under matches"
        return Step(after, words, undo=("last_match", {}))

    def _last_match(self, command: Command, now: datetime) -> Step:
        if not self.previous or self.acts:
            raise CommandRefused(
                "No match to go back to: the new one has started."
                if self.acts
                else "There was no match before this one."
            )
        after = replace(self.told_again(self.previous), previous=())
        return Step(after, f"back to the last match, {_score(after.stage)}", undo=("new_match", {}))

    # Sides: a draft until it is put on air

    def _side(self, command: Command, now: datetime) -> Step:
        side = side_of(command.given.get("side"))
        typed = {name: value for name, value in command.given.items() if name not in _NOT_OF_A_SIDE}
        draft = self.draft.changed(side, typed)
        before = {name: getattr(self.draft.sides[side], name) for name in typed}
        return Step(
            replace(self, draft=draft),
            self._waits(draft),
            {"side": SIDES[side], **typed},
            undo=("side", {"side": SIDES[side], **before}),
        )

    def _heading(self, command: Command, now: datetime) -> Step:
        heading = " ".join(text(80, empty=True)(command.given.get("heading", "")).split())
        draft = replace(self.draft, heading=heading)
        return Step(
            replace(self, draft=draft),
            self._waits(draft),
            {"heading": heading},
            undo=("heading", {"heading": self.draft.heading}),
        )

    def _take_team(self, command: Command, now: datetime) -> Step:
        if command.seq:
            # In the log stands what the team was then.
            return self._side(command, now)
        side, wanted = side_of(command.given.get("side")), str(command.given.get("team", "")).strip()
        found = next((one for key, one in self.teams.items() if wanted.casefold() in (key, one.name.casefold())), None)
        if found is None:
            known = ", ".join(one.name for one in self.teams.values()) or "none yet"
            raise InvalidField(f"There is no team {wanted[:40]} saved. There are: {known}.")
        values = {name: getattr(found, name) for name in SIDE_FIELDS}
        return self._side(replace(command, given={"side": SIDES[side], **values}), now)

    def _exchange(self, command: Command, now: datetime) -> Step:
        draft = self.draft.other_way()
        return Step(replace(self, draft=draft), self._waits(draft), undo=("exchange", {}))

    def _waits(self, draft: Any) -> str:
        found = differences(draft, self.lineup)
        return f"waits for “Put on air”: {'; '.join(found)}"[:400] if found else "as it is on air"

    def _put_on_air(self, command: Command, now: datetime) -> Step:
        found = differences(self.draft, self.lineup)
        if not found:
            raise CommandRefused("The draft matches what's on air.")
        lineup = self.draft
        players = [len(one.names) for one in lineup.sides] != [len(one.names) for one in self.lineup.sides]
        after = replace(self, lineup=lineup)
        # With other players somebody else may serve; the points stay what they are.
        after = after.told_again(self.acts) if players else after
        return Step(after, "; ".join(found)[:400])

    def _drop_draft(self, command: Command, now: datetime) -> Step:
        if self.draft == self.lineup:
            raise CommandRefused("Nothing queued.")
        return Step(replace(self, draft=self.lineup), "draft discarded")

    # Notices

    def _notice(self, command: Command, now: datetime) -> Step:
        given = command.given
        title, words = _TITLE(given.get("title", "")).strip(), _LINE(given.get("text", "")).strip()
        for_s = whole(0, 3_600)(given.get("for_s") or 0)
        when = str(given.get("when") or "now").strip().casefold()
        if when not in ("now", "after_rally"):
            raise InvalidField("when is now, or after_rally.")
        if len(self.notices) >= MOST_NOTICES:
            raise CommandRefused(f"{MOST_NOTICES} notices are queued. Remove one first.")
        notice = Notice(command.seq, title, words, float(for_s), when == "now")
        after = replace(self, notices=driven((*self.notices, notice), now))
        seen = showing(after.notices)
        effect = (
            "on screen now"
            if seen is not None and seen.number == notice.number
            else ("shown after the rally" if when != "now" else "queued")
        )
        logged = {"title": title, "text": words, "for_s": for_s, "when": when}
        return Step(after, f"{effect}: {title + ' ' if title else ''}{words}"[:200], logged)

    def _end_notice(self, command: Command, now: datetime) -> Step:
        wanted = str(command.given.get("notice") or "")
        seen = showing(self.notices)
        found = next((one for one in self.notices if str(one.number) == wanted), None) if wanted else seen
        if found is None:
            raise CommandRefused("No notice on screen." if not wanted else "This notice was already removed.")
        after = replace(self, notices=driven(without(self.notices, found.number), now))
        words = f"“{found.text[:60]}” is deleted" if found is seen else f"“{found.text[:60]}” is no longer queued"
        return Step(after, words, {"notice": found.number})

    # What it tells

    def read(self, now: datetime) -> Told:
        """The present value of each of its signals."""
        return told_of(self.advance(now), now)

    def view(self, at: datetime) -> Mapping[str, Any]:
        """What its pages show beside its signals."""
        return view_of(self.advance(at), at)

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """The widest that its figures come to."""
        return extremes_of(self)


def _given_by(command: Command) -> str:
    """Who gives a command: as the log has it, or whoever does now, whatever he says of himself."""
    return str(command.given.get("by") or "")[:200] if command.seq else command.actor[:200]


def _called(by: str) -> str:
    return (
        by.removeprefix(DEVICE) if by.startswith(DEVICE) else "The desk" if by.startswith("desk") else by or "Somebody"
    )


def _score(stage: MatchStage) -> str:
    return spans_text(stage) if len(spans(stage)) > 1 or stage.over else stage_score(stage)
