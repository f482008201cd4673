"""The desk's leaves of buttons: pressed, and laid."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, flash, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from tesoura.core.desk.buttons import FIELDS
from tesoura.core.desk.keys import is_for_everywhere
from tesoura.errors import Gone, InvalidPiece, TesouraError
from tesoura.links.device.protocol import ButtonPress
from tesoura.runtime.facade import Runtime
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import actor, runtime

blueprint = Blueprint("leaves", __name__, url_prefix="/desk/leaves")


def shown(leaf_id: str = "") -> dict[str, Any]:
    """All leaves, and how the buttons of one of them stand."""
    who = actor()

    async def ask(self: Runtime) -> dict[str, Any]:
        present = self.leaves.present
        leaf = next((one for one in present.leaves if one.id == leaf_id), next(iter(present.leaves), None))
        faces = await self.devices.operator.faces(leaf.id, who) if leaf else ()
        keys = {
            one.key: {"id": one.id, "words": one.shown_words}
            for _, one in present.with_keys()
            if not (self.system_keys.heard and is_for_everywhere(one.key))
        }
        sets = [(one.name, one.title) for one in self.instruments.setups("instruments")]
        return {"leaves": present.leaves, "leaf": leaf, "faces": faces, "keys": keys, "sets": sets}

    return runtime().call(ask)


def drawn(leaf_id: str = "", said: str = "", wrong: str = "", **more: Any) -> Markup:
    """The leaf, as it stands on the desk."""
    given: dict[str, Any] = {"laying": False, "typed": {}, "wrong_fields": {}, "changing": None, **more}
    page = render_template("desk/_leaves.html", **shown(leaf_id), said=said, wrong=wrong, button_fields=FIELDS, **given)
    return Markup(page)  # noqa: S704 - the template has escaped all of it


def _page(leaf_id: str, said: str = "", wrong: str = "", **more: Any) -> ResponseReturnValue:
    return drawn(leaf_id, said, wrong, **more), 422 if wrong or more.get("wrong_fields") else 200


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """The leaf that is asked for, or the first; while buttons are laid, with the one that shall be changed."""
    leaf, wished = request.args.get("leaf", ""), request.args.get("change", "")
    if not wished:
        return _page(leaf, laying="laying" in request.args)
    try:
        _, changing = runtime().call(lambda self: self.leaves.present.found(wished))
    except Gone as error:
        return _page(leaf, wrong=str(error), laying=True)
    return _page(leaf, laying=True, changing=changing, typed=changing.typed())


@blueprint.get("/heard")
def heard() -> ResponseReturnValue:
    """The control of a panel that was moved since a mark, or the present mark."""
    since = request.args.get("since", "")
    if not since.isdecimal() or len(since) > 15:
        return jsonify(mark=runtime().call(lambda self: self.controls.mark()))
    return jsonify(sign=runtime().call(lambda self: self.controls.heard_since(int(since))))


@blueprint.post("/press/<button>")
def press(button: str) -> ResponseReturnValue:
    """Press a button where no script runs; with one, presses go over the device socket."""
    who = actor()
    try:
        outcome = runtime().call(lambda self: self.devices.operator.press(ButtonPress(button), who))
        flash(outcome.words, "wrong" if outcome.refused else "said")
    except Gone as error:
        flash(str(error), "wrong")
    return redirect(url_for("desk.show"))


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


@blueprint.post("/<leaf>/buttons/<button>/change")
def change(leaf: str, button: str) -> ResponseReturnValue:
    """Let a button do something else, or look otherwise."""
    typed = {name: request.form.get(name, "") for name in FIELDS if name in request.form}
    try:
        return _page(leaf, said=act("button.change", button=button, choices=typed).words, laying=True)
    except InvalidPiece as error:
        _, changing = runtime().call(lambda self: self.leaves.present.found(button))
        return _page(leaf, laying=True, typed=typed, wrong_fields=error.wrong, changing=changing)
    except TesouraError as error:
        return _page(leaf, wrong=str(error), laying=True)


@blueprint.post("/<leaf>/set")
def lay_set(leaf: str) -> ResponseReturnValue:
    """Lay all that an instrument is operated with."""
    return _changed(leaf, "button.lay_set", leaf=leaf, instrument=request.form.get("instrument", ""))


@blueprint.post("/<leaf>/rename")
def rename(leaf: str) -> ResponseReturnValue:
    """Give a leaf another name."""
    return _changed(leaf, "leaf.rename", leaf=leaf, name=request.form.get("name", ""))


@blueprint.post("/<leaf>/buttons/<button>/move")
def move(leaf: str, button: str) -> ResponseReturnValue:
    """Lay a button at another place, or on another leaf."""
    given = {"place": request.form.get("place", "0"), "leaf": request.form.get("to", "")}
    return _changed(leaf, "button.move", change=button, button=button, **given)


@blueprint.post("/<leaf>/buttons/<button>/remove")
def take_off(leaf: str, button: str) -> ResponseReturnValue:
    """Take a button off."""
    return _changed(leaf, "button.remove", button=button)


def _changed(here: str, action: str, change: str = "", **given: str) -> ResponseReturnValue:
    """Do it, then show the leaf; with `change`, that button stays chosen while it lies there."""
    try:
        said = act(action, **given).words
    except TesouraError as error:
        return _page(here, wrong=_said(error), laying=True)
    leaves = runtime().call(lambda self: self.leaves.present)
    its = next((one for leaf in leaves.leaves if leaf.id == here for one in leaf.buttons if one.id == change), None)
    return _page(here, said=said, laying=True, changing=its, typed=its.typed() if its else {})


def _said(error: TesouraError) -> str:
    return " ".join(error.wrong.values()) if isinstance(error, InvalidPiece) else str(error)
