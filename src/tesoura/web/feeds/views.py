"""Feeds: choosing a kind, setting one up with proof, and seeing how it fares."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from markupsafe import Markup

from tesoura.actions.feed_setup import with_made
from tesoura.actions.recipes import shipped_recipes
from tesoura.core.forms.checks import line
from tesoura.core.forms.form import Filled, fill
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind
from tesoura.links.registry import KINDS
from tesoura.runtime.facade import Runtime
from tesoura.runtime.feed_reports import Proof
from tesoura.store import feeds as stored
from tesoura.store import rules as stored_rules
from tesoura.store.tables import FeedRow
from tesoura.web.feeds.scene_names import named_and_gone
from tesoura.web.shared.acting import act, must_be_here
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.shown import plain_choice
from tesoura.web.shared.things import NOW, PART, Thing

blueprint = Blueprint("feeds", __name__, url_prefix="/feeds")
MANNERS = (
    ("Polled", lambda kind: kind.asked),
    ("Pushed", lambda kind: kind.follow is not None),
    ("It is sent, or set by you", lambda kind: not kind.tried),
)


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All feeds."""
    return render_template("feeds/index.html", reports=runtime().call(lambda self: self.feeds.reports()))


@blueprint.get("/table")
def table_fragment() -> ResponseReturnValue:
    """The list alone."""
    return render_template("feeds/_table.html", reports=runtime().call(lambda self: self.feeds.reports()))


@blueprint.get("/new")
def choose() -> ResponseReturnValue:
    """Where the data comes from: the kinds of feed, and the recipes."""
    kinds = KINDS.values()
    groups = [(words, [kind for kind in kinds if fits(kind)]) for words, fits in MANNERS]
    return render_template("feeds/choose.html", groups=groups, recipes=shipped_recipes())


def kind_named(name: str) -> FeedKind:
    """The kind of feed of this name, or 404."""
    kind = KINDS.get(name)
    if kind is None:
        abort(404)
    return kind


@blueprint.get("/help/<kind>")
def help_page(kind: str) -> ResponseReturnValue:
    """How a kind of feed works, and what can go wrong with it."""
    found = kind_named(kind)
    return render_template("feeds/help.html", kind=found, words=Markup(found.help()))  # noqa: S704 - it ships with us


@blueprint.route("/new/<kind>", methods=["GET", "POST"])
def new(kind: str) -> ResponseReturnValue:
    """Connect a feed: it is tried once, and kept when it answers, or when the user wants it all the same."""
    found = kind_named(kind)
    typed = request.form.to_dict()
    if request.method == "GET":
        return _new_page(found, request.args.to_dict(), {}, None, "")
    filled = fill(found.fields, typed, with_made(found, typed, unsealed(typed.get("sealed", ""))))
    wrong = dict(filled.wrong) or dict(found.check(filled.choices, filled.secrets))
    title, wrong_title = _title(typed, found, filled)
    if wrong_title:
        wrong["title"] = wrong_title
    proof: Proof | None = None
    if not wrong:
        proof = _try(found, filled, typed)
        if proof.problem is None or "keep_anyway" in typed:
            given = {"choices": dict(filled.choices), "secrets": dict(filled.secrets)}
            done = act("feed.new", kind=found.name, title=title, **given)
            name = str(done.result["feed"])
            if found.sign_in is not None and proof.problem is None:
                return redirect(url_for("signing_in.start", name=name), 307)
            if proof.note and proof.problem is None:
                flash(proof.note, "said")
            return redirect(url_for("feeds.show", name=name))
    return _new_page(found, typed, wrong, proof, _sealed(filled)), 422


def _try(kind: FeedKind, filled: Filled, typed: Mapping[str, str]) -> Proof:
    if "name_folder" in typed:
        act("folder.read", folder=typed["name_folder"])
    if not kind.tried:
        return Proof()
    if kind.on_machine(filled.choices):
        must_be_here(f"Trying a feed of the kind “{kind.title}”, which accesses this machine,")
    proof: Proof = runtime().call(lambda self: self.feeds.trials.probe(kind.name, filled.choices, filled.secrets))
    return proof


def _new_page(
    kind: FeedKind, typed: Mapping[str, str], wrong: Mapping[str, str], proof: Proof | None, sealed: str
) -> str:
    return render_template(
        "feeds/new.html",
        kind=kind,
        typed=typed,
        wrong=wrong,
        proof=proof,
        sealed=sealed,
        back_to=url_for("signing_in.back", _external=True),
    )


def _title(typed: Mapping[str, str], kind: FeedKind, filled: Filled) -> tuple[str, str | None]:
    given = typed.get("title", "").strip()
    if not given and not filled.wrong:
        # By where it comes from, when that reads like a name; else by its kind.
        place = kind.place(filled.choices).split("/")[0].split(":")[0].split(" ")[0]
        given = place if kind.name == "http" and place[:1].isalpha() and place != "localhost" else kind.called
    try:
        return line(60)(given or kind.called), None
    except InvalidField as error:
        return "", str(error)


def _sealed(filled: Filled) -> str:
    # A key that was typed before is kept over a failed try without standing in the page.
    return seal(filled.secrets)


def seal(given: Mapping[str, str]) -> str:
    """Keys as a page may carry them to its next try: sealed, so that they do not stand in it."""
    return store().secrets.seal(json.dumps(dict(given))).decode() if any(given.values()) else ""


def unsealed(sealed: str) -> dict[str, str]:
    """The keys that were typed before, as the page sealed them."""
    opened = store().secrets.open(sealed.encode()) if sealed else None
    return dict(json.loads(opened)) if opened else {}


def feed_row(name: str) -> FeedRow:
    """The feed of this name, or 404."""
    row = store().read(lambda session: stored.by_name(session, name))
    if row is None:
        abort(404)
    return row


@blueprint.get("/<name>", defaults={"part": NOW})
@blueprint.get(f"/<name>/<{PART}:part>")
def show(name: str, part: str) -> ResponseReturnValue:
    """A sub-page of a feed: its latest response, its settings, its part of the log, or where it can be used."""
    row = feed_row(name)
    row_id = row.id or 0
    picks, kept, rules = store().read(
        lambda session: (
            stored.signals_of(session, row_id),
            stored.secrets_of(session, row_id, store().secrets),
            stored_rules.of_feed(session, row_id),
        )
    )

    def gather(self: Runtime) -> tuple[Any, ...]:
        name = row.name
        return self.signals(trails=True), self.feeds.report(name), self.feeds.proof(name), self.links.standing(name)

    signals, report, proof, link = runtime().call(gather)
    kind = KINDS[row.kind]
    shown: dict[str, Any] = {
        "row": row,
        "kind": kind,
        "report": report,
        "proof": proof,
        "link": link,
        "gone": named_and_gone(link["scenes"]) if link and row.kind == "scene" else [],
        "picks": picks,
        "rules": rules,
        "signals": {one.name: one for one in signals},
        "now": now(),
        "typed": {key: plain_choice(value) for key, value in row.choices.items()},
        "has_secret": {key: bool(value) for key, value in kept.items()},
        "shown_in": _shown_in(kind.shown_by),
        "part": part,
        "thing": Thing(row.title, name, "feeds.show", ("Feeds", url_for("feeds.index"))),
    }
    return render_template("feeds/show.html", **shown)


def _shown_in(kind: str) -> list[tuple[str, str]]:
    """The instruments of this kind, which show what a feed tells with nothing picked from it: name and title."""
    return [(one.name, one.title) for one in runtime().call(lambda self: self.instruments.setups()) if one.kind == kind]


@blueprint.get("/<name>/state")
def state_fragment(name: str) -> ResponseReturnValue:
    """How one feed fares."""
    row = feed_row(name)
    report, proof = runtime().call(lambda self: (self.feeds.report(name), self.feeds.proof(name)))
    return render_template("feeds/_state.html", row=row, report=report, proof=proof)


@blueprint.get("/<name>/tree")
def tree_fragment(name: str) -> ResponseReturnValue:
    """What came last, as a tree."""
    proof = runtime().call(lambda self: self.feeds.proof(name))
    return render_template("feeds/_tree.html", row=feed_row(name), proof=proof)


@blueprint.post("/<name>/secret/<field>")
def secret(name: str, field: str) -> ResponseReturnValue:
    """Show a key that was asked for; it is covered again by asking again, or after twenty seconds."""
    row = feed_row(name)
    kept = store().read(lambda session: stored.secrets_of(session, row.id or 0, store().secrets))
    known = request.form.get("show") == "yes" and field in KINDS[row.kind].fields
    shown = kept.get(field) if known else None
    return render_template("feeds/_secret.html", row=row, field=field, shown=shown), 200, {"Cache-Control": "no-store"}
