"""What helps with setting feeds up: looking up by name, naming folders, example programs, a new private address."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.bundles.examples import put
from tesoura.core.forms.form import fill
from tesoura.runtime.facade import Runtime
from tesoura.store import feeds as stored
from tesoura.store.tables import FeedRow
from tesoura.web.feeds.views import feed_row, kind_named, name_folder, unsealed
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("feed_aids", __name__, url_prefix="/feeds")


@blueprint.post("/look-up/<kind>")
def look_up(kind: str) -> ResponseReturnValue:
    """What a service has under a name, to choose from."""
    found, typed = kind_named(kind), request.form.to_dict()
    filled = fill(found.fields, typed, unsealed(typed.get("sealed", "")))
    name = typed.get("named", "").strip()
    if "look_up" in filled.wrong or not filled.choices.get("look_up"):
        matches: Any = filled.wrong.get("look_up") or "Give the address to look names up at first."
    elif not name:
        matches = "Type a name, or how it begins."
    else:
        choices = {**filled.choices, "look_up": filled.choices["look_up"]}
        matches = runtime().call(lambda self: self.feeds.look_up(found.name, choices, filled.secrets, name))
    return render_template("feeds/_matches.html", matches=matches, name=name)


@blueprint.post("/<name>/folder")
def let_read(name: str) -> ResponseReturnValue:
    """Let Tesoura read from the folder that a feed's file is in."""
    row = feed_row(name)
    proof = runtime().call(lambda self: self.feeds.proof(row.name))
    if proof is not None and proof.wants_folder:
        name_folder(proof.wants_folder)
        runtime().call(lambda self: self.feeds.ask_now(row.name))
        flash("Tesoura may read from this folder now. Preferences lists all such folders.", "said")
    return redirect(url_for("feeds.show", name=name))


@blueprint.post("/examples")
def put_examples() -> ResponseReturnValue:
    """Put the example programs into the scripts folder; those that are there stay as they are."""
    count = put(store().folder / "scripts")
    words = f"{count} examples were put into the scripts folder." if count else "The examples are there already."
    flash(words, "said")
    return redirect(url_for("feeds.new", kind="script"))


@blueprint.post("/<name>/token")
def replace_token(name: str) -> ResponseReturnValue:
    """Give a feed another private address; the old one stops at once."""
    row = feed_row(name)

    def job(session: Session) -> None:
        present = session.get(FeedRow, row.id)
        if present is not None and present.token:
            present.token = stored.new_token()
            session.add(present)

    store().write(job)
    runtime().call(Runtime.refresh_feed, name)
    flash("It has a new address; the old one takes nothing any more. Give the sender the new one.", "said")
    return redirect(url_for("feeds.show", name=name))
