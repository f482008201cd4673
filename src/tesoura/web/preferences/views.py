"""General choices, and the keys for the API."""

from __future__ import annotations

import json
from pathlib import Path

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.core.forms.checks import line
from tesoura.errors import InvalidField
from tesoura.runtime.facade import Runtime
from tesoura.runtime.locales import OFFERED, offered
from tesoura.runtime.preferences import machine_zone, zone_names
from tesoura.store import keys, state
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.shown import zone

MIN_DAYS, MAX_DAYS = 2, 36_500
blueprint = Blueprint("preferences", __name__, url_prefix="/preferences")


def _page(status: int = 200, **more: object) -> ResponseReturnValue:
    listed = store().read(keys.listed)
    return render_template(
        "preferences/show.html",
        keys=listed, locales=offered(), locale=runtime().preferences.locale, zone=zone(), folder=store().folder,
        zones=zone_names(), chosen_zone=store().read(lambda session: state.choice(session, "zone")) or "",
        choices=runtime().preferences, machine=machine_zone(), **more,
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
        runtime().call(Runtime.preferences_changed)
        flash("Numbers are written that way from now on, on air too.", "said")
    return redirect(url_for("preferences.show"))


@blueprint.post("/calendar")
def set_calendar() -> ResponseReturnValue:
    """Choose the zone that days begin in, and the weekday that weeks do."""
    wanted, first = request.form.get("zone", ""), request.form.get("first_weekday", "0")
    if wanted and wanted not in zone_names():
        return _page(422, wrong_zone=f"There is no zone “{wanted[:40]}”. Choose one from the list.")
    if first not in {str(day) for day in range(7)}:
        return _page(422, wrong_zone="Choose a weekday from the list.")

    def job(session: Session) -> None:
        state.choose(session, "zone", wanted)
        state.choose(session, "first_weekday", first)

    store().write(job)
    runtime().call(Runtime.preferences_changed)
    flash("Days and weeks begin so from now on; what counts by them was made anew.", "said")
    return redirect(url_for("preferences.show"))


@blueprint.post("/keep")
def set_keep() -> ResponseReturnValue:
    """Choose for how long the log is kept."""
    typed = request.form.get("keep_days", "").strip()
    if typed and not (typed.isdecimal() and MIN_DAYS <= int(typed) <= MAX_DAYS):
        return _page(422, wrong_keep=f"Give days from {MIN_DAYS} to {MAX_DAYS:,}, or nothing to keep it for good.")
    store().write(lambda session: state.choose(session, "keep_days", typed))
    runtime().call(Runtime.preferences_changed)
    flash("Older events are let go little by little; counts and rankings keep what they had of them.", "said")
    return redirect(url_for("preferences.show"))


@blueprint.post("/folders")
def set_folders() -> ResponseReturnValue:
    """Name a folder that files may be read from, or take one off the list."""
    present = [str(one) for one in runtime().preferences.folders]
    gone, typed = request.form.get("remove", ""), request.form.get("folder", "").strip().strip('"')
    if gone:
        present = [one for one in present if one != gone]
    elif not Path(typed).expanduser().is_absolute():
        return _page(422, wrong_folder="Give the folder's whole path from the top, such as /home/mara/stats.")
    elif not Path(typed).expanduser().is_dir():
        return _page(422, wrong_folder="There is no such folder. Make it first, or give another.")
    else:
        present = list(dict.fromkeys([*present, str(Path(typed).expanduser())]))
    store().write(lambda session: state.choose(session, "folders", json.dumps(present)))
    runtime().call(Runtime.preferences_changed)
    flash("Files may be read from the folders on the list, and from no other.", "said")
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
