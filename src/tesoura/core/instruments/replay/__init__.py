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
    about="A streak brings its own replay: the right seconds, close and slow, held until it hides nothing.",
    example="again",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind(
            "ask",
            "Show the last seconds",
            "The seconds that were just seen, at once.",
            {"seconds": Field("Seconds", _given, placeholder="12"), "caption": Field("Words", _given)},
        ),
        CommandKind("again", "Show the last one again", "The replay that was seen last."),
        CommandKind("show_now", "Show the waiting one now", "The greatest that waits, whatever it hides."),
        CommandKind("put_away", "Put it away", "The replay that is seen."),
        CommandKind("drop_waiting", "Let none wait", "What waits is not shown; its clips stay on the shelf."),
        CommandKind("try_it", "Try it", "Viewers see a made-up clip where replays are seen; it says so."),
        CommandKind("show", "Show a clip", "One from the shelf, given by its page.", also=CLIP),
    ),
    buttons=(
        ("Show the last 12 s", "ask", "seconds 12"),
        ("Show it again", "again", ""),
        ("Show the waiting one now", "show_now", ""),
        ("Put it away", "put_away", ""),
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
