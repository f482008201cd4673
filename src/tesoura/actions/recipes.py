"""Recipes: doing what one says."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from importlib import resources
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.feed_setup import add_feed, filled_in, may_reach
from tesoura.actions.roles import SET_UP
from tesoura.bundles.private_parts import YOURS
from tesoura.bundles.recipes import MAX_CHARACTERS, Recipe, read
from tesoura.core.computed.definitions import COMPUTED, build
from tesoura.core.forms.checks import group, text
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import Filled, fill, secret_names
from tesoura.core.names import unused
from tesoura.errors import FormulaError, InvalidPiece, RecipeRefused
from tesoura.feeds.api import FeedKind
from tesoura.links.registry import KINDS
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored
from tesoura.store.tables import RuleRow, SignalRow


def read_recipe(written: str) -> Recipe:
    """The recipe in a text. Raises RecipeRefused."""
    return read(written, {kind.name: secret_names(kind.fields) for kind in KINDS.values()})


@dataclass(frozen=True, slots=True)
class ShippedRecipe:
    """A recipe that ships: its key, its title and what it is about."""

    key: str
    title: str
    about: str
    text: str


@lru_cache(maxsize=1)
def _texts() -> tuple[tuple[str, str], ...]:
    folder = resources.files("tesoura").joinpath("bundles", "shipped")
    return tuple(
        (one.name.removesuffix(".toml"), one.read_text("utf-8"))
        for one in sorted(folder.iterdir(), key=lambda one: one.name)
        if one.name.endswith(".toml")
    )


def shipped_recipes() -> list[ShippedRecipe]:
    """Return all recipes that ship, by title."""
    found = []
    for key, written in _texts():
        recipe = read_recipe(written)
        found.append(ShippedRecipe(key, recipe.title, recipe.about, written))
    return sorted(found, key=lambda one: one.title)


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


def recipe_asks(recipe: Recipe) -> dict[str, Field]:
    """What must be asked to set a recipe's feed up: what it says, its keys, and what is needed and not said in it."""
    kind = KINDS[recipe.kind]
    standing = {name: str(value) for name, value in recipe.choices.items()}
    needed: Mapping[str, str] = {}
    try:
        recipe_filled(recipe, {})
    except InvalidPiece as error:
        needed = error.wrong
    asked = {}
    for name, one in kind.fields.items():
        follows = one.only_if is not None and one.only_if[0] in recipe.ask
        is_key = one.kind == "secret" and (
            follows or (one.plays({**_defaults(kind), **standing}) and (one.only_if is not None or not one.advanced))
        )
        if name in recipe.ask or name in needed or is_key:
            asked[name] = replace(one, advanced=False, only_if=one.only_if if follows else None)
    return asked


def _defaults(kind: FeedKind) -> dict[str, str]:
    return {name: str(one.default) for name, one in kind.fields.items()}


def recipe_filled(recipe: Recipe, answers: Mapping[str, Any]) -> Filled:
    """The form of a recipe's feed with these answers. Raises InvalidPiece."""
    kind = KINDS[recipe.kind]
    given = {name: value for name, value in answers.items() if value != "" or name in recipe.ask}
    typed = {**{key: str(value) for key, value in recipe.choices.items()}, **given}
    if unanswered := {name: f"Replace {YOURS} with your own." for name, value in typed.items() if YOURS in value}:
        raise InvalidPiece(unanswered)
    return filled_in(kind, typed, {})


async def _use(doing: Doing, given: Given) -> Done:
    return await follow(doing, read_recipe(given["recipe"]), given["answers"])


async def follow(doing: Doing, recipe: Recipe, answers: Mapping[str, Any]) -> Done:
    """Do what a recipe says. Raises InvalidPiece for answers that are wrong, RecipeRefused, and NotYours."""
    kind, filled = KINDS[recipe.kind], recipe_filled(recipe, answers)
    may_reach(doing, kind, filled.choices)
    try:
        definitions = _definitions(recipe)
    except (FormulaError, KeyError, ValueError, TypeError) as error:
        raise RecipeRefused(f"A computed signal in it can't be read: {error}.") from None
    in_use = doing.runtime.names_taken()

    def job(session: Session) -> tuple[str, list[int]]:
        name = unused(recipe.name, stored.names_taken(session) | in_use)
        row = add_feed(session, name, recipe.title[:60], filled, kind, doing)
        _picks(session, recipe, kind.suggested(filled.choices), name, row.id or 0)
        return name, _computed(session, recipe, definitions, name, in_use, doing)

    name, row_ids = await doing.write(job)
    await doing.runtime.refresh_feed(name)
    for row_id in row_ids:
        await doing.runtime.refresh_computed(row_id)
    return Done(f"{recipe.title} is set up.", {"feed": name}, Call("feed.remove", {"feed": name}))


def _picks(session: Session, recipe: Recipe, suggested: Sequence[Any], name: str, feed_id: int) -> None:
    """The signals and rules of a recipe, for the feed that was made of it."""
    signals = {
        one["name"]: SignalRow(
            name=f"{name}.{one['name']}",
            feed_id=feed_id,
            path=one["path"][:500],
            unit=one.get("unit", "")[:60],
            wanted="text" if one.get("wanted") == "text" else "number",
        )
        for one in recipe.signals
    }
    for one in suggested:
        signals.setdefault(
            one.field,
            SignalRow(name=f"{name}.{one.field}", feed_id=feed_id, path=one.path, unit=one.unit, wanted=one.wanted),
        )
    session.add_all(signals.values())
    session.add_all(
        RuleRow(
            feed_id=feed_id,
            type=str(one.get("type", "event"))[:120],
            items=str(one.get("items", "")),
            id_path=str(one.get("id", "")),
            time_path=str(one.get("time", "")),
            fields={str(key): str(path) for key, path in dict(one.get("fields", {})).items()},
        )
        for one in recipe.events
    )


def _computed(
    session: Session,
    recipe: Recipe,
    definitions: Sequence[tuple[str, str, Mapping[str, Any]]],
    name: str,
    in_use: set[str],
    doing: Doing,
) -> list[int]:
    mine = re.compile(rf"\b{re.escape(recipe.name)}\.")
    taken = in_use | {name} | {one.name for one in stored_computed.all_computed(session)}
    ids = []
    for kind, wanted, choices in definitions:
        free = wanted if kind == "formula" else unused(wanted, taken)
        taken.add(free)
        # A feed of this name was there already: what reads the recipe's feed reads the new one.
        own = {key: mine.sub(f"{name}.", value) if isinstance(value, str) else value for key, value in choices.items()}
        ids.append(stored_computed.keep(session, None, kind, free, own, doing.now()).id or 0)
    return ids


USE = Action(
    "recipe.use",
    "Do what a recipe says",
    "Connect its feed with all that belongs to it; `answers` to what it asks.",
    {
        "recipe": Field("Recipe, as TOML", text(MAX_CHARACTERS), kind="data"),
        "answers": Field("Answers", group, kind="data"),
    },
    _use,
    noted=True,
    may=SET_UP,
)

ALL = (USE,)
