"""A sponsor's campaign: what was promised, what is shown of it, and its read with card, talking points and link."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.campaign.piece import PIECE
from tesoura.core.instruments.campaign.plan import FIELDS, ITEMS, check, make
from tesoura.core.instruments.campaign.state import EFFECT_ENDED, MOMENTS, READ_RECORD, SIGNALS, Campaign, kept
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.records import RecordKind


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> Campaign:
    return Campaign(make(name, choices, almanac.zone, almanac.session_began))


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> Campaign:
    return Campaign(make(name, choices, almanac.zone, almanac.session_began), **kept(saved))


KIND = InstrumentKind(
    name="campaign",
    title="A sponsor's campaign",
    about="Targets, pictures and the read for one sponsor: talking points, card, link in chat.",
    example="cordel_tea",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind("begin_read", "Start read", "Shows the card and starts timing."),
        CommandKind(
            "tick",
            "Tick a talking point",
            "The next one, or by number; again to untick.",
            {"point": Field("Point", text(4, empty=True), placeholder="the next")},
        ),
        CommandKind("end_read", "End read", "Hides the card; length and points are logged."),
        CommandKind("break_off", "Cancel read", "Logged, but not counted as a read."),
        CommandKind("show_card", "Show card", "Without a read."),
        CommandKind("hide_card", "Hide card", "The read continues."),
        CommandKind("link", "Send link to chat", "Sends the chat line, unless it was just sent."),
    ),
    buttons=(
        ("Start read", "begin_read", ""),
        ("Next point", "tick", ""),
        ("End read", "end_read", ""),
        ("Send link to chat", "link", ""),
    ),
    types=lambda name, choices: [*(f"{name}.{one}" for one in MOMENTS), EFFECT_ENDED],
    moments=lambda name, choices: {f"{name}.{one}": f"{choices['title']} {words}" for one, words in MOMENTS.items()},
    depends_on=lambda choices, almanac: f"{almanac.session_began}/{almanac.zone}",
    since=lambda choices, almanac: None,
    pieces=(PIECE,),
    check=check,
    lays=lambda piece, choices: {"name": f"Card of {choices['title']}"},
    items=ITEMS,
    records=(
        RecordKind(
            READ_RECORD, "reads", {"seconds": "Seconds", "said": "Points ticked", "points": "of", "ended": "Ended"}
        ),
    ),
    passing=True,
    panel_follows=("state", "reading", "said", "card", "may_link"),
    watches=True,
    shares=True,
    together="Reads",
    in_use=lambda told: told["reading"] is True or told["card"] is True,
)
