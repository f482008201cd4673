"""Cues: what happens by itself: when, if, and no more often than agreed. Each is one of the instruments."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.cues.cue import NEW, OUTPUTS, RECORD, Cue, restored
from tesoura.core.cues.setup import FIELDS, check, plan
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.commands import CommandKind


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Cue:
    return replace(Cue(plan(name, choices, almanac)), before=NEW)


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Cue:
    return restored(plan(name, choices, almanac), saved)


def _types(name: str, choices: Choices) -> Sequence[str]:
    """What its trigger listens to, and its own decisions."""
    return (*plan(name, choices, Almanac()).trigger.types, RECORD + name)


def _reads(choices: Choices, almanac: Almanac) -> Sequence[str]:
    made = plan("it", choices, almanac)
    return tuple(dict.fromkeys((*made.trigger.reads, *made.conditions.reads, *made.program.reads)))


def _depends_on(choices: Choices, almanac: Almanac) -> str:
    return f"{almanac.zone} {almanac.scene_signal} {'session' if almanac.session_began else ''}"


_BY = {"by": Field("By", text(60, empty=True)), "person": Field("Person", text(60, empty=True))}

KIND = InstrumentKind(
    name="cue",
    title="A cue",
    about="An automatic action: when this happens, and if, do that, with a cooldown.",
    example="gift_cheer",
    fields=FIELDS,
    shifts=True,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: OUTPUTS,
    commands=(
        CommandKind("press", "Run now", "Its cooldown still applies.", _BY),
        CommandKind("on", "On", "Turn it on."),
        CommandKind("off", "Off", "It doesn't run until turned on again."),
        CommandKind("clear", "Clear queue", "Remove all queued runs."),
    ),
    types=_types,
    reads=_reads,
    depends_on=_depends_on,
    check=check,
    decides=True,
    remembers=True,
    room="cues",
)
