"""Signing in at a service for a feed: there, and back."""

from __future__ import annotations

import secrets as random
import time
from dataclasses import dataclass
from typing import Any

from flask import Blueprint, current_app, flash, redirect, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.action import Doing
from tesoura.actions.feed_setup import keep_permission
from tesoura.web.feeds.views import feed_row
from tesoura.web.shared.doors import actor, runtime

blueprint = Blueprint("signing_in", __name__, url_prefix="/feeds")
WAITING = "tesoura.signing_in"
LASTS_S = 900


@dataclass(frozen=True, slots=True)
class _Gone:
    """Somebody who was sent to a service and has not come back: for which feed, with what, since when."""

    feed: str
    verifier: str
    at: float


def _waiting() -> dict[str, _Gone]:
    # A browser that comes back from elsewhere brings no cookie, so what must be known is kept here.
    waiting: dict[str, _Gone] = current_app.extensions.setdefault(WAITING, {})
    for state in [state for state, gone in waiting.items() if time.monotonic() - gone.at > LASTS_S]:
        del waiting[state]
    return waiting


@blueprint.post("/<name>/sign-in")
def start(name: str) -> ResponseReturnValue:
    """Send the user to the service."""
    row = feed_row(name)
    state, verifier = random.token_urlsafe(24), random.token_urlsafe(48)
    back_to = url_for("signing_in.back", _external=True)
    try:
        address = runtime().call(lambda self: self.feeds.trials.begin_sign_in(row.name, back_to, state, verifier))
    except RuntimeError as error:
        flash(str(error), "wrong")
        return redirect(url_for("feeds.show", name=name))
    _waiting()[state] = _Gone(name, verifier, time.monotonic())
    return redirect(address)


@blueprint.get("/signed-in")
def back() -> ResponseReturnValue:
    """Take the user back from the service, with the permission or without."""
    gone = _waiting().pop(request.args.get("state", ""), None)
    if gone is None:
        flash("This sign-in link was already used, or is more than 15 minutes old. Sign in again.", "wrong")
        return redirect(url_for("feeds.index"))
    row, code = feed_row(gone.feed), request.args.get("code", "")
    if not code:
        flash("The service didn't grant permission, so there is no data. You can sign in again.", "wrong")
        return redirect(url_for("feeds.show", name=row.name))
    back_to = url_for("signing_in.back", _external=True)
    try:
        kept: Any = runtime().call(
            lambda self: self.feeds.trials.finish_sign_in(row.name, back_to, code, gone.verifier)
        )
    except RuntimeError as error:
        flash(str(error), "wrong")
        return redirect(url_for("feeds.show", name=row.name))
    who = actor()
    runtime().call(lambda self: keep_permission(Doing(self, who), row.name, kept))
    flash("You are signed in. What comes is shown below.", "said")
    return redirect(url_for("feeds.show", name=row.name))
