"""General choices, and the keys for the API."""

from __future__ import annotations

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.errors import InvalidField, InvalidPiece
from tesoura.runtime.locales import offered
from tesoura.runtime.preferences import machine_zone, zone_names
from tesoura.store import keys, state
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store
from tesoura.web.shared.once import ShownOnce
from tesoura.web.shared.shown import zone

blueprint = Blueprint("preferences", __name__, url_prefix="/preferences")
ONCE = ShownOnce()


def _page(status: int = 200, **more: object) -> ResponseReturnValue:
    listed = store().read(keys.listed)
    return (
        render_template(
            "preferences/show.html",
            keys=listed,
            locales=offered(),
            locale=runtime().preferences.locale,
            zone=zone(),
            folder=store().folder,
            zones=zone_names(),
            chosen_zone=store().read(lambda session: state.choice(session, "zone")) or "",
            choices=runtime().preferences,
            machine=machine_zone(),
            **more,
        ),
        status,
        {"Cache-Control": "no-store"} if more.get("key") else {},
    )


@blueprint.get("/")
def show() -> ResponseReturnValue:
    """All choices and keys; one that was just made is shown this once."""
    made = request.args.get("made")
    if made is None:
        return _page()
    key = ONCE.take(made)
    return _page(key=key, key_name=request.args.get("of", "")[:60], key_gone=key is None)


@blueprint.post("/locale")
def set_locale() -> ResponseReturnValue:
    """Choose how numbers are written."""
    return _chosen("choose.numbers", locale=request.form.get("locale", ""))


def _chosen(action: str, where: str = "", /, **given: str) -> ResponseReturnValue:
    """Choose, and show the choices again: with what is wrong at its place, when something is."""
    try:
        flash(act(action, **given).words, "said")
    except InvalidPiece as error:
        if where:
            return _page(422, **{where: next(iter(error.wrong.values()))})
        flash(next(iter(error.wrong.values())), "wrong")
    return redirect(url_for("preferences.show"))


@blueprint.post("/calendar")
def set_calendar() -> ResponseReturnValue:
    """Choose the zone that days begin in, and the weekday that weeks do."""
    zone, first = request.form.get("zone", ""), request.form.get("first_weekday", "0")
    return _chosen("choose.calendar", "wrong_zone", zone=zone, first_weekday=first)


@blueprint.post("/keep")
def set_keep() -> ResponseReturnValue:
    """Choose for how long the log is kept."""
    return _chosen("choose.keep", "wrong_keep", keep_days=request.form.get("keep_days", ""))


@blueprint.post("/folders")
def set_folders() -> ResponseReturnValue:
    """Name a folder that files may be read from, or take one off the list."""
    gone, typed = request.form.get("remove", ""), request.form.get("folder", "")
    try:
        return _chosen("folder.read", "wrong_folder", folder=gone or typed or " ", read="no" if gone else "yes")
    except InvalidField as error:
        return _page(422, wrong_folder=str(error))


@blueprint.post("/keys")
def new_key() -> ResponseReturnValue:
    """Make a key and show it, this once."""
    name = request.form.get("name", "")
    try:
        made = ONCE.keep(str(act("key.new", name=name).result["key"]))
    except InvalidPiece as error:
        return _page(422, wrong_name=error.wrong["name"])
    # Loading the page again makes no second key.
    return redirect(url_for("preferences.show", made=made, of=" ".join(name.split()), _anchor="keys-of-the-api"))


@blueprint.post("/keys/<int:key_id>/revoke")
def revoke_key(key_id: int) -> ResponseReturnValue:
    """Stop a key from working."""
    words = act("key.revoke", number=key_id).words
    flash(words, "undo:" + url_for("preferences.restore_key", key_id=key_id))
    return redirect(url_for("preferences.show"))


@blueprint.post("/keys/<int:key_id>/restore")
def restore_key(key_id: int) -> ResponseReturnValue:
    """Let a revoked key work again."""
    flash(act("key.restore", number=key_id).words, "said")
    return redirect(url_for("preferences.show"))
