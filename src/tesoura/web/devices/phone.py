"""The phone's own pages: being paired, and pressing. They show nothing but the leaves that were chosen for it."""

from __future__ import annotations

from flask import Blueprint, Response, jsonify, make_response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.errors import NotYours
from tesoura.runtime.devices import PHONE
from tesoura.settings import build, device_cookie
from tesoura.web.shared.doors import runtime, settings

blueprint = Blueprint("phone", __name__, url_prefix="/phone")
KEPT_S = 400 * 86_400
PAPER = "#F6F1E7"
ICONS = (("phone-192", 192, "any"), ("phone-512", 512, "any"), ("phone-mask", 512, "maskable"))


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """The buttons, for a phone that is paired."""
    token = request.cookies.get(device_cookie(settings()), "")
    device = runtime().call(lambda self: self.devices.known(token))
    if device is None:
        return redirect(url_for("phone.pair"))
    return render_template("phone/show.html", device=device)


@blueprint.get("/pair")
def pair() -> ResponseReturnValue:
    """Where a phone is paired: by the secret behind # that the picture's address has, or by six digits."""
    return render_template("phone/pair.html", wrong="")


@blueprint.post("/pair")
def take_code() -> ResponseReturnValue:
    """Pair this phone."""
    code, name = request.form.get("code", "")[:100], _browser()
    try:
        _, token = runtime().call(lambda self: self.devices.pair(code, name, PHONE))
    except NotYours as error:
        return render_template("phone/pair.html", wrong=str(error)), 403
    answer = make_response(redirect(url_for("phone.show")))
    answer.set_cookie(
        device_cookie(settings()), token, max_age=KEPT_S, httponly=True, samesite="Strict", secure=request.is_secure
    )
    return answer


def _browser() -> str:
    told = request.user_agent.string
    return next((words for sign, words in (("iPad", "Tablet"), ("Tablet", "Tablet")) if sign in told), "Phone")


@blueprint.get("/manifest.webmanifest")
def manifest() -> Response:
    """What lets the page lie on a phone's home screen."""
    icons = [
        {"src": f"/static/icons/{name}.png?v={build()}", "sizes": f"{side}x{side}", "type": "image/png", "purpose": how}
        for name, side, how in ICONS
    ]
    answer = jsonify(
        name="Tesoura",
        short_name="Tesoura",
        start_url=url_for("phone.show"),
        scope=url_for("phone.show"),
        display="standalone",
        background_color=PAPER,
        theme_color=PAPER,
        icons=icons,
    )
    answer.headers["Content-Type"] = "application/manifest+json"
    return answer


@blueprint.get("/pad")
def pad() -> ResponseReturnValue:
    """A pad on the screen, for whoever has none: a device like any other, which is paired by its code."""
    return render_template("phone/pad.html")
