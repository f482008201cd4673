"""Commands to instruments: what is given with one, and how pages and scripts offer it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.forms.fields import Field


@dataclass(frozen=True, slots=True)
class Command:
    """A wish: its name, what was given with it, and its place in the log (0 while it is only being tried).

    `actor` is who gives it, known while it is tried: what must be known of him later goes into what is logged.

    `chance` is a number from 0 to 1, drawn outside for a command that draws, and kept in the log with it; None while it
    is only being tried. An instrument makes no chance of its own: read again, it must come to the same.
    """

    name: str
    given: Mapping[str, Any] = field(default_factory=dict)
    seq: int = 0
    chance: float | None = None
    actor: str = ""
    secret: str = ""
    """32 bytes in hexadecimal digits, drawn outside for a command that seals, and kept in the log with it."""


PLACE = "\x01"
"""Stands in what takes a command back for that command's place in the log, which is known once it is there."""


@dataclass(frozen=True, slots=True)
class CommandKind:
    """A command as pages and scripts offer it: its name, its words, and what is given with it."""

    name: str
    label: str
    about: str
    fields: Mapping[str, Field] = field(default_factory=dict)
    draws: bool = False
    """Whether chance decides something: it is drawn when the command is given, and logged with it."""
    seals: bool = False
    """Whether it seals a secret for later: that is drawn when the command is given, and logged with it."""
    also: Sequence[str] = ()
    """Parameters that no form asks for: those that Tesoura itself gives, as when it undoes a command."""
    hidden: bool = False
    """Whether only Tesoura gives it, to undo another one."""
