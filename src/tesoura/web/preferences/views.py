"""General choices, and the keys for the API."""

from __future__ import annotations

from flask import Blueprint, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.errors import InvalidPiece
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
