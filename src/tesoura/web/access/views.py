"""Signing in, which is asked for only when Tesoura listens on the network."""

from __future__ import annotations

import hmac
import math
import time
import uuid

from flask import Flask, current_app, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.values import Event
from tesoura.web.access.guesses import Guesses
from tesoura.web.shared.doors import is_away, now, runtime, settings

GUESSES = "tesoura.guesses"
WRONG = "That is not the password of this Tesoura."
MOST_PASSWORD = 200
WRONG_PASSWORD = "tesoura.wrong_password"  # noqa: S105 - the type of an event
"""The type of the event that tells that somebody gave a wrong password."""

# The API has keys of its own; a token is the only right that an overlay's page, a feed's private address, the way back
# from a service or a paired phone needs.
OPEN_PREFIXES = ("/api/", "/o/", "/in/", "/phone/")
OPEN = frozenset({"/feeds/signed-in", "/sign-in"})
DESCRIPTION = "/api/openapi.json"


# What overlays show is looked at by their pages, under names that nobody guesses; adding to it is another matter.
LOOKED_AT_PREFIXES = ("/media/", "/covers/", "/clips/file/")


def register(app: Flask) -> None:
    """Ask for the password before anything that operates Tesoura."""
    app.extensions[GUESSES] = Guesses()
    app.before_request(_check)
    app.add_url_rule("/sign-out", "access.sign_out", _sign_out, methods=["POST"])
    app.context_processor(lambda: {"stranger": is_stranger(), "can_sign_out": bool(session.get("signed_in"))})
    app.add_url_rule("/sign-in", "access.sign_in", _sign_in, methods=["GET", "POST"])


def is_stranger() -> bool:
    """Whether whoever asks has still to sign in."""
    wanted = _wanted()
    return wanted is not None and session.get("signed_in") != wanted


def _wanted() -> str | None:
    """What must stand in the session of who has signed in; None when nobody has to."""
    door = runtime().listening.door
    if door is not None and is_away():
        return door.id
    return "yes" if settings().password is not None else None


def _check() -> ResponseReturnValue | None:
    prefixes = OPEN_PREFIXES + (LOOKED_AT_PREFIXES if request.method in ("GET", "HEAD") else ())
    described = request.path == DESCRIPTION and "Authorization" not in request.headers
    if not is_stranger() or request.path in OPEN or (request.path.startswith(prefixes) and not described):
        return None
    return redirect(url_for("access.sign_in"))


def _sign_out() -> ResponseReturnValue:
    session.clear()
    return redirect(url_for("access.sign_in"))


def _sign_in() -> ResponseReturnValue:
    wanted = _wanted()
    if wanted is None:
        return redirect(url_for("desk.show"))
    if request.method != "POST":
        return render_template("access/sign_in.html", wrong=None)
    who, guesses = request.remote_addr or "", current_app.extensions[GUESSES]
    if wait_s := guesses.wait_s(who, time.monotonic()):
        seconds = math.ceil(wait_s)
        wrong = f"Too many wrong passwords came from this machine. Try again in {seconds} s."
        return render_template("access/sign_in.html", wrong=wrong), 429, {"Retry-After": str(seconds)}
    # Counted before it is looked at: of many at the same time none slips through.
    guesses.wrong(who, time.monotonic())
    if not _is_right(request.form.get("password", "")[:MOST_PASSWORD]):
        _log_wrong(who)
        return render_template("access/sign_in.html", wrong=WRONG), 403
    guesses.right(who)
    session["signed_in"], session.permanent = wanted, True
    return redirect(url_for("desk.show"))


def _is_right(password: str) -> bool:
    wanted, own = _wanted(), settings().password
    if wanted == "yes":
        return hmac.compare_digest(password.encode(), (own or "").encode())
    return runtime().listening.knows(password)


def _log_wrong(who: str) -> None:
    event = Event(uuid.uuid4().hex, "tesoura", WRONG_PASSWORD, now(), {"from": who}, who)
    runtime().call(lambda self: self.journal.log([event]))
