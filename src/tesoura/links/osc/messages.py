"""OSC messages, without a socket. Source: the Open Sound Control 1.0 specification; read and built by python-osc."""

from __future__ import annotations

import math

from pythonosc.osc_bundle import ParseError as BundleError
from pythonosc.osc_message_builder import OscMessageBuilder
from pythonosc.osc_packet import OscPacket, ParseError

from tesoura.core.desk.controls import ControlMoved

MOST_MESSAGES = 64
"""Of so many messages in one packet the rest is passed over."""


def controls_in(packet: bytes) -> list[ControlMoved] | None:
    """The controls that a packet moves; None for what is no OSC."""
    try:
        messages = OscPacket(packet).messages
    except (ParseError, BundleError, ValueError, IndexError, OverflowError, RecursionError):
        return None
    found = []
    for one in messages[:MOST_MESSAGES]:
        address = str(one.message.address)
        if address.startswith("/") and len(address) <= 120 and address.isprintable():
            found.append(_moved(address, list(one.message.params)))
    return found


def _moved(address: str, given: list[object]) -> ControlMoved:
    if not given:
        return ControlMoved(address, 1.0, hit=True)
    first = given[0]
    if isinstance(first, bool):
        return ControlMoved(address, float(first))
    if isinstance(first, int | float) and math.isfinite(first):
        return ControlMoved(address, min(max(float(first), 0.0), 1.0))
    return ControlMoved(address, 1.0, hit=True)


def packet(address: str, value: float) -> bytes:
    """A message that tells where a control stands, as it is sent."""
    built = OscMessageBuilder(address)
    built.add_arg(value, OscMessageBuilder.ARG_TYPE_FLOAT)
    return bytes(built.build().dgram)
