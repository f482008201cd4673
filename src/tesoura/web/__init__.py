"""The pages: Flask, one blueprint an area."""

from __future__ import annotations

from datetime import timedelta

from flask import Flask, Response
from flask_wtf import CSRFProtect

from tesoura.runtime import Runtime
from tesoura.settings import Settings, build
from tesoura.store.store import Store
from tesoura.studio import Studio
from tesoura.web import (
    access,
    api,
    computed,
    desk,
    errors,
    feed_aids,
    feeds,
    files,
    hand,
    incoming,
    instruments,
    links,
    log,
    looks,
    mat,
    media,
    overlays,
    pages,
    picks,
    preferences,
    recipes,
    reports,
    rules,
    scenes,
    signals,
    signing_in,
    typefaces,
    versions,
    wordings,
)
from tesoura.web.doors import EXTENSION, Doors
from tesoura.web.drawing import HELPERS
from tesoura.web.offers import Offers
from tesoura.web.shown import add_filters
from tesoura.web.uploads import SizedRequest

ROOMS = (
    api, desk, signing_in, feed_aids, feeds, picks, rules, incoming, hand, recipes, overlays, mat, scenes, versions,
    links, looks, typefaces, media, pages, preferences,
    signals, computed, instruments, files, wordings, log, reports,
)  # fmt: skip


def desk_ticket(store: Store) -> str:
    """What a page must know to open the desk's live link."""
    return store.secrets.derive("desk link").hex()


_POLICY = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'self'"


def _protect(response: Response) -> Response:
    """Nothing from elsewhere runs in a page, and no other site frames one."""
    response.headers.setdefault("Content-Security-Policy", _POLICY)
    response.headers.setdefault("X-Content-Type-Options", "nosniff")
    response.headers.setdefault("Referrer-Policy", "same-origin")
    return response


def create_pages(runtime: Runtime, settings: Settings) -> Flask:
    """The Flask application, on a runtime that may be started later."""
    app = Flask(__name__, static_folder=None)
    app.request_class = SizedRequest
    app.config.update(
        SECRET_KEY=runtime.store.secrets.derive("page signatures"),
        # Cookies know no ports: two that run side by side would take each other's away.
        SESSION_COOKIE_NAME=f"tesoura_{settings.port}",
        SESSION_COOKIE_SAMESITE="Strict",
        PERMANENT_SESSION_LIFETIME=timedelta(days=30),
        WTF_CSRF_TIME_LIMIT=None,
    )
    app.jinja_env.globals.update(HELPERS)
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.extensions[EXTENSION] = Doors(runtime, runtime.store, settings, Studio(runtime.store))
    protection = CSRFProtect(app)
    protection.exempt(api.blueprint)
    protection.exempt(incoming.blueprint)
    add_filters(app)
    errors.register(app)
    access.register(app)
    for room in ROOMS:
        app.register_blueprint(room.blueprint)
    app.after_request(_protect)
    ticket = desk_ticket(runtime.store)
    app.context_processor(lambda: {"build": build(), "desk_ticket": ticket, "strip": desk.strip, "offers": Offers()})
    return app
