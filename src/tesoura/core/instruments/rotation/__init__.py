"""A rotation of sponsors: whose mark viewers see when, in appearances with time hidden between, out of others' way."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from tesoura.core.computed.almanac import Almanac
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.base import Choices, InstrumentKind
from tesoura.core.instruments.commands import CommandKind
from tesoura.core.instruments.rotation.commands import SIGNALS, SponsorRotation
from tesoura.core.instruments.rotation.evening import preview
from tesoura.core.instruments.rotation.piece import PIECE
from tesoura.core.instruments.rotation.plan import FIELDS, make
from tesoura.core.instruments.rotation.state import KNOWS, MOMENTS, RotationBase, begun, kept
from tesoura.core.overlays.moments import TROUBLE
from tesoura.core.sponsors.rotation import SHOWN


def _begin(name: str, choices: Choices, almanac: Almanac, now: datetime) -> SponsorRotation:
    plan = make(name, choices, almanac)
    return SponsorRotation(plan, begun(plan, now))


def _restore(name: str, choices: Choices, almanac: Almanac, saved: Mapping[str, Any]) -> RotationBase:
    return kept(make(name, choices, almanac), saved, SponsorRotation)


def _depends_on(choices: Choices, almanac: Almanac) -> str:
    members = make("x", choices, almanac).members
    return f"{almanac.session_began}/{almanac.scene_signal}/{members}"


KIND = InstrumentKind(
    name="rotation",
    title="Sponsor rotation",
    about="Shows sponsors in cycles, each for its seconds, and stays out of the way of important pieces.",
    example="sponsors",
    fields=FIELDS,
    begin=_begin,
    restore=_restore,
    outputs=lambda choices: SIGNALS,
    commands=(
        CommandKind("skip", "Next", "Skips to the next item."),
        CommandKind("hold", "Hold", "Keeps the current item on screen."),
        CommandKind("go_on", "Resume", "After a hold."),
        CommandKind(
            "this_now",
            "Show now",
            "An item by its name or sponsor, for its seconds.",
            {"item": Field("Which", text(120, empty=True), placeholder="Cordel Tea")},
        ),
        CommandKind("show", "Show now", "Without waiting for the gap to end."),
        CommandKind("hide", "Hide now", "It appears again after the gap."),
    ),
    buttons=(
        ("Next sponsor", "skip", ""),
        ("Hold", "hold", ""),
        ("Resume", "go_on", ""),
        ("Show sponsors", "show", ""),
        ("Hide sponsors", "hide", ""),
    ),
    types=lambda name, choices: [f"{name}.{KNOWS}", f"{name}.{SHOWN}", TROUBLE],
    reads=lambda choices, almanac: make("x", choices, almanac).reads,
    since=lambda choices, almanac: almanac.session_began,
    moments=lambda name, choices: {f"{name}.{one}": f"{choices['title']} {words}" for one, words in MOMENTS.items()},
    depends_on=_depends_on,
    preview=preview,
    pieces=(PIECE,),
    panel_follows=("state", "sponsor", "item", "sponsor_2", "note"),
    passing=True,
    watches=True,
    decides=True,
)
