"""The page of devices: pairing a phone or a pad, and the list of those that are paired."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import segno
from flask import Blueprint, render_template, url_for
from flask.typing import ResponseReturnValue

from tesoura.runtime.facade import Runtime
from tesoura.store import devices
from tesoura.store.devices import Device
from tesoura.web.shared.doors import runtime, settings, store

blueprint = Blueprint("devices", __name__, url_prefix="/devices")


@dataclass(frozen=True, slots=True)
class Listed:
    """A paired device: whether it is connected now, and the names of its leaves."""

    device: Device
    here: bool
    leaves: tuple[str, ...]


def _listed() -> dict[str, Any]:
    def ask(self: Runtime) -> tuple[set[int], dict[str, str]]:
        return self.devices.connected(), {one.id: one.name for one in self.leaves.present.leaves}

    here, names = runtime().call(ask)
    found = [
        Listed(one, one.id in here, tuple(names[leaf] for leaf in one.leaves if leaf in names))
        for one in store().read(devices.listed)
    ]
    return {"devices": found, "leaf_names": names}


def _pairing() -> dict[str, Any]:
    def ask(self: Runtime) -> tuple[Any, str]:
        return self.devices.pairing(), self.devices.pairings.why_closed

    open_one, why_closed = runtime().call(ask)
    if open_one is None:
        return {"pairing": None, "why_closed": why_closed}
    pairing, left_s = open_one
    # What comes after # is sent to no server and stands in no log.
    address = f"{_reached_at()}{url_for('phone.pair')}#{pairing.secret}"
    picture = segno.make(address, error="m").svg_inline(scale=4, border=2, dark="#1E2A38", light="#FFFDF8")
    return {"pairing": pairing, "left_s": math.ceil(left_s), "at": _reached_at(), "picture": picture, "why_closed": ""}


def _reached_at() -> str:
    """Where a phone reaches Tesoura: by the door for others when it is open."""
    return next(iter(runtime().listening.urls()), settings().address)


def _listening(wrong: str = "") -> dict[str, Any]:
    listening = runtime().listening
    return {
        "door": listening.door,
        "urls": listening.urls(),
        "door_problem": listening.problem,
        "wrong_password": wrong,
        "settings": settings(),
        "system_keys": runtime().system_keys,
    }


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All devices, and the way to pair another."""
    return render_template("devices/index.html", **_listed(), **_pairing(), **_listening())


@blueprint.get("/list")
def list_fragment() -> ResponseReturnValue:
    """The paired devices."""
    return render_template("devices/_list.html", **_listed())


@blueprint.get("/pairing")
def pairing_fragment() -> ResponseReturnValue:
    """The open pairing, or the form that opens one."""
    return render_template("devices/_pairing.html", **_pairing(), **_listed(), **_listening())
