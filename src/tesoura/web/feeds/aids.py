"""What helps with setting feeds up: looking up by name, naming folders, example programs, a new private address."""

from __future__ import annotations

from importlib import resources
from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.core.forms.form import fill
from tesoura.web.feeds.views import feed_row, kind_named, unsealed
from tesoura.web.shared.acting import act, must_be_here
from tesoura.web.shared.doors import runtime

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
        matches = runtime().call(lambda self: self.feeds.trials.look_up(found.name, choices, filled.secrets, name))
    return render_template("feeds/_matches.html", matches=matches, name=name)


@blueprint.post("/try-pattern")
def try_pattern() -> ResponseReturnValue:
    """What a pattern finds in the last lines of a log, before anything is kept."""
    found, typed = kind_named("follow"), request.form.to_dict()
    filled = fill({name: found.fields[name] for name in ("path", "pattern")}, typed)
    tried: Any = next(iter(filled.wrong.values()), None)
    if tried is None:
        must_be_here("Reading a log of this machine")
        path, pattern = filled.choices["path"], filled.choices["pattern"]
        tried = runtime().call(lambda self: self.feeds.trials.pattern(path, pattern))
    return render_template("feeds/_lines.html", tried=tried)


@blueprint.post("/<name>/folder")
def let_read(name: str) -> ResponseReturnValue:
    """Let Tesoura read from the folder that a feed's file is in."""
    row = feed_row(name)
    proof = runtime().call(lambda self: self.feeds.proof(row.name))
    if proof is not None and proof.wants_folder:
        act("folder.read", folder=str(proof.wants_folder))
        runtime().call(lambda self: self.feeds.ask_now(row.name))
        flash("Tesoura can read from this folder now. Preferences lists all such folders.", "said")
    return redirect(url_for("feeds.show", name=name))


SENDING = (("In Python", "lines-python", "send.py"), ("In a shell, with openssl and curl", "lines-shell", "send.sh"))


@blueprint.app_template_global("webhook_lines")
def webhook_lines() -> list[tuple[str, str, str]]:
    """Lines that send a signed message, to copy: for each language its words, an id, and the lines."""
    folder = resources.files("tesoura").joinpath("bundles", "examples", "sending")
    return [(words, id, folder.joinpath(name).read_text("utf-8").rstrip()) for words, id, name in SENDING]
