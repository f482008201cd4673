"""One replay on its way: wished for, with its clip, waiting, shown."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from tesoura.core.computed.occurrence import Occurrence, field_of, name_of
from tesoura.core.instruments.replay.plan import CloserRule, ReplayPlan
from tesoura.core.replays.cutting import Part, cut, in_clip
from tesoura.core.replays.occasions import MICRO
from tesoura.core.replays.pacing import ReplayPace, paced
from tesoura.core.values import Scalar

_SAID = re.compile(r"\{(\w+)\}")
LAST_FIELDS = 12
"""So many plain fields of its last kill are kept with a replay."""


@dataclass(frozen=True, slots=True)
class Kill:
    """One event that counts: its place in the log, when it was, µs since 1970, and what it told in plain fields."""

    seq: int
    at: int
    data: Mapping[str, Scalar]


def kill_of(event: Occurrence) -> Kill:
    """A kill, by its event."""
    plain = {name: value for name, value in event.data.items() if isinstance(value, str | int | float | bool)}
    return Kill(event.seq, event.at, dict(list(plain.items())[:LAST_FIELDS]))


@dataclass(frozen=True, slots=True)
class Wish:
    """A replay that is wished for: of which kills, which seconds, how it will be seen. Instants in µs since 1970.

    `closer`, `x` and `y` are how close it is seen and toward where. `by_hand` says that somebody asked for it: it is
    shown when he says so.
    """

    id: str
    kills: tuple[int, ...]
    seqs: tuple[int, ...]
    parts: tuple[Part, ...]
    at: int
    caption: str
    closer: float = 1.0
    x: float = 0.5
    y: float = 0.5
    left_out: int = 0
    by_hand: bool = False
    cause: int = 0

    @property
    def rank(self) -> tuple[int, int]:
        """How great it is: more kills first, then the quicker ones."""
        return (len(self.kills), self.kills[0] - self.kills[-1]) if self.kills else (0, 0)

    @property
    def begins(self) -> int:
        """From which instant on a picture of it is needed."""
        return self.parts[0][0]

    @property
    def ends(self) -> int:
        """Until which instant."""
        return self.parts[-1][1]

    def told(self) -> dict[str, Any]:
        """It, as an event tells of it."""
        return {
            "of": self.id,
            "kills": len(self.kills),
            "seconds": seconds_of(self.kills),
            "caption": self.caption,
            "at": list(self.kills),
            "seqs": list(self.seqs),
            "parts": [list(one) for one in self.parts],
            "closer": self.closer,
            "x": self.x,
            "y": self.y,
            "left_out": self.left_out,
            "by_hand": self.by_hand,
        }


def wish_of(told: Mapping[str, Any], at: int, cause: int) -> Wish:
    """The wish that an event tells of."""
    return Wish(
        str(told["of"]),
        tuple(told["at"]),
        tuple(told["seqs"]),
        tuple((begin, end) for begin, end in told["parts"]),
        at,
        str(told["caption"]),
        float(told["closer"]),
        float(told["x"]),
        float(told["y"]),
        int(told["left_out"]),
        bool(told["by_hand"]),
        cause,
    )


def seconds_of(kills: Sequence[int]) -> int:
    """From the first to the last kill, in whole seconds; one at least where there are several."""
    if len(kills) < 2:
        return 0
    return max(round((max(kills) - min(kills)) / MICRO), 1)


def wished(plan: ReplayPlan, kills: Sequence[Kill], now: int) -> Wish:
    """The replay that these kills deserve."""
    times = [one.at for one in kills]
    made, last = cut(times, plan.cutting), kills[-1]
    closer, x, y = close_to(plan.closer, last.data)
    id = f"{kills[0].seq}-{last.seq}"
    words = caption_of(plan.caption, times, last.data)
    seqs = tuple(one.seq for one in kills)
    return Wish(id, tuple(times), seqs, made.parts, now, words, closer, x, y, made.left_out, cause=last.seq)


def close_to(rule: CloserRule, data: Mapping[str, object]) -> tuple[float, float, float]:
    """How many times closer a kill is seen, and toward which point, as shares of the picture."""
    if rule.times <= 1 or (rule.only is not None and not rule.only.met(data)):
        return 1.0, rule.x, rule.y
    return rule.times, _share(data, rule.across, rule.x), _share(data, rule.down, rule.y)


def _share(data: Mapping[str, object], path: str, otherwise: float) -> float:
    told = field_of(data, path) if path else None
    try:
        share = float(str(told))
    except ValueError:
        return otherwise
    return share if 0 <= share <= 1 else otherwise


def caption_of(said: str, kills: Sequence[int], data: Mapping[str, object]) -> str:
    """The words of a replay."""
    told = {
        "kills": str(len(kills)),
        "seconds": str(seconds_of(kills)),
        "who": name_of(data.get("actor")),
        "target": name_of(data.get("target")),
        "means": name_of(data.get("means")),
    }
    return " ".join(_SAID.sub(lambda found: told.get(found[1], ""), said).split())[:200]


@dataclass(frozen=True, slots=True)
class Clip:
    """A file with the seconds of a replay: its number on the shelf, its name, how long it is, and the game's instant
    that its first picture shows. µs."""

    number: int
    file: str
    length: int
    shows_from: int
    width_px: int = 0
    height_px: int = 0


@dataclass(frozen=True, slots=True)
class ReadyReplay:
    """A replay with its clip: which parts of the file are shown and how fast. `pressed` since somebody said so."""

    wish: Wish
    clip: Clip
    pace: ReplayPace
    since: int
    pressed: bool = False
    trial: bool = False

    @property
    def id(self) -> str:
        """Which it is."""
        return self.wish.id

    @property
    def length(self) -> int:
        """How long it takes to show, µs."""
        return self.pace.length


def made_ready(plan: ReplayPlan, wish: Wish, clip: Clip, since: int) -> ReadyReplay | None:
    """A wish with its clip; None where none of the wished seconds are in it, or none of its kills."""
    ends = clip.shows_from + clip.length
    parts = [one for part in wish.parts if (one := in_clip(part, ends, clip.length)) is not None]
    kills = [at - clip.shows_from for at in wish.kills]
    if kills and not any(0 <= one < clip.length for one in kills):
        return None
    pace = paced(parts, kills, plan.speed_pct, plan.slow_pct, plan.around)
    return ReadyReplay(wish, clip, pace, since) if pace.length else None
