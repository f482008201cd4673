"""How a page changes anything: its form posts to an action, and the browser goes on to the next page."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from flask import Blueprint, flash, jsonify, redirect, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.action import Done
from tesoura.actions.registry import action_named
from tesoura.core.cues.setup import CUE
from tesoura.core.forms.form import Fields
from tesoura.errors import ChangedMeanwhile, Gone, Invalid, InvalidPiece, SourceError
from tesoura.web.shared.acting import act, back_to, opened_with
from tesoura.web.shared.doors import runtime
from tesoura.web.shared.things import NOW, SETUP
from tesoura.web.shared.typed import typed_form

blueprint = Blueprint("actions", __name__, url_prefix="/do")
CHOICES, OPENED_WITH = "choices", "opened_with"
COMMAND = "instrument.command"
_OURS = re.compile(r"/(?![/\\])[!-~]*")
"""An address on this server, without characters that browsers drop."""
TO_RESULT = "result"
"""The value of `_then` that leads to the page of what the action made or changed."""


@blueprint.app_template_global("do")
def address_of(action: str, /, **given: Any) -> str:
    """Return the address that performs an action with these parameters; `_then` is where the browser goes next."""
    return url_for("actions.do", action=action, **given)


@blueprint.post("/<action>")
def do(action: str) -> ResponseReturnValue:
    """Perform an action with the form's fields as its parameters.

    A script is told in JSON where to go, or what is wrong with which field; anybody else is sent on, with a message.
    """
    came_from = back_to(url_for("desk.show"))
    by_script = request.accept_mimetypes.best == "application/json"
    try:
        known = action_named(action)
        done = act(known.name, **_parameters(known.fields))
    except InvalidPiece as error:
        if by_script:
            marks = {OPENED_WITH: error.marks} if isinstance(error, ChangedMeanwhile) else {}
            return jsonify(wrong=dict(error.wrong), **marks), 422
        raise
    except (Invalid, Gone, SourceError) as error:
        # A lone button's page shows why nothing was done; elsewhere a page of its own does.
        if by_script or not request.referrer:
            raise
        flash(str(error), "wrong")
        return redirect(came_from)
    except TimeoutError:
        flash("This takes a while and continues in the background. Its progress is shown here.", "said")
        return jsonify(to=came_from) if by_script else redirect(came_from)
    if "HX-Request" in request.headers:
        # The parts of the page that show it are told by its topics.
        return "", 204
    words = _sentence(done.words) if known.name == COMMAND else done.words
    flash(words, _follow_up(known.name, done, came_from))
    to = _next_page(done, came_from)
    return jsonify(to=to) if by_script else redirect(to)


def _parameters(fields: Fields) -> dict[str, Any]:
    """The form as an action's parameters; what is none of them goes into its `choices`, where it has such."""
    typed = typed_form()
    more = {name: typed.pop(name) for name in list(typed) if name not in fields} if CHOICES in fields else {}
    given = {**typed, CHOICES: more} if more else typed
    return {**given, OPENED_WITH: opened_with()} if OPENED_WITH in fields else given


def _sentence(words: str) -> str:
    """Return what a command did, which is told in the midst of a line, as a sentence."""
    return words[:1].upper() + words[1:] + ("" if words.endswith((".", "!", "?", "…")) else ".")


def _follow_up(action: str, done: Done, came_from: str) -> str:
    """The kind of message, with the address of the button that it offers: undo, copy the link, use the signal."""
    if action in _OFFERS:
        return _OFFERS[action](done.result)
    if done.undo_number:
        return "undo:" + address_of("desk.undo", number=done.undo_number, _then=came_from)
    return "said"


_OFFERS: Mapping[str, Callable[[Mapping[str, Any]], str]] = {
    "overlay.new_link": lambda result: "copy:" + url_for("pages.overlay", token=str(result["token"])),
    "computed.new": lambda result: "next:" + url_for("overlays.new", signal=str(result["signal"])),
    "feed.pick": lambda result: "next:" + url_for("overlays.new", signal=str(result["signal"])),
}


def _next_page(done: Done, came_from: str) -> str:
    then = request.values.get("_then", "")
    if then == TO_RESULT:
        return next((page(done.result[what]) for what, page in PAGES.items() if what in done.result), came_from)
    return then if _OURS.fullmatch(then) else came_from


def instrument_page(name: str) -> str:
    """Return the address of an instrument's page; a cue's page is in a room of its own."""
    state = runtime().call(lambda self: self.instruments.standing(name))
    is_cue = state is not None and state.setup.kind == CUE
    items = state.setup.kind_of.items if state is not None else None
    # One that is nothing without its rows is set up first.
    part = SETUP if state is not None and items and items.times and not state.items else NOW
    return url_for("cues.show" if is_cue else "instruments.show", name=name, part=part)


PAGES: Mapping[str, Callable[[Any], str]] = {
    "feed": lambda name: url_for("feeds.show", name=name),
    "instrument": instrument_page,
    "overlay": lambda number: url_for("mat.show", overlay_id=number),
    "computed": lambda number: url_for("computed.edit", row_id=number),
    "game": lambda number: url_for("saves.show", game_id=number),
    "look": lambda name: url_for("looks.edit", look_id=name),
}
"""The page of each kind of thing that an action's result can name."""
