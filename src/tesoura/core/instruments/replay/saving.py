"""How replays stand, as it is stored, and back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from tesoura.core.instruments.replay.game import GameState
from tesoura.core.instruments.replay.plan import ReplayPlan
from tesoura.core.instruments.replay.state import PassedReplay, ReplayBase, ShownReplay
from tesoura.core.instruments.replay.wishes import Clip, Kill, ReadyReplay, Wish, wish_of
from tesoura.core.replays.occasions import Occasions
from tesoura.core.replays.pacing import ClipStretch, ReplayPace
from tesoura.core.replays.showing import ReplayLine, WaitingReplay


def plain(it: ReplayBase) -> dict[str, Any]:
    """All that a later reading needs."""
    shown, game = it.showing, it.game
    return {
        "kills": [[one.seq, one.at, dict(one.data)] for one in it.kills.values()],
        "recent": list(it.recent),
        "asked": [_wish(one) for one in it.asked],
        "wishes": [_wish(one) for one in it.wishes],
        "ready": [_ready(one) for one in it.ready],
        "candidates": [_ready(one) for one in it.candidates],
        "gone": [[_wish(one), why] for one, why in it.gone],
        "chosen": it.chosen,
        "waiting": [[one.id, list(one.rank), one.since, one.length] for one in it.line.waiting],
        "ends_at": it.line.ends_at,
        "showing": [_ready(shown.replay), shown.at, shown.until] if shown else None,
        "game": [game.down_at, game.between_rounds, game.paused, game.in_match],
        "shown": it.shown,
        "passed": [[one.caption, one.why, one.at] for one in it.passed],
    }


def kept(plan: ReplayPlan, saved: Mapping[str, Any]) -> dict[str, Any]:
    """What was stored, by the names of its fields."""
    kills = {seq: Kill(seq, at, data) for seq, at, data in saved["kills"]}
    waiting = tuple(WaitingReplay(id, tuple(rank), since, length) for id, rank, since, length in saved["waiting"])
    shown = saved["showing"]
    return {
        "occasions": Occasions.of(plan.occasions, [(one.at, one.seq) for one in kills.values()]),
        "kills": kills,
        "recent": tuple(saved["recent"]),
        "asked": tuple(map(_wished, saved["asked"])),
        "wishes": tuple(map(_wished, saved["wishes"])),
        "ready": tuple(map(_readied, saved["ready"])),
        "candidates": tuple(map(_readied, saved["candidates"])),
        "gone": tuple((_wished(one), why) for one, why in saved["gone"]),
        "chosen": saved["chosen"],
        "line": replace(ReplayLine(plan.showing), waiting=waiting, ends_at=saved["ends_at"]),
        "showing": ShownReplay(_readied(shown[0]), shown[1], shown[2]) if shown else None,
        "game": GameState(*saved["game"]),
        "shown": saved["shown"],
        "passed": tuple(PassedReplay(*one) for one in saved["passed"]),
    }


def _wish(one: Wish) -> dict[str, Any]:
    return {**one.told(), "since": one.at, "cause": one.cause}


def _wished(told: Mapping[str, Any]) -> Wish:
    return wish_of(told, told["since"], told["cause"])


def _ready(one: ReadyReplay) -> dict[str, Any]:
    clip = one.clip
    return {
        "wish": _wish(one.wish),
        "since": one.since,
        "pressed": one.pressed,
        "trial": one.trial,
        "clip": [clip.number, clip.file, clip.length, clip.shows_from, clip.width_px, clip.height_px],
        "pace": [[each.shown_from, each.begin, each.end, each.speed_pct] for each in one.pace.stretches],
    }


def _readied(told: Mapping[str, Any]) -> ReadyReplay:
    pace = ReplayPace(tuple(ClipStretch(*one) for one in told["pace"]))
    return ReadyReplay(_wished(told["wish"]), Clip(*told["clip"]), pace, told["since"], told["pressed"], told["trial"])
