"""Recipes: those that ship, one brought in, what it will do, and doing it; and saving a feed as one."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

import tomli_w
from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.bundles.recipes import Recipe, document_of, read
from tesoura.core.computed.definitions import COMPUTED, build
from tesoura.core.forms.form import Filled, fill, secret_names
from tesoura.core.names import unused
from tesoura.errors import FormulaError, RecipeRefused
from tesoura.feeds.registry import KINDS
from tesoura.runtime.facade import Runtime
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored
from tesoura.store import rules as stored_rules
from tesoura.store.tables import FeedRow, RuleRow, SignalRow
from tesoura.web.feeds.views import feed_row
from tesoura.web.shared.doors import now, runtime, store

blueprint = Blueprint("recipes", __name__, url_prefix="/recipes")


@dataclass(frozen=True, slots=True)
class Shipped:
    """A recipe that ships: its key, its title and what it is about."""

    key: str
    title: str
    about: str
    text: str


def _secret_fields() -> dict[str, list[str]]:
    return {kind.name: secret_names(kind.fields) for kind in KINDS.values()}


@lru_cache(maxsize=1)
def _texts() -> tuple[tuple[str, str], ...]:
    folder = resources.files("tesoura").joinpath("bundles", "shipped")
    return tuple(
        (one.name.removesuffix(".toml"), one.read_text("utf-8"))
        for one in sorted(folder.iterdir(), key=lambda one: one.name)
        if one.name.endswith(".toml")
    )


def shipped() -> list[Shipped]:
    """All recipes that ship."""
    found = []
    for key, text in _texts():
        recipe = read(text, _secret_fields())
        found.append(Shipped(key, recipe.title, recipe.about, text))
    return sorted(found, key=lambda one: one.title)


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """The recipes that ship, and a place to bring another in."""
    return render_template("recipes/index.html", recipes=shipped(), wrong=None, text="")


@blueprint.post("/")
def bring() -> ResponseReturnValue:
    """Read a recipe that was pasted or chosen as a file, and show what it will do."""
    file = request.files.get("file")
    text = file.read().decode("utf-8", "replace") if file and file.filename else request.form.get("text", "")
    try:
        recipe = read(text, _secret_fields())
    except RecipeRefused as error:
        return render_template("recipes/index.html", recipes=shipped(), wrong=str(error), text=text), 422
    return _preview(recipe, text, {}, {})


@blueprint.get("/<name>")
def preview(name: str) -> ResponseReturnValue:
    """What a recipe that ships will do."""
    found = next((one for one in shipped() if one.key == name), None)
    if found is None:
        abort(404)
    return _preview(read(found.text, _secret_fields()), found.text, {}, {})


def _preview(recipe: Recipe, text: str, typed: Mapping[str, str], wrong: Mapping[str, str]) -> ResponseReturnValue:
    kind = KINDS[recipe.kind]
    chosen = {key: str(value) for key, value in recipe.choices.items()}
    asked = {
        name: field for name, field in kind.fields.items()
        if field.plays({**chosen, **typed})
        and (name in recipe.ask or (field.kind == "secret" and not field.advanced))
    }  # fmt: skip
    fixed = [
        (field.label, str(recipe.choices[name]), field.unit)
        for name, field in kind.fields.items()
        if name in recipe.choices and name not in recipe.ask and field.plays(chosen)
    ]
    computed = []
    for row in recipe.computed:
        found = COMPUTED.get(str(row.get("kind")))
        computed.append((str(row.get("name")), found.title if found else "?"))
    names = unused(recipe.name, runtime().call(Runtime.names_taken))
    page = render_template(
        "recipes/preview.html", recipe=recipe, kind=kind, asked=asked, fixed=fixed, computed=computed, text=text,
        name=names, typed={**chosen, **typed}, wrong=wrong,
    )  # fmt: skip
    return page, 422 if wrong else 200


@blueprint.post("/use")
def use() -> ResponseReturnValue:
    """Do what a recipe says."""
    text = request.form.get("recipe", "")
    try:
        recipe = read(text, _secret_fields())
    except RecipeRefused as error:
        return render_template("recipes/index.html", recipes=shipped(), wrong=str(error), text=text), 422
    kind = KINDS[recipe.kind]
    asked = {*recipe.ask, *secret_names(kind.fields)}
    typed = {**{key: str(value) for key, value in recipe.choices.items()},
             **{key: value for key, value in request.form.items() if key in asked}}  # fmt: skip
    filled = fill(kind.fields, typed)
    wrong = dict(filled.wrong) or dict(kind.check(filled.choices))
    if wrong:
        return _preview(recipe, text, typed, wrong)
    try:
        definitions = _definitions(recipe)
    except (FormulaError, KeyError, ValueError, TypeError) as error:
        return render_template(
            "recipes/index.html", recipes=shipped(), wrong=f"A computed signal in it cannot be read: {error}.",
            text=text,
        ), 422  # fmt: skip
    name, row_ids = _set_up(recipe, filled, definitions)
    runtime().call(Runtime.refresh_feed, name)
    for row_id in row_ids:
        runtime().call(Runtime.refresh_computed, row_id)
    flash(f"{recipe.title} is set up.", "said")
    if kind.sign_in is not None:
        return redirect(url_for("signing_in.start", name=name), 307)
    return redirect(url_for("feeds.show", name=name))


def _definitions(recipe: Recipe) -> list[tuple[str, str, dict[str, Any]]]:
    made = []
    for row in recipe.computed:
        kind, name = str(row["kind"]), str(row["name"])
        choices = {key: value for key, value in row.items() if key not in ("kind", "name")}
        filled = fill(COMPUTED[kind].fields, choices)
        if filled.wrong:
            raise ValueError(f"{name}: {next(iter(filled.wrong.values()))}")
        build(kind, name, filled.choices)
        made.append((kind, name, dict(filled.choices)))
    return made


def _set_up(
    recipe: Recipe, filled: Filled, definitions: list[tuple[str, str, dict[str, Any]]]
) -> tuple[str, list[int]]:
    in_use, at, secrets = runtime().call(Runtime.names_taken), now(), store().secrets
    kind = KINDS[recipe.kind]

    def job(session: Session) -> tuple[str, list[int]]:
        name = unused(recipe.name, stored.names_taken(session) | in_use)
        mine = re.compile(rf"\b{re.escape(recipe.name)}\.")
        row = stored.add_feed(session, name, recipe.title[:60], recipe.kind, filled.choices, at)
        if kind.receive is not None:
            row.token = stored.new_token()
        stored.keep_secrets(session, row.id or 0, filled.secrets, secrets)
        signals = {
            one["name"]: SignalRow(name=f"{name}.{one['name']}", feed_id=row.id or 0, path=one["path"][:500],
                                   unit=one.get("unit", "")[:60],
                                   wanted="text" if one.get("wanted") == "text" else "number")
            for one in recipe.signals
        }  # fmt: skip
        for one in kind.suggested(filled.choices):
            signals.setdefault(one.field, SignalRow(name=f"{name}.{one.field}", feed_id=row.id or 0, path=one.path,
                                                    unit=one.unit, wanted=one.wanted))  # fmt: skip
        session.add_all(signals.values())
        session.add_all(
            RuleRow(feed_id=row.id or 0, type=str(one.get("type", "event"))[:120], items=str(one.get("items", "")),
                    id_path=str(one.get("id", "")), time_path=str(one.get("time", "")),
                    fields={str(key): str(path) for key, path in dict(one.get("fields", {})).items()})
            for one in recipe.events
        )  # fmt: skip
        taken = in_use | {name} | {one.name for one in stored_computed.all_computed(session)}
        ids = []
        for computed_kind, wanted, choices in definitions:
            free = wanted if computed_kind == "formula" else unused(wanted, taken)
            taken.add(free)
            # A feed of this name was there already: what reads the recipe's feed reads the new one.
            own = {key: mine.sub(f"{name}.", value) if isinstance(value, str) else value
                   for key, value in choices.items()}  # fmt: skip
            ids.append(stored_computed.keep(session, None, computed_kind, free, own, at).id or 0)
        return name, ids

    return store().write(job)


@blueprint.get("/of/<feed>")
def export(feed: str) -> ResponseReturnValue:
    """A feed as a recipe, to keep or to give away. Its secrets stay here."""
    row = feed_row(feed)
    text = tomli_w.dumps(document_of(_recipe_of(row)), multiline_strings=True)
    return Response(
        text, mimetype="application/toml", headers={"Content-Disposition": f'attachment; filename="{feed}.toml"'}
    )


def _recipe_of(row: FeedRow) -> Recipe:
    signals, rules = store().read(
        lambda session: (stored.signals_of(session, row.id or 0), stored_rules.of_feed(session, row.id or 0))
    )
    kind = KINDS[row.kind]
    secret = secret_names(kind.fields)
    return Recipe(
        row.title, "", row.kind, row.name,
        {key: value for key, value in row.choices.items() if key not in secret and value != ""},
        {},
        [{"name": one.name.partition(".")[2], "path": one.path, "unit": one.unit, "wanted": one.wanted}
         for one in signals],
        [{"type": one.type, "items": one.items, "id": one.id_path, "time": one.time_path, "fields": dict(one.fields)}
         for one in rules],
        (),
        [{"name": one.unit or one.name, "wording": _suggested(one)} for one in signals],
    )  # fmt: skip


def _suggested(one: SignalRow) -> str:
    form = ":," if one.wanted == "number" else ""
    return f"{{{one.name}{form}}} {one.unit}".strip()
