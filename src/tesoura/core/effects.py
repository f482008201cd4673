"""Effects: what goes out because of something. A frozen value; who carries it out is another matter."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

SOUND, SCENE = "sound", "scene"
SOUND_ON, SCENE_BACK, COMMAND, SET, PRESS, CALL = "sound_on", "scene_back", "command", "set", "press", "call"
MOMENT, SAY, SCRIPT, CLIP = "moment", "say", "script", "clip"
SHOW, HIDE, SWAP, AS_BEFORE = "show", "hide", "swap", "as_before"
BACK = {SCENE: SCENE_BACK, SHOW: AS_BEFORE, HIDE: AS_BEFORE, SWAP: AS_BEFORE}
"""What takes back what was done for a time."""
CLAIMS = frozenset((SHOW, HIDE, SWAP))
"""What claims a piece, perhaps for a time: the newest claim on a piece holds."""
INSIDE = frozenset((SOUND, SOUND_ON, MOMENT, SHOW, HIDE, SWAP, AS_BEFORE, SET, COMMAND, PRESS))
"""What stays within Tesoura: done at once when what led to it is in the log, and told when it is done."""
SLOW = frozenset((SAY, CALL, SCRIPT, CLIP))
"""What may have to wait for others: what comes after it is not held up."""


@dataclass(frozen=True, slots=True)
class Effect:
    """One effect: its kind, what it is done to, what is given with it.

    `not_after` is when it makes no sense any more: a bell that is late is not rung. `delay_s` is how long after the
    first of those that belong together it begins. A kind is known to the executor by its name: a `sound` is heard on
    every overlay that shows the instrument `target`, a `scene` becomes the present one, `scene_back` leaves it again.
    """

    kind: str
    target: str
    data: Mapping[str, Any] = field(default_factory=dict)
    not_after: datetime | None = None
    delay_s: float = 0.0
    unlogged: Mapping[str, Any] = field(default_factory=dict)
    """What its performer needs and no log may hold, as an address with a key in it."""

    def too_late(self, now: datetime) -> bool:
        """Whether it makes no sense any more."""
        return self.not_after is not None and now > self.not_after
