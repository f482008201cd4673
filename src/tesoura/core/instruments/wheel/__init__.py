"""A wheel of fields: drawn by a secret whose hash was shown before, turned for viewers, spins owed and spent."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.chat import LINE
from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.records import RecordKind
from tesoura.core.instruments.wheel.commands import Wheel
from tesoura.core.instruments.wheel.fields import ITEMS
from tesoura.core.instruments.wheel.piece import PIECE
from tesoura.core.instruments.wheel.plan import FIELDS, make
from tesoura.core.instruments.wheel.signals import SIGNALS
from tesoura.core.instruments.wheel.state import MOMENTS, kept
from tesoura.core.wheel.draw import SPIN_RECORD


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Wheel:
    return Wheel(make(name, choices, almanac.session_began))


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Wheel:
    return Wheel(make(name, choices, almanac.session_began), **kept(saved))


def _types(name: str, choices: Choices) -> list[str]:
    plan = make(name, choices)
    own = [f"{name}.{one}" for one in MOMENTS]
    return list(dict.fromkeys([*own, *(one.type for one in plan.rules), *((LINE,) if plan.word else ())]))


def _depends_on(choices: Choices, almanac: Almanac) -> str:
    return almanac.session_began.isoformat() if almanac.session_began else ""


_given = text(300, empty=True)
_WHO = {"who": Field("Who", _given, placeholder="teacup_ana")}

KIND = InstrumentKind(
    name="wheel",
    title="A wheel",
    about="Viewers earn spins and the wheel decides: true chances, verifiable draws, spins owed and spent.",
    example="tea_wheel",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind(
            "spin",
            "Spin",
            "For a viewer with spins owed, for the next one (next), or a free spin.",
            {**_WHO, "free": Field("Even without spins owed", _given)},
            seals=True,
        ),
        CommandKind("try_it", "Test", "Spins on screen as a test; not counted.", seals=True),
        CommandKind("put_away", "Hide result", "Before its time is up."),
        CommandKind(
            "owe",
            "Add spins owed",
            "For a viewer; a minus sign removes them.",
            {**_WHO, "spins": Field("Spins", _given, placeholder="1")},
        ),
        CommandKind(
            "rename",
            "A viewer changed their name",
            "Moves the spins owed to another name.",
            {**_WHO, "to": Field("New name", _given)},
        ),
        CommandKind("drop_waiting", "Clear queue", "Removes queued spins and gives spins owed back."),
        CommandKind("all_back", "Restore all fields", "Removed fields and those at their limit."),
        CommandKind("count_anew", "Reset counts", "Sets all draw counts to 0."),
        CommandKind("seal", "Seal next spin", "Draws a secret and shows its hash.", seals=True),
    ),
    first="seal",
    buttons=(
        ("Spin for next viewer", "spin", "who next"),
        ("Spin", "spin", ""),
        ("Test", "try_it", ""),
        ("Hide result", "put_away", ""),
    ),
    types=_types,
    moments=lambda name, choices: {f"{name}.{one}": f"{choices['title']} {words}" for one, words in MOMENTS.items()},
    depends_on=_depends_on,
    pieces=(PIECE,),
    passing=True,
    panel_follows=("state", "owed", "owed_first", "waiting", "field", "face", "hash", "spins"),
    items=ITEMS,
    records=(
        RecordKind(
            SPIN_RECORD, "spins", {"number": "Spin", "who": "For", "field": "Result", "chance_pct": "Chance, %"}
        ),
    ),
    watches=True,
)
