"""MIDI: pads, keys, knobs and faders that press the desk's buttons, turn its values and show how they stand."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.feeds.api import FeedKind, FetchContext, Fetched


def _place(choices: Mapping[str, Any]) -> str:
    return str(choices.get("device") or "first device")


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the device sends. What reads it is loaded when the first one is opened."""
    from tesoura.links.midi.talk import talk

    return talk(context)


KIND = FeedKind(
    name="midi",
    title="MIDI",
    about="Pads, keys, knobs and faders on a MIDI port of this machine.",
    fields={
        "device": Field(
            "Device", text(120, empty=True), placeholder="first device", help="The system's name for it, or part of it."
        )
    },
    follow=follow,
    lasting=True,
    place=_place,
    on_machine=lambda choices: True,
    called="MIDI",
    room="links",
)
