"""Cookies of those who signed in: sent back encrypted only, and useless once their owner has signed out."""

from __future__ import annotations

import secrets

from flask import Flask, request, session
from flask.sessions import SecureCookieSessionInterface

from tesoura.runtime.visits import LASTING
from tesoura.web.shared.doors import runtime


class Cookies(SecureCookieSessionInterface):
    """Session cookies; one set over TLS never goes over an unencrypted connection."""

    def get_cookie_secure(self, app: Flask) -> bool:
        """Whether the browser may return the cookie over TLS only."""
        return request.is_secure


def register(app: Flask) -> None:
    """Use such cookies in this application."""
    app.session_interface = Cookies()
    app.permanent_session_lifetime = LASTING


def begin_visit(wanted: str) -> None:
    """Remember in the visitor's cookie that the password `wanted` stands for was given."""
    session["signed_in"], session["visit"], session.permanent = wanted, secrets.token_hex(16), True


def is_signed_in(wanted: str) -> bool:
    """Whether the visitor has given this password and not signed out since."""
    visit = session.get("visit")
    return session.get("signed_in") == wanted and visit is not None and not runtime().visits.has_ended(visit)


def end_visit() -> None:
    """Sign out: this cookie and its copies are no longer accepted."""
    if (visit := session.get("visit")) is not None:
        runtime().call(lambda self: self.visits.end(visit))
    session.clear()
