"""Who may do what: the roles in which somebody can ask for something."""

from __future__ import annotations

from enum import StrEnum


class Role(StrEnum):
    """In which role somebody asks."""

    HERE = "the owner, on this machine"
    AWAY = "the owner, signed in from the network"
    KEY = "a program with a key"
    DEVICE = "a paired phone or pad"


OPERATE = frozenset(Role)
"""What is done during a stream."""
SET_UP = frozenset({Role.HERE, Role.AWAY})
"""What changes how Tesoura is set up."""
MACHINE = frozenset({Role.HERE})
"""What reaches this machine itself: its folders and its programs."""


def role_of(actor: str) -> Role:
    """The role of an actor as the log names him; the least of them for whoever is none of the owner's."""
    if actor == "desk":
        return Role.HERE
    if actor.startswith("desk:"):
        return Role.AWAY
    return Role.DEVICE if actor.startswith("device:") else Role.KEY
