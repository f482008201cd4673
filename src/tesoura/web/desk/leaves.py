"""The desk's leaves of buttons: pressed, and laid."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from flask import Blueprint, render_template, request
from flask.typing import ResponseReturnValue

from tesoura.actions.action import Call, Doing
from tesoura.actions.registry import would
from tesoura.core.desk.buttons import FIELDS, DeskButton
from tesoura.core.desk.leaves import Leaf
from tesoura.errors import InvalidPiece, TesouraError
from tesoura.runtime.desk_leaves import ButtonState
from tesoura.runtime.facade import Runtime
from tesoura.web.cues.views import instruments_of
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import actor, now, runtime

blueprint = Blueprint("leaves", __name__, url_prefix="/desk/leaves")


async def _stands(self: Runtime, leaf: Leaf, who: str, at: datetime) -> list[ButtonState]:
    return [await _state(self, one, who, at) for one in leaf.buttons]


async def _state(self: Runtime, button: DeskButton, who: str, at: datetime) -> ButtonState:
    """How a button stands: what a press would do now, or why it would do nothing."""
    on = self.leaves.is_on(button)
    wait_s = 0.0
    if button.does == "cue":
        free_at = self.engine.values.get(f"{button.own['cue']}.free_at")
        wait_s = max(float(free_at) - at.timestamp(), 0.0) if isinstance(free_at, int | float) else 0.0
    try:
        words = await would(Doing(self, who), Call(*button.press(on)))
    except TesouraError as error:
        return ButtonState(button, on, why_not=str(error), wait_s=wait_s)
    return ButtonState(button, on, words, wait_s=wait_s)


def shown(leaf_id: str = "") -> dict[str, Any]:
    """All leaves, and how the buttons of one of them stand."""
    who, at = actor(), now()

    async def ask(self: Runtime) -> dict[str, Any]:
        leaves = self.leaves.present.leaves
        leaf = next((one for one in leaves if one.id == leaf_id), leaves[0] if leaves else None)
        buttons = await _stands(self, leaf, who, at) if leaf else []
        return {"leaves": leaves, "leaf": leaf, "buttons": buttons}

    return runtime().call(ask)


def _page(leaf_id: str, said: str = "", wrong: str = "", **more: Any) -> ResponseReturnValue:
    given: dict[str, Any] = {"laying": False, "typed": {}, "wrong_fields": {}, "changing": "", "pressed": "", **more}
    page = render_template(
        "desk/_leaves.html", **shown(leaf_id), said=said, wrong=wrong, button_fields=FIELDS,
        instruments_of=instruments_of, **given,
    )  # fmt: skip
    return page, 422 if wrong or given["wrong_fields"] else 200


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """The leaf that is asked for, or the first."""
    return _page(request.args.get("leaf", ""), laying="laying" in request.args)


@blueprint.post("/press/<button>")
def press(button: str) -> ResponseReturnValue:
    """Press a button."""
    leaf = request.form.get("leaf", "")
    try:
        return _page(leaf, said=act("button.press", button=button).words, pressed=button)
    except TesouraError as error:
        return _page(leaf, wrong=str(error), pressed=button)


@blueprint.post("/new")
def new() -> ResponseReturnValue:
    """Make a leaf."""
    try:
        done = act("leaf.new", name=request.form.get("name", ""))
    except TesouraError as error:
        return _page("", wrong=_said(error), laying=True)
    return _page(str(done.result["leaf"]), said=done.words, laying=True)


@blueprint.post("/<leaf>/remove")
def remove(leaf: str) -> ResponseReturnValue:
    """Take a leaf away."""
    return _changed("", "leaf.remove", leaf=leaf)


@blueprint.post("/<leaf>/lay")
def lay(leaf: str) -> ResponseReturnValue:
    """Lay a button on a leaf."""
    typed = {name: request.form.get(name, "") for name in FIELDS if name in request.form}
    try:
        return _page(leaf, said=act("button.lay", leaf=leaf, choices=typed).words, laying=True)
    except InvalidPiece as error:
        return _page(leaf, laying=True, typed=typed, wrong_fields=error.wrong)
    except TesouraError as error:
        return _page(leaf, wrong=str(error), laying=True, typed=typed)


@blueprint.post("/<leaf>/buttons/<button>/move")
def move(leaf: str, button: str) -> ResponseReturnValue:
    """Lay a button at another place."""
    return _changed(leaf, "button.move", button=button, place=request.form.get("place", "0"))


@blueprint.post("/<leaf>/buttons/<button>/remove")
def take_off(leaf: str, button: str) -> ResponseReturnValue:
    """Take a button off."""
    return _changed(leaf, "button.remove", button=button)


def _changed(here: str, action: str, **given: str) -> ResponseReturnValue:
    try:
        return _page(here, said=act(action, **given).words, laying=True)
    except TesouraError as error:
        return _page(here, wrong=_said(error), laying=True)


def _said(error: TesouraError) -> str:
    return " ".join(error.wrong.values()) if isinstance(error, InvalidPiece) else str(error)
