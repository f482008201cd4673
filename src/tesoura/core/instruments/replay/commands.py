"""Replays operated: asked for, shown again, put away, tried; and what their signals tell."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

from tesoura.core.computed.occurrence import micros
from tesoura.core.forms.checks import whole
from tesoura.core.instruments.base import Step, Told, by_name
from tesoura.core.instruments.commands import Command
from tesoura.core.instruments.replay.firing import FiringReplays
from tesoura.core.instruments.replay.saving import plain
from tesoura.core.instruments.replay.state import ShownReplay
from tesoura.core.instruments.replay.wishes import Clip, ReadyReplay, Wish, caption_of, made_ready, seconds_of
from tesoura.core.replays.occasions import MICRO
from tesoura.core.replays.showing import GONE
from tesoura.core.signals.extremes import Extremes
from tesoura.errors import CommandRefused, InvalidField

MADE_UP = Clip(0, "made_up.webm", 8 * MICRO, 0, 640, 360)
"""The made-up clip that ships: eight seconds of it."""
MADE_UP_KILLS = (3 * MICRO, 5 * MICRO)
SIGNALS: Mapping[str, str] = {
    "state": "",
    "there": "",
    "caption": "",
    "kills": "",
    "seconds": "s",
    "waiting": "",
    "shown": "",
    "note": "",
    "trial": "",
    "motion": "drawing",
}
NOTHING, ASKED, WAITS, SEEN = "nothing", "asked for", "waits", "seen"
TRIED = "test with a made-up clip"


class Replays(FiringReplays):
    """Replays, operated."""

    __slots__ = ()

    def handle(self, command: Command, now: datetime) -> Step:
        """What a command leads to. Raises InvalidField or CommandRefused."""
        step: Step = by_name(replace(self.advance(now), written=()), command, now)
        return step

    def _ask(self, command: Command, now: datetime) -> Step:
        if not self.plan.source:
            raise CommandRefused("Choose a video source first.")
        raw = command.given.get("seconds")
        seconds = whole(1, 120)(raw) if raw not in (None, "") else min(12, self.plan.cutting.most // MICRO)
        at = micros(now)
        wish = Wish(
            f"asked-{command.seq}",
            (),
            (),
            ((at - seconds * MICRO, at),),
            at,
            str(command.given.get("caption") or "")[:200],
            by_hand=True,
            cause=command.seq,
        )
        words = f"the last {seconds} s requested; shown as soon as available"
        return Step(replace(self, asked=(*self.asked, wish)), words, {"seconds": seconds, "caption": wish.caption})

    def _show(self, command: Command, now: datetime) -> Step:
        ready = _given(self, command, now)
        return self._pressed(ready, now, {name: command.given[name] for name in CLIP if name in command.given})

    def _again(self, command: Command, now: datetime) -> Step:
        if self.showing is None or self.showing.replay.trial:
            raise CommandRefused("None shown yet.")
        before = self.showing.replay
        again = replace(before, wish=replace(before.wish, id=f"again-{command.seq}", by_hand=True), since=micros(now))
        return self._pressed(again, now, {})

    def _show_now(self, command: Command, now: datetime) -> Step:
        waits = [one for one in self.ready if not one.pressed]
        if not waits:
            raise CommandRefused("The queue is empty.")
        best = max(waits, key=lambda one: (one.wish.rank, -one.since))
        rest = tuple(replace(one, pressed=True) if one.id == best.id else one for one in self.ready)
        after = replace(self, ready=rest, line=self.line.without(best.id, 0)[0])
        return Step(after, f"“{best.wish.caption or 'a replay'}” is shown now")

    def _try_it(self, command: Command, now: datetime) -> Step:
        wish = Wish(
            f"try-{command.seq}",
            MADE_UP_KILLS,
            (),
            ((0, MADE_UP.length),),
            micros(now),
            caption_of(self.plan.caption, MADE_UP_KILLS, {"actor": "mara_vane", "target": "otto_knot"}),
            self.plan.closer.times,
            self.plan.closer.x,
            self.plan.closer.y,
            by_hand=True,
        )
        ready = made_ready(self.plan, wish, MADE_UP, micros(now))
        assert ready is not None
        return self._pressed(replace(ready, trial=True), now, {})

    def _pressed(self, ready: ReadyReplay, now: datetime, given: Mapping[str, Any]) -> Step:
        after = replace(self, ready=(*self.ready, replace(ready, pressed=True)))
        shown = self.shows(micros(now))
        words = f"“{ready.wish.caption or 'a replay'}” is shown"
        if self.never:
            words += f" as soon as possible: {self.never}"
        elif shown is not None:
            words += " after the current one"
        return Step(after, words, given)

    def _put_away(self, command: Command, now: datetime) -> Step:
        at, shown = micros(now), self.showing
        if shown is None or at >= shown.until:
            raise CommandRefused("No replay on screen.")
        return Step(self.ended(at), f"“{shown.replay.wish.caption or 'the replay'}” is deleted")

    def _drop_waiting(self, command: Command, now: datetime) -> Step:
        every = [*(one.id for one in self.wishes), *(one.id for one in (*self.ready, *self.candidates))]
        if not every and not self.asked:
            raise CommandRefused("The queue is empty.")
        it = replace(self, asked=())
        for id in every:
            it = it._without(id, GONE)
        return Step(it, f"{len(every) + len(self.asked)} queued removed")

    # What it tells

    def read(self, now: datetime) -> Told:
        """The present value of each of its signals."""
        at = micros(now)
        shown, waiting = self.shows(at), len(self.ready) + len(self.candidates)
        on_way = len(self.wishes) + len(self.asked)
        state = SEEN if shown else WAITS if waiting else ASKED if on_way else NOTHING
        wish = shown.replay.wish if shown else None
        return {
            "state": state,
            "there": shown is not None,
            "caption": wish.caption if wish else "",
            "kills": len(wish.kills) if wish else None,
            "seconds": seconds_of(wish.kills) if wish else None,
            "waiting": waiting + on_way,
            "shown": self.shown,
            "note": TRIED if shown is not None and shown.replay.trial else "",
            "trial": shown is not None and shown.replay.trial,
            "motion": self._motion(at),
        }

    def _motion(self, at: int) -> str:
        """How what is seen goes, or will in a moment; and which clip comes next, so that pages have it by then."""
        shown = self.showing if self.showing is not None and at < self.showing.until else None
        coming = next((one for one in self.ready if one.pressed), self.ready[0] if self.ready else None)
        told: dict[str, Any] = {"next": _address(coming.clip)} if coming is not None else {}
        return json.dumps({**told, **(_going(self, shown) if shown else {})}, separators=(",", ":"))

    def view(self, at: datetime) -> Mapping[str, Any]:
        """What its pages are told beside its signals."""
        now = micros(at)
        shown = self.shows(now)
        by_id = {one.id: one for one in self.line.waiting}
        waits = [
            {
                "id": one.id,
                "caption": one.wish.caption,
                "kills": len(one.wish.kills),
                "clip": one.clip.number,
                "seconds": round(one.length / MICRO, 1),
                "since": one.since,
                "until": by_id[one.id].since + self.plan.showing.longest_wait if one.id in by_id else None,
            }
            for one in sorted(self.ready, key=lambda one: one.wish.rank, reverse=True)
        ]
        return {
            "waits": waits,
            "why_not": self.may(now),
            "shown": shown.replay.wish.caption if shown else None,
            "shown_clip": shown.replay.clip.number if shown else None,
            "until": shown.until if shown else None,
            "asked": len(self.wishes) + len(self.asked),
            "candidates": [one.wish.caption for one in self.candidates],
            "passed": [{"caption": one.caption, "why": one.why, "at": one.at} for one in self.passed],
            "source": self.plan.source,
            "rule": self.plan.rule.words() if self.plan.rule else "",
        }

    def extremes(self, at: datetime) -> Mapping[str, Extremes]:
        """The longest that it comes to say."""
        longest = {"actor": "margarine_moon", "target": "gull_on_a_post", "means": "glass line"}
        times = [second * MICRO for second in range(0, 100, 9)]
        return {"caption": Extremes(caption_of(self.plan.caption, times, longest)), "note": Extremes(TRIED)}

    def saved(self) -> dict[str, Any]:
        """How it stands, to be stored."""
        return plain(self)


def _going(it: Replays, shown: ShownReplay) -> dict[str, Any]:
    replay, closer = shown.replay, it.plan.closer
    stretches = [
        [one.shown_from // 1_000, one.begin // 1_000, one.end // 1_000, one.speed_pct] for one in replay.pace.stretches
    ]
    return {
        "id": replay.id,
        "clip": _address(replay.clip),
        "at": shown.at // 1_000,
        "ms": (shown.until - shown.at) // 1_000,
        "stretches": stretches,
        "closer": replay.wish.closer,
        "x": replay.wish.x,
        "y": replay.wish.y,
        "move": closer.move // 1_000,
        "trial": replay.trial,
    }


def _address(clip: Clip) -> str:
    return f"/clips/file/{clip.file}" if clip.number else f"/static/clips/{clip.file}"


CLIP = ("clip", "file", "length", "shows_from", "kills", "parts", "caption", "width_px", "height_px")


def _given(it: Replays, command: Command, now: datetime) -> ReadyReplay:
    """A replay of a clip of the shelf, as its page gives it."""
    data = command.given
    if not data.get("file"):
        raise CommandRefused("Show it from the Clips page.")
    try:
        clip = Clip(
            int(data["clip"]),
            str(data["file"]),
            int(data["length"]),
            int(data["shows_from"]),
            int(data.get("width_px", 0)),
            int(data.get("height_px", 0)),
        )
        kills = tuple(int(one) for one in data.get("kills", ()))
        parts = tuple((int(begin), int(end)) for begin, end in data["parts"])
    except (KeyError, TypeError, ValueError):
        raise InvalidField("This is not a saved clip.") from None
    closer = it.plan.closer
    wish = Wish(
        f"shelf-{command.seq}",
        kills,
        (),
        parts,
        micros(now),
        str(data.get("caption") or "")[:200],
        closer.times if closer.only is None else 1.0,
        closer.x,
        closer.y,
        by_hand=True,
        cause=command.seq,
    )
    ready = made_ready(it.plan, wish, clip, micros(now))
    if ready is None:
        raise CommandRefused("Nothing left to show. Change its trim.")
    return ready
