"""Signing in, which is asked for only when Tesoura listens on the network."""

from __future__ import annotations

import hmac
import math
import time
import uuid
from collections.abc import Callable

from flask import Flask, current_app, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.values import Event
from tesoura.errors import KeyRefused
from tesoura.web.access import visits
from tesoura.web.access.guesses import Guesses
from tesoura.web.api.models import whose
from tesoura.web.proxies import A_PROXY, Scope
from tesoura.web.shared.doors import is_away, is_from_here, now, runtime, settings, store
from tesoura.web.shared.sized_request import FROM_HERE

GUESSES = "tesoura.guesses"
WRONG = "That is not the password of this Tesoura."
PASSED_ON = (
    "This request used a proxy or tunnel, so it may come from another machine. "
    "Start Tesoura with --proxy-name and a password; on this machine, see “Network access and proxies” in Help."
)
MOST_PASSWORD = 200
WRONG_PASSWORD = "tesoura.wrong_password"  # noqa: S105 - the type of an event
"""The type of the event that tells that somebody gave a wrong password."""

# The API has keys of its own; a token is the only right that an overlay's page, a feed's private address, the way back
# from a service or a paired phone needs.
OPEN_PREFIXES = ("/api/", "/o/", "/in/", "/phone/")
OPEN = frozenset({"/feeds/signed-in", "/sign-in"})
DESCRIPTION = "/api/openapi.json"
FEEDS_DOOR = "/in/"


# What overlays show is looked at by their pages, under names that nobody guesses; adding to it is another matter.
LOOKED_AT_PREFIXES = ("/media/", "/covers/", "/clips/file/")


def register(app: Flask) -> None:
    """Ask for the password before anything that operates Tesoura."""
    app.extensions[GUESSES] = Guesses()
    visits.register(app)
    app.before_request(_check)
    app.add_url_rule("/sign-out", "access.sign_out", _sign_out, methods=["POST"])
    app.context_processor(lambda: {"stranger": is_stranger(), "can_sign_out": bool(session.get("signed_in"))})
    app.add_url_rule("/sign-in", "access.sign_in", _sign_in, methods=["GET", "POST"])


def is_stranger() -> bool:
    """Whether whoever asks has still to sign in."""
    wanted = _wanted()
    if wanted is None:
        return request.remote_addr == A_PROXY
    return not visits.is_signed_in(wanted)


def may_send(app: Flask) -> Callable[[Scope], bool]:
    """Whether a request may be a large one, by its head alone: who sends it has signed in, or brings a key or token."""

    def ask(scope: Scope) -> bool:
        heads = {name.decode("latin-1"): value.decode("latin-1") for name, value in scope["headers"]}
        host, port = scope.get("server") or ("", 0)
        method, path = scope["method"], scope["path"]
        environ = {
            "REQUEST_METHOD": method,
            "PATH_INFO": path,
            "QUERY_STRING": "",
            "SERVER_NAME": host,
            "SERVER_PORT": str(port),
            "HTTP_HOST": heads.get("host", host),
            "HTTP_COOKIE": heads.get("cookie", ""),
            "REMOTE_ADDR": (scope.get("client") or ("", 0))[0],
            "wsgi.url_scheme": scope.get("scheme", "http"),
        }
        with app.request_context(environ):
            if path.startswith("/api/"):
                return _has_key(heads.get("authorization", ""))
            if path.startswith(FEEDS_DOOR):
                return runtime().feeds.is_sent_to(path.removeprefix(FEEDS_DOOR))
            return not is_stranger() and (path not in FROM_HERE or is_from_here())

    return ask


def _has_key(authorization: str) -> bool:
    try:
        whose(authorization, store().key_name)
    except KeyRefused:
        return False
    return True


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
    if _wanted() is None:
        return PASSED_ON, 403, {"Content-Type": "text/plain; charset=utf-8"}
    return redirect(url_for("access.sign_in"))


def _sign_out() -> ResponseReturnValue:
    visits.end_visit()
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
    visits.begin_visit(wanted)
    return redirect(url_for("desk.show"))


def _is_right(password: str) -> bool:
    wanted, own = _wanted(), settings().password
    if wanted == "yes":
        return hmac.compare_digest(password.encode(), (own or "").encode())
    return runtime().listening.knows(password)


def _log_wrong(who: str) -> None:
    event = Event(uuid.uuid4().hex, "tesoura", WRONG_PASSWORD, now(), {"from": who}, who)
    runtime().call(lambda self: self.journal.log([event]))
