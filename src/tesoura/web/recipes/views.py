"""Recipes: those that ship, one brought in, what it will do, and doing it; and saving a feed as one."""

from __future__ import annotations

from collections.abc import Mapping

import tomli_w
from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from tesoura.actions.recipes import read_recipe, recipe_asks, shipped_recipes
from tesoura.bundles.private_parts import private_parts, without
from tesoura.bundles.recipes import Recipe, document_of
from tesoura.bundles.starters import is_starter
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.forms.covering import known_in
from tesoura.core.forms.form import secret_names
from tesoura.core.names import unused
from tesoura.errors import InvalidPiece, RecipeRefused
from tesoura.links.registry import KINDS
from tesoura.runtime.facade import Runtime
from tesoura.store import feeds as stored
from tesoura.store import rules as stored_rules
from tesoura.store.tables import FeedRow, SignalRow
from tesoura.web.begin.views import starter_page
from tesoura.web.feeds.views import feed_row
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store

blueprint = Blueprint("recipes", __name__, url_prefix="/recipes")


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """The recipes that ship, and a place to bring another in."""
    return render_template("recipes/index.html", recipes=shipped_recipes(), wrong=None, text="")


@blueprint.post("/")
def bring() -> ResponseReturnValue:
    """Read a recipe that was pasted or chosen as a file, and show what it will do."""
    file = request.files.get("file")
    text = file.read().decode("utf-8", "replace") if file and file.filename else request.form.get("text", "")
    try:
        if is_starter(text):
            return starter_page(text)
        recipe = read_recipe(text)
    except RecipeRefused as error:
        return render_template("recipes/index.html", recipes=shipped_recipes(), wrong=str(error), text=text), 422
    return _preview(recipe, text, {}, {})


@blueprint.get("/<name>")
def preview(name: str) -> ResponseReturnValue:
    """What a recipe that ships will do."""
    found = next((one for one in shipped_recipes() if one.key == name), None)
    if found is None:
        abort(404)
    return _preview(read_recipe(found.text), found.text, {}, {})


def _preview(recipe: Recipe, text: str, typed: Mapping[str, str], wrong: Mapping[str, str]) -> ResponseReturnValue:
    kind = KINDS[recipe.kind]
    chosen = {key: str(value) for key, value in recipe.choices.items()}
    asked = recipe_asks(recipe)
    fixed = [
        (field.label, str(recipe.choices[name]), field.unit)
        for name, field in kind.fields.items()
        if name in recipe.choices and name not in asked and field.plays(chosen)
    ]
    computed = []
    for row in recipe.computed:
        found = COMPUTED.get(str(row.get("kind")))
        computed.append((str(row.get("name")), found.title if found else "?"))
    names = unused(recipe.name, runtime().call(Runtime.names_taken))
    page = render_template(
        "recipes/preview.html",
        recipe=recipe,
        kind=kind,
        asked=asked,
        fixed=fixed,
        computed=computed,
        text=text,
        name=names,
        typed={**chosen, **typed},
        wrong=wrong,
    )
    return page, 422 if wrong else 200


@blueprint.post("/use")
def use() -> ResponseReturnValue:
    """Do what a recipe says."""
    text = request.form.get("recipe", "")
    answers = {name: value for name, value in request.form.items() if name not in ("recipe", "csrf_token")}
    try:
        recipe = read_recipe(text)
        done = act("recipe.use", recipe=text, answers=answers)
    except RecipeRefused as error:
        return render_template("recipes/index.html", recipes=shipped_recipes(), wrong=str(error), text=text), 422
    except InvalidPiece as error:
        return _preview(recipe, text, answers, error.wrong)
    flash(done.words, "said")
    name = str(done.result["feed"])
    if KINDS[recipe.kind].sign_in is not None:
        return redirect(url_for("signing_in.start", name=name), 307)
    return redirect(url_for("feeds.show", name=name))


@blueprint.route("/of/<feed>", methods=["GET", "POST"])
def export(feed: str) -> ResponseReturnValue:
    """A feed as a recipe, to keep or to give away. Its secrets stay here; what else may be private is asked about."""
    row = feed_row(feed)
    fields = KINDS[row.kind].fields
    document = document_of(recipe_of(row))
    known = known_in(store().read(lambda session: stored.all_secrets(session, store().secrets)))
    parts = private_parts(document, {name for name, field in fields.items() if field.private}, known)
    labels = {name: field.label for name, field in fields.items()}
    if parts and request.method == "GET":
        page = render_template("recipes/before.html", row=row, parts=parts, labels=labels)
        return page, 200, {"Cache-Control": "no-store"}
    kept = request.form.getlist("keep")
    document = without(document, [part for part in parts if part.sure or part.path not in kept], labels)
    return Response(
        tomli_w.dumps(document, multiline_strings=True),
        mimetype="application/toml",
        headers={"Content-Disposition": f'attachment; filename="{feed}.toml"'},
    )


def recipe_of(row: FeedRow) -> Recipe:
    """A feed as a recipe, its secrets left out."""
    signals, rules = store().read(
        lambda session: (stored.signals_of(session, row.id or 0), stored_rules.of_feed(session, row.id or 0))
    )
    kind = KINDS[row.kind]
    secret = secret_names(kind.fields)
    return Recipe(
        row.title,
        "",
        row.kind,
        row.name,
        {key: value for key, value in row.choices.items() if key not in secret and value != ""},
        {},
        [
            {"name": one.name.partition(".")[2], "path": one.path, "unit": one.unit, "wanted": one.wanted}
            for one in signals
        ],
        [
            {"type": one.type, "items": one.items, "id": one.id_path, "time": one.time_path, "fields": dict(one.fields)}
            for one in rules
        ],
        (),
        [{"name": one.unit or one.name, "wording": _suggested(one)} for one in signals],
    )


def _suggested(one: SignalRow) -> str:
    form = ":," if one.wanted == "number" else ""
    return f"{{{one.name}{form}}} {one.unit}".strip()
