"""How the game stands, as far as it tells: whether a replay would hide anything of it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from tesoura.core.computed.occurrence import Occurrence, amount_of, name_of
from tesoura.core.instruments.replay.plan import FreeRule
from tesoura.core.instruments.statistics.rule import KillRule
from tesoura.core.replays.occasions import MICRO

DOWN_FOR = 8 * MICRO
"""A game that does not tell when the player is back is taken to have him back by then."""
HEARD = (
    "death",
    "kill",
    "vitals",
    "round.start",
    "round.end",
    "match.start",
    "match.end",
    "match.pause",
    "match.resume",
)


@dataclass(frozen=True, slots=True)
class GameState:
    """What it told last. `down_at` is since when the player is down, µs; `in_match` is None while nobody knows."""

    down_at: int | None = None
    between_rounds: bool = False
    paused: bool = False
    in_match: bool | None = None

    def after(self, event: Occurrence, rule: KillRule | None) -> GameState:
        """It after an event of the game."""
        kind, mine = event.type, rule is None or not rule.players
        if kind == "death":
            target = name_of(event.data.get("target"))
            hit = mine or not target or (rule is not None and rule.is_me(target))
            return replace(self, down_at=event.at) if hit else self
        if kind == "kill":
            actor, target = (name_of(event.data.get(one)) for one in ("actor", "target"))
            if rule is not None and rule.players and rule.is_me(target):
                return replace(self, down_at=event.at)
            back = mine or (rule is not None and rule.is_me(actor))
            after = GameState(None if back else self.down_at, False, self.paused, self.in_match or None)
            return self if after == self else after
        if kind == "vitals":
            health = amount_of(event.data.get("health"))
            if health is None:
                return self
            return replace(self, down_at=None if health > 0 else self.down_at if self.down_at is not None else event.at)
        changes: dict[str, dict[str, object]] = {
            "round.start": {"between_rounds": False, "down_at": None},
            "round.end": {"between_rounds": True},
            "match.start": {"in_match": True, "between_rounds": False, "paused": False, "down_at": None},
            "match.end": {"in_match": False, "between_rounds": False, "paused": False},
            "match.pause": {"paused": True},
            "match.resume": {"paused": False},
        }
        return replace(self, **changes.get(kind, {}))  # type: ignore[arg-type]

    def free(self, rule: FreeRule, at: int) -> str:
        """Why a replay would hide nothing of it now, in words; empty when it would."""
        if rule.down and self.is_down(at):
            return "the player is down"
        if rule.between_rounds and self.between_rounds:
            return "the round has ended"
        if rule.paused and self.paused:
            return "the match is paused"
        if rule.paused and self.in_match is False:
            return "no match in progress"
        return ""

    def is_down(self, at: int) -> bool:
        """Whether the player is down."""
        return self.down_at is not None and at < self.down_at + DOWN_FOR

    def next_change(self) -> int | None:
        """When the player is taken to be back."""
        return self.down_at + DOWN_FOR if self.down_at is not None else None
