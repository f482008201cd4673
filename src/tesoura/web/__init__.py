"""The pages: Flask, one blueprint an area."""

from __future__ import annotations

import hmac
import re
from typing import Any

from flask import Flask, Response, g, request, session
from flask.json.provider import DefaultJSONProvider
from flask_wtf import CSRFProtect
from werkzeug.routing import IntegerConverter

from tesoura.core.values import from_json
from tesoura.runtime.facade import Runtime
from tesoura.settings import Settings, build
from tesoura.store.store import Store
from tesoura.web.access import views as access
from tesoura.web.api import actions as api_actions
from tesoura.web.api import clips as api_clips
from tesoura.web.api import views as api
from tesoura.web.begin import saving as starter_saving
from tesoura.web.begin import views as begin
from tesoura.web.clips import views as clips
from tesoura.web.cues import trial
from tesoura.web.cues import views as cues
from tesoura.web.desk import hand, leaves, scenes
from tesoura.web.desk import views as desk
from tesoura.web.devices import phone
from tesoura.web.devices import views as devices
from tesoura.web.feeds import aids as feed_aids
from tesoura.web.feeds import incoming, picks, rules, talking
from tesoura.web.feeds import sign_in as signing_in
from tesoura.web.feeds import views as feeds
from tesoura.web.files import views as files
from tesoura.web.help import views as help_pages
from tesoura.web.instruments import laying, matches, runs, tracks, wheels
from tesoura.web.instruments import views as instruments
from tesoura.web.log import reached
from tesoura.web.log import views as log
from tesoura.web.looks import media, typefaces
from tesoura.web.looks import views as looks
from tesoura.web.mat import views as mat
from tesoura.web.overlays import links, pages, versions
from tesoura.web.overlays import views as overlays
from tesoura.web.overlays.css import HELPERS
from tesoura.web.preferences import views as preferences
from tesoura.web.recipes import views as recipes
from tesoura.web.reports import sponsors as sponsor_reports
from tesoura.web.reports import views as reports
from tesoura.web.saves import carrying as shelf_files
from tesoura.web.saves import views as saves
from tesoura.web.shared import covering, errors, pressing
from tesoura.web.shared.doors import EXTENSION, Doors, own_port
from tesoura.web.shared.offers import Offers
from tesoura.web.shared.routing import LazyRule
from tesoura.web.shared.shown import add_filters
from tesoura.web.shared.sized_request import SizedRequest
from tesoura.web.shared.template_cache import TemplateCache
from tesoura.web.shows import views as shows
from tesoura.web.signals import computed, wordings
from tesoura.web.signals import views as signals

ROOMS = (
    pressing,
    api,
    api_actions,
    api_clips,
    desk,
    leaves,
    devices,
    phone,
    signing_in,
    feed_aids,
    talking,
    feeds,
    picks,
    rules,
    incoming,
    hand,
    recipes,
    begin,
    starter_saving,
    overlays,
    mat,
    scenes,
    versions,
    links,
    looks,
    typefaces,
    media,
    clips,
    saves,
    shelf_files,
    pages,
    preferences,
    signals,
    computed,
    instruments,
    laying,
    tracks,
    matches,
    runs,
    wheels,
    trial,
    cues,
    files,
    wordings,
    shows,
    log,
    reached,
    reports,
    sponsor_reports,
    help_pages,
)


def desk_ticket(store: Store, settings: Settings, door: str = "") -> str:
    """What a page must know to open the desk's live link. Another password makes another one, that of a door too."""
    return store.secrets.derive(f"desk link {settings.password or ''}{door}").hex()


class Tickets:
    """The tickets that are good now: one at this machine's own port, another at the door for others."""

    def __init__(self, runtime: Runtime, settings: Settings) -> None:
        self._runtime, self._settings = runtime, settings
        self._own = desk_ticket(runtime.store, settings)

    def at(self, port: int | None) -> str:
        """The ticket that is good at this port."""
        door = self._runtime.listening.door
        if door is None or port != door.port:
            return self._own
        return desk_ticket(self._runtime.store, self._settings, door.id)

    def knows(self, ticket: str, port: int | None) -> bool:
        """Whether this ticket is good at this port."""
        return hmac.compare_digest(ticket.encode(), self.at(port).encode())


_FRAMED = "frame-ancestors 'self'"
_FRAMED_HERE = f"{_FRAMED} http://127.0.0.1:* http://localhost:*"
"""An overlay, on which nothing can be pressed, may be laid into a picture by a program of this machine."""
_POLICY = (
    f"default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; {_FRAMED}; "
    "base-uri 'none'; object-src 'none'"
)
LEADS_ELSEWHERE = ("/feeds", "/recipes")
"""Where a form may lead to a service, to sign in there."""


_WITH_KEY = re.compile(rb"/(?:in|o)/[\w-]{20,}|/phone/pair\b|\b(?:tes|dev)_[\w-]{16,}")
"""A private address or key in a page. Browsers don't store such a page, nor any for visitors who signed in."""


def _protect(response: Response) -> Response:
    """Nothing from elsewhere runs in a page, and no other site frames one."""
    inside = "" if request.path.startswith(LEADS_ELSEWHERE) else "; form-action 'self'"
    policy = _POLICY.replace(_FRAMED, _FRAMED_HERE) if request.path.startswith("/o/") else _POLICY
    response.headers.setdefault("Content-Security-Policy", policy + inside)
    response.headers.setdefault("X-Content-Type-Options", "nosniff")
    response.headers.setdefault("Referrer-Policy", "same-origin")
    if (
        response.mimetype == "text/html"
        and not response.direct_passthrough
        and (session.get("signed_in") or _WITH_KEY.search(response.get_data()))
    ):
        response.headers.setdefault("Cache-Control", "no-store")
    return response


class _Whole(IntegerConverter):
    """A number in an address that the database can hold."""

    regex = r"[0-9]{1,15}"


class _Json(DefaultJSONProvider):
    """JSON that pages send, taken in as any other from outside."""

    def loads(self, s: str | bytes, **kwargs: Any) -> Any:
        """What it holds. Raises ValueError."""
        return from_json(s)


def create_pages(runtime: Runtime, settings: Settings) -> Flask:
    """The Flask application, on a runtime that may be started later."""
    app = Flask(__name__, static_folder=None)
    app.request_class = SizedRequest
    app.url_rule_class = LazyRule
    app.json = _Json(app)
    app.url_map.converters["int"] = _Whole
    app.config.update(
        SECRET_KEY=runtime.store.secrets.derive(f"page signatures {settings.password or ''}"),
        # Cookies know no ports: two that run side by side would take each other's away.
        SESSION_COOKIE_NAME=f"tesoura_{settings.port}",
        SESSION_COOKIE_SAMESITE="Strict",
        WTF_CSRF_TIME_LIMIT=None,
    )
    # What is kept of a template must not hold what a filter made of a constant: the filter may change.
    app.jinja_env.bytecode_cache, app.jinja_env.optimized = TemplateCache(), False
    app.jinja_env.globals.update(HELPERS)
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.extensions[EXTENSION] = Doors(runtime, runtime.store, settings, runtime.studio)
    protection = CSRFProtect(app)
    protection.exempt(api.blueprint)
    protection.exempt(api_actions.blueprint)
    protection.exempt(api_clips.blueprint)
    protection.exempt(incoming.blueprint)
    add_filters(app)
    macros = vars(app.jinja_env.get_template("_macros.html").module)
    app.jinja_env.globals.update({name: macro for name, macro in macros.items() if not name.startswith("_")})
    errors.register(app)
    access.register(app)
    for room in ROOMS:
        app.register_blueprint(room.blueprint)
    app.after_request(_protect)
    app.after_request(covering.cover)
    tickets = Tickets(runtime, settings)

    @app.before_request
    def take_mark() -> None:
        # Before anything is asked for: what changes from here on is told to the page when it has opened its link.
        g.mark = runtime.topics.mark

    app.context_processor(
        lambda: {
            "build": build(),
            "mark": g.get("mark", ""),
            "desk_ticket": "" if access.is_stranger() else tickets.at(own_port()),
            "strip": desk.strip,
            "offers": Offers(),
            "is_covered": covering.is_covered,
            "covering": covering.RULES,
        }
    )
    return app
