"""What replays do by themselves: ask for a clip, show one, let one pass, make way. It is so once it is in the log."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta

from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.effects import CLIP, SOUND, Effect
from tesoura.core.instruments.base import Fired
from tesoura.core.instruments.replay.state import AWAY, BEGUN, CLIP_WAIT, NO_CLIP, PASSED, WANTED, ReplayBase
from tesoura.core.instruments.replay.wishes import ReadyReplay, Wish, wished
from tesoura.core.replays.occasions import MICRO


class FiringReplays(ReplayBase):
    """Replays, as they go on by themselves."""

    __slots__ = ()

    def fires(self, now: datetime) -> Sequence[Fired]:
        """What has happened by itself by now and is not in the log yet."""
        at = micros(now)
        it = self.advance(now)
        found = [it._wants(one, now) for one in it.asked]
        for occasion in it.occasions.advance(at)[1]:
            kills = [it.kills[seq] for seq in occasion.seqs if seq in it.kills]
            if kills:
                found.append(it._wants(wished(it.plan, kills, at), now))
        found += [it._passes(wish, why, now) for wish, why in it.gone]
        found += [it._passes(wish, NO_CLIP, now) for wish in it.wishes if at >= wish.at + CLIP_WAIT]
        return [*found, *it._makes_way(now), *it._seen(now)]

    def _makes_way(self, now: datetime) -> list[Fired]:
        """What may not be seen any more."""
        shown, name = self.showing, self.plan.name
        if not self.never or shown is None or micros(now) >= shown.until:
            return []
        wish = shown.replay.wish
        data = {"of": shown.replay.id, "why": self.never, "caption": wish.caption}
        return [Fired(f"{shown.replay.id}:{AWAY}", f"{name}.{AWAY}", now, data, (), wish.cause or None)]

    def _wants(self, wish: Wish, now: datetime) -> Fired:
        data = {
            "of": wish.id,
            "from": wish.begins,
            "until": wish.ends,
            "caption": wish.caption,
            "kills": list(wish.kills),
            "parts": [list(one) for one in wish.parts],
            "seqs": list(wish.seqs),
            "counted_by": self.plan.counted_by,
        }
        effect = Effect(CLIP, self.plan.source, {**data, "instrument": self.plan.name}, now + timedelta(seconds=60))
        return Fired(
            f"{wish.id}:{WANTED}", f"{self.plan.name}.{WANTED}", now, wish.told(), [effect], wish.cause or None
        )

    def _passes(self, wish: Wish, why: str, now: datetime) -> Fired:
        data = {"of": wish.id, "why": why, "caption": wish.caption, "kills": len(wish.kills)}
        return Fired(f"{wish.id}:{PASSED}", f"{self.plan.name}.{PASSED}", now, data, (), wish.cause or None)

    def _seen(self, now: datetime) -> list[Fired]:
        """Those that are too late by now, and the one that begins."""
        at, found = micros(now), list[Fired]()
        by_id = {one.id: one for one in self.ready}
        shows = self.shows(at) is not None or (self.showing is not None and at < self.showing.at)
        if not self.never and not shows:
            pressed = next((one for one in self.ready if one.pressed), None)
            if pressed is not None:
                return [self._begins(pressed, now)]
        for verdict in self.line.advance(at)[1]:
            one = by_id.get(str(verdict.id))
            if one is None:
                continue
            if verdict.begins:
                if not shows:
                    found.append(self._begins(one, now))
                break
            found.append(self._passes(one.wish, verdict.why, now))
        return found

    def _begins(self, ready: ReadyReplay, now: datetime) -> Fired:
        plan, wish = self.plan, ready.wish
        until = now + timedelta(seconds=3)
        effects = []
        if plan.sound and len(wish.kills) >= plan.sound_from:
            effects.append(Effect(SOUND, plan.name, {"sound": plan.sound}, until))
        data = {
            "of": ready.id,
            "clip": ready.clip.number,
            "kills": len(wish.kills),
            "caption": wish.caption,
            "seconds": round(ready.length / MICRO, 2),
            "trial": ready.trial,
        }
        return Fired(f"{ready.id}:{BEGUN}", f"{plan.name}.{BEGUN}", now, data, effects, wish.cause or None)

    def next_change(self, now: datetime) -> datetime | None:
        """When something begins, is over, or is due."""
        it, at = self.advance(now), micros(now)
        due = [it.occasions.closes_at(), it.line.next_change(), it.game.next_change()]
        due += [one.at + CLIP_WAIT for one in it.wishes]
        if it.showing is not None:
            due += [it.showing.at, it.showing.until]
        later = [one for one in due if one is not None and one > at]
        return instant(min(later)) if later else None
