"""Recipes: a feed with its signals, events, computed signals and suggested wordings, as TOML, without secrets."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.forms.covering import keys_in
from tesoura.core.names import is_part
from tesoura.errors import RecipeRefused

VERSION = 1
MAX_CHARACTERS = 60_000
SECRET_LIKE = re.compile(r"(?:^|_)(key|token|tokens|secret|password|passwd|authorization|credential)s?$", re.IGNORECASE)
NOT_SECRETS = frozenset({"key_in", "key_name", "key_up", "key_down", "signed"})


@dataclass(frozen=True, slots=True)
class Recipe:
    """What a recipe sets up. `ask` are the fields that whoever uses it fills in, with the words to ask by."""

    title: str
    about: str
    kind: str
    name: str
    choices: Mapping[str, Any]
    ask: Mapping[str, str] = field(default_factory=dict)
    signals: Sequence[Mapping[str, str]] = ()
    events: Sequence[Mapping[str, Any]] = ()
    computed: Sequence[Mapping[str, Any]] = ()
    wordings: Sequence[Mapping[str, str]] = ()


def read(text: str, kinds: Mapping[str, Sequence[str]]) -> Recipe:
    """The recipe in a TOML text. `kinds` maps each kind of feed to its secret fields. Raises RecipeRefused."""
    return recipe_of(opened(text, VERSION), kinds)


def recipe_of(document: Mapping[str, Any], kinds: Mapping[str, Sequence[str]]) -> Recipe:
    """The recipe that a document is, its version aside. Raises RecipeRefused."""
    feed = table_in(document, "feed")
    kind = str(feed.get("kind", ""))
    if kind not in kinds:
        near = f"“{kind[:40]}”" if kind else "none"
        raise RecipeRefused(f"It's for an unknown kind of feed: {near}. There are: {', '.join(sorted(kinds))}.")
    refuse_secrets(document, kinds[kind])
    name = str(feed.get("name", kind))
    if not is_part(name):
        raise RecipeRefused(f"The feed's name “{name[:40]}” is not valid: use lower case letters, digits and _.")
    return Recipe(
        str(document.get("title", name))[:80],
        str(document.get("about", ""))[:600],
        kind,
        name,
        table_in(feed, "choices"),
        {str(key): str(words) for key, words in table_in(feed, "ask").items()},
        _signals(document, name),
        rows_in(document, "event"),
        rows_in(document, "computed"),
        [{key: str(value) for key, value in row.items()} for row in rows_in(document, "wording")],
    )


def opened(text: str, newest: int) -> Mapping[str, Any]:
    """The document in a recipe's text, whose version is `newest` at most. Raises RecipeRefused."""
    if len(text) > MAX_CHARACTERS:
        raise RecipeRefused("This is too long for a recipe. Check the file.")
    try:
        document = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise RecipeRefused(f"Not valid TOML: {error}.") from None
    version = document.get("version")
    if not isinstance(version, int) or isinstance(version, bool):
        raise RecipeRefused("This is not a recipe: “version = 1” is missing.")
    if version > newest:
        raise RecipeRefused(
            f"This recipe is for a newer Tesoura (version {version}; this one reads {newest}). Update Tesoura."
        )
    return document


def table_in(document: Mapping[str, Any], name: str) -> Mapping[str, Any]:
    """A table of a document; an empty one where there is none. Raises RecipeRefused."""
    table = document.get(name, {})
    if not isinstance(table, Mapping):
        raise RecipeRefused(f"“{name}” must be a table: [{name}].")
    return table


def rows_in(document: Mapping[str, Any], name: str) -> Sequence[Mapping[str, Any]]:
    """A list of tables of a document. Raises RecipeRefused."""
    rows = document.get(name, [])
    if not isinstance(rows, list) or not all(isinstance(row, Mapping) for row in rows) or len(rows) > 100:
        raise RecipeRefused(f"“{name}” must be a list of at most 100 tables: [[{name}]].")
    return rows


def _signals(document: Mapping[str, Any], feed: str) -> Sequence[Mapping[str, str]]:
    signals = [{key: str(value) for key, value in row.items()} for row in rows_in(document, "signal")]
    for row in signals:
        if not is_part(row.get("name", "")) or not row.get("path"):
            shown = row.get("name", "")[:40]
            raise RecipeRefused(f"A signal needs a lower-case name and a path; “{shown}” of {feed} has not both.")
    return signals


def refuse_secrets(document: Mapping[str, Any], secret_fields: Sequence[str]) -> None:
    """See that no secret stands in a document. Raises RecipeRefused, which says where one does."""
    for path, value in _leaves(document, ""):
        last = path.rpartition(".")[2]
        secret = last in secret_fields or (SECRET_LIKE.search(last) and last not in NOT_SECRETS)
        if path.startswith("feed.ask."):
            secret = False
        if (secret and value) or (isinstance(value, str) and any(one.sure for one in keys_in(value))):
            raise RecipeRefused(
                f"It contains a secret at “{path}”. Anyone with the recipe could use that key. "
                "Remove it, and have its owner replace the key."
            )


def _leaves(value: Any, path: str) -> list[tuple[str, Any]]:
    if isinstance(value, Mapping):
        return [leaf for key, one in value.items() for leaf in _leaves(one, f"{path}.{key}" if path else str(key))]
    if isinstance(value, list):
        return [leaf for one in value for leaf in _leaves(one, path)]
    return [(path, value)]


def document_of(recipe: Recipe) -> dict[str, Any]:
    """The recipe as a document that TOML can write."""
    feed: dict[str, Any] = {"kind": recipe.kind, "name": recipe.name}
    if recipe.ask:
        feed["ask"] = dict(recipe.ask)
    feed["choices"] = {key: value for key, value in recipe.choices.items() if value is not None}
    document: dict[str, Any] = {"version": VERSION, "title": recipe.title, "about": recipe.about, "feed": feed}
    for name, rows in (
        ("signal", recipe.signals),
        ("event", recipe.events),
        ("computed", recipe.computed),
        ("wording", recipe.wordings),
    ):
        if rows:
            document[name] = [dict(row) for row in rows]
    return document
