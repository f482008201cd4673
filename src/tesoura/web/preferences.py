"""General choices, and the keys for the API."""

from __future__ import annotations

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.checks import InvalidField, line
from tesoura.locales import OFFERED, offered
from tesoura.runtime import Runtime
from tesoura.store import keys, state
from tesoura.web.doors import now, runtime, store
from tesoura.web.shown import zone

blueprint = Blueprint("preferences", __name__, url_prefix="/preferences")


def _page(status: int = 200, **more: object) -> ResponseReturnValue:
    listed = store().read(keys.listed)
    return render_template(
        "preferences/show.html",
        keys=listed, locales=offered(), locale=runtime().choices.locale, zone=zone(), folder=store().folder, **more,
    ), status  # fmt: skip


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """All choices and keys."""
    return _page()


@blueprint.post("/locale")
def set_locale() -> ResponseReturnValue:
    """Choose how numbers are written."""
    wanted = request.form.get("locale", "")
    if wanted not in OFFERED:
        flash("That way of writing numbers is not offered. Choose one from the list.", "wrong")
    else:
        store().write(lambda session: state.choose(session, "locale", wanted))
        runtime().call(Runtime.choices_changed)
        flash("Numbers are written that way from now on, on air too.", "said")
    return redirect(url_for("preferences.show"))


@blueprint.post("/keys")
def new_key() -> ResponseReturnValue:
    """Make a key and show it, this once."""
    try:
        name = line(40)(request.form.get("name", ""))
    except InvalidField as error:
        return _page(422, wrong_name=str(error))
    at = now()
    key = store().write(lambda session: keys.new_key(session, name, at))
    return _page(key=key, key_name=name)


@blueprint.post("/keys/<int:key_id>/revoke")
def revoke_key(key_id: int) -> ResponseReturnValue:
    """Stop a key from working."""
    at = now()
    name = store().write(lambda session: keys.revoke(session, key_id, at))
    store().forget_keys()
    if name is not None:
        flash(f"The key “{name}” does not work any more.", "undo:" + url_for("preferences.restore_key", key_id=key_id))
    return redirect(url_for("preferences.show"))


@blueprint.post("/keys/<int:key_id>/restore")
def restore_key(key_id: int) -> ResponseReturnValue:
    """Let a revoked key work again."""
    name = store().write(lambda session: keys.revoke(session, key_id, None))
    if name is not None:
        flash(f"The key “{name}” works again.", "said")
    return redirect(url_for("preferences.show"))
