"""Replays: what deserves one, its clip asked for, held until it hides nothing, shown once."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.records import RecordKind
from tesoura.core.instruments.replay.commands import CLIP, SIGNALS, Replays
from tesoura.core.instruments.replay.game import HEARD
from tesoura.core.instruments.replay.piece import PIECE
from tesoura.core.instruments.replay.plan import FIELDS, make
from tesoura.core.instruments.replay.saving import kept
from tesoura.core.instruments.replay.state import MOMENTS
from tesoura.core.overlays.moments import TROUBLE
from tesoura.core.replays.occasions import CLIP_CAME, Occasions
from tesoura.core.replays.showing import SHOWN_RECORD, ReplayLine


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Replays:
    plan = make(name, choices, almanac)
    return Replays(plan, Occasions(plan.occasions), line=ReplayLine(plan.showing))


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Replays:
    plan = make(name, choices, almanac)
    return Replays(plan, **kept(plan, saved))


def _types(name: str, choices: Choices) -> list[str]:
    own = [f"{name}.{one}" for one in MOMENTS]
    by = choices["counted_by"]
    when = choices["when"].strip()
    return list(
        dict.fromkeys(
            [*own, CLIP_CAME, TROUBLE, *HEARD, *((when,) if when else ()), *((f"tesoura.command.{by}",) if by else ())]
        )
    )


def _depends_on(choices: Choices, almanac: Almanac) -> str:
    by = almanac.shared.get(choices["counted_by"])
    rule = sorted((name, str(value)) for name, value in by.items()) if by else ""
    return f"{almanac.session_began}/{almanac.scene_signal}/{rule}"


_given = text(300, empty=True)

KIND = InstrumentKind(
    name="replay",
    title="Replays",
    about="Automatic replays of streaks: the right seconds, zoomed and slowed, shown when they cover nothing.",
    example="again",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind(
            "ask",
            "Show the last seconds",
            "The last seconds, at once.",
            {"seconds": Field("Seconds", _given, placeholder="12"), "caption": Field("Words", _given)},
        ),
        CommandKind("again", "Show last replay again", "The last replay shown."),
        CommandKind("show_now", "Show queued replay now", "The best queued replay, whatever it covers."),
        CommandKind("put_away", "Hide", "The replay on screen."),
        CommandKind("drop_waiting", "Clear queue", "Queued replays are not shown; their clips stay."),
        CommandKind("try_it", "Test", "Plays a made-up clip, marked as a test."),
        CommandKind("show", "Show a clip", "A saved clip, sent by its page.", also=CLIP),
    ),
    buttons=(
        ("Replay last 12 s", "ask", "seconds 12"),
        ("Show again", "again", ""),
        ("Show queued replay now", "show_now", ""),
        ("Hide", "put_away", ""),
    ),
    types=_types,
    reads=lambda choices, almanac: make("x", choices, almanac).reads,
    moments=lambda name, choices: {f"{name}.{one}": f"{choices['title']} {words}" for one, words in MOMENTS.items()},
    depends_on=_depends_on,
    pieces=(PIECE,),
    passing=True,
    panel_follows=("state", "waiting", "shown", "caption", "note"),
    records=(RecordKind(SHOWN_RECORD, "replays", {"clip": "Clip", "caption": "Words", "kills": "Kills"}),),
    watches=True,
    decides=True,
)
