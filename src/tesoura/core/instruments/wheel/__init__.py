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
    about="Viewers earn a spin, the wheel decides: true chances, a draw that anybody can check, spins owed and spent.",
    example="tea_wheel",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind(
            "spin",
            "Spin it",
            "For somebody who is owed a spin, for the next who is (next), or for nobody.",
            {**_WHO, "free": Field("Without being owed one", _given)},
            seals=True,
        ),
        CommandKind("try_it", "Try it", "Viewers see it turn; it does not count, and says so.", seals=True),
        CommandKind("put_away", "Put the result away", "Before its time is over."),
        CommandKind(
            "owe",
            "Owe a spin",
            "Spins more for somebody, or fewer with a minus.",
            {**_WHO, "spins": Field("Spins", _given, placeholder="1")},
        ),
        CommandKind(
            "rename",
            "Somebody has another name",
            "All that is owed to one name is owed to another.",
            {**_WHO, "to": Field("Now called", _given)},
        ),
        CommandKind("drop_waiting", "Let nothing wait", "What waits does not turn; spins owed go back."),
        CommandKind("all_back", "All fields are there again", "Those that went away or came often enough."),
        CommandKind("count_anew", "Reset counts", "Every field starts at 0 draws."),
        CommandKind("seal", "Seal the next spin", "A secret is drawn, and its hash shown.", seals=True),
    ),
    first="seal",
    buttons=(
        ("Spin for the next", "spin", "who next"),
        ("Spin it", "spin", ""),
        ("Try it", "try_it", ""),
        ("Put the result away", "put_away", ""),
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
            SPIN_RECORD, "spins", {"number": "Spin", "who": "For", "field": "What came", "chance_pct": "Chance, %"}
        ),
    ),
    watches=True,
)
