"""What every page reaches the rest of Tesoura through."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from flask import current_app, g, request

from tesoura.core.hosts import is_this_machine
from tesoura.runtime.facade import Runtime
from tesoura.settings import Settings
from tesoura.store.store import Store
from tesoura.studio.workshop import Studio

EXTENSION = "tesoura"


@dataclass(frozen=True, slots=True)
class Doors:
    """The runtime, the store, the settings and the studio of this application."""

    runtime: Runtime
    store: Store
    settings: Settings
    studio: Studio


def _doors() -> Doors:
    doors: Doors = current_app.extensions[EXTENSION]
    return doors


def runtime() -> Runtime:
    """The runtime; ask it with `runtime().call(Runtime.method, …)`."""
    return _doors().runtime


def store() -> Store:
    """The store."""
    return _doors().store


def studio() -> Studio:
    """What measures overlays."""
    return _doors().studio


def now() -> datetime:
    """The present instant. Ask before handing a job to the writer, which runs it outside the request."""
    return _doors().settings.clock()


def actor() -> str:
    """Who does what this request asks for: `desk`, `desk:ADDRESS` from another machine, or `key:NAME`."""
    if "actor" in g:
        return str(g.actor)
    return "desk" if is_from_here() else f"desk:{request.remote_addr}"


def is_from_here() -> bool:
    """Whether this request is of a program on this machine, and came by its own port."""
    return is_this_machine(request.remote_addr or "localhost") and not is_away()


def is_away() -> bool:
    """Whether this request came by the door for others, from wherever it is."""
    return runtime().listening.is_away(own_port())


def own_port() -> int | None:
    """The port of Tesoura's that this request came to."""
    port = str(request.environ.get("SERVER_PORT", ""))
    return int(port) if port.isdecimal() else None


def settings() -> Settings:
    """The settings of this start."""
    return _doors().settings
