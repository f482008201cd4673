"""Which kills count, and whose they are: the rule that stands beside the number."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from tesoura.core.computed.occurrence import name_key, name_of

NO_TAGS: frozenset[str] = frozenset()
LEFT_WARM_UP, LEFT_SELF = "the warm-up is left out", "self-kills don't count"
WARM_UP = frozenset({"warm-up", "warm up", "warmup"})
FRIENDLY = frozenset({"friendly", "friendly fire", "team"})


class Parties(NamedTuple):
    """Who did something to whom: both names as they are shown, and what ways of writing each have in common."""

    actor: str
    target: str
    actor_key: str
    target_key: str


def parties_of(data: Mapping[str, object]) -> Parties:
    """Return the two names that an event has; empty where it has none."""
    actor, target = name_of(data.get("actor")), name_of(data.get("target"))
    return Parties(actor, target, name_key(actor) if actor else "", name_key(target) if target else "")


@dataclass(frozen=True, slots=True)
class KillRule:
    """Which kills count.

    `players` are the names of the player, the present one and former ones, as keys; none means that every kill told is
    the player's. Kills with one of these `tags` or `means` are left out, and friendly fire and warm-up unless wanted.
    """

    players: frozenset[str] = frozenset()
    tags: frozenset[str] = frozenset()
    means: frozenset[str] = frozenset()
    friendly: bool = False
    warm_up: bool = False

    def is_me(self, name: str) -> bool:
        """Whether a name is the player's."""
        return name_key(name) in self.players

    def left_out(self, data: Mapping[str, object], parties: Parties | None = None) -> str | None:
        """Why a kill does not count, whoever's it is; None when it does. `parties` saves reading them again."""
        tags = tags_of(data)
        if tags and (wrong := sorted(tags & self.tags)):
            return f"kills tagged {wrong[0]} are left out"
        if self.means and (means := name_key(name_of(data.get("means")))) in self.means:
            return f"kills by {means} are left out"
        if not self.warm_up and (tags & WARM_UP or data.get("warm_up") is True):
            return LEFT_WARM_UP
        if parties is None:
            parties = parties_of(data)
        if parties.actor and parties.actor_key == parties.target_key:
            return LEFT_SELF
        if not self.friendly and (tags & FRIENDLY or data.get("friendly") is True):
            return "friendly fire is excluded"
        return None

    def words(self) -> str:
        """The rule in a sentence."""
        left = [f"tagged {tag}" for tag in sorted(self.tags)] + [f"by {means}" for means in sorted(self.means)]
        left += [] if self.friendly else ["friendly fire"]
        left += [] if self.warm_up else ["warm-up"]
        return f"All kills but these: {', '.join(left)}." if left else "All kills count."


def tags_of(data: Mapping[str, object]) -> frozenset[str]:
    """The tags of an event, as keys."""
    raw = data.get("tags")
    if not raw:
        return NO_TAGS
    return keys_of(raw if isinstance(raw, list) else [raw])


def keys_of(names: Iterable[object] | Sequence[object]) -> frozenset[str]:
    """Names as keys, without those that are empty."""
    return frozenset(name_key(name) for one in names if (name := name_of(one)))
