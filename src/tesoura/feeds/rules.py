"""Making events of what a feed brings: which items, of which type, with which id, time and fields."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.instants import told_instant
from tesoura.errors import NothingPicked
from tesoura.feeds.api import Item
from tesoura.feeds.picks import is_plain, search

MAX_ITEMS = 500
MAX_FIELDS = 40
MAX_DATA_CHARACTERS = 60_000


@dataclass(frozen=True, slots=True)
class EventRule:
    """Makes an event of each of the items at `items` (of the whole message when that is empty).

    The paths are JMESPaths; `id_path`, `time_path` and `fields` start at the item. Without fields, the event has all of
    the item's plain values. `primed` says that what was there when the rule was made has been passed over.
    """

    number: int
    type: str
    items: str = ""
    id_path: str = ""
    time_path: str = ""
    fields: Mapping[str, str] = field(default_factory=dict)
    primed: bool = False


def all_plain(rules: Sequence[EventRule]) -> bool:
    """Whether all paths of these rules only go down; one list may be gone through, as in `followers[]`."""
    return all(
        is_plain(one.items.strip().removesuffix("[]").removesuffix("[*]"))
        and all(is_plain(path) for path in (one.id_path, one.time_path, *one.fields.values()))
        for one in rules
    )


def check(rule: EventRule, message: object) -> str | None:
    """What is wrong with a rule for this message, in a sentence, or None."""
    try:
        items = _items(rule, message)
        for path in (rule.id_path, rule.time_path, *rule.fields.values()):
            if path and items:
                search(items[0], path)
    except NothingPicked as error:
        return str(error)
    return None


def make_items(rule: EventRule, message: object, streamed: bool, message_id: str | None = None) -> list[Item]:
    """The items that a message makes, oldest first. One that is told again and again is known by its id.

    Without a chosen id, an item of a list is known by all that it says; a streamed message is news each time.
    """
    try:
        found = _items(rule, message)
    except NothingPicked:
        return []
    return [_item(rule, one, at, streamed, message_id) for at, one in enumerate(found[:MAX_ITEMS])]


def _items(rule: EventRule, message: object) -> list[Any]:
    found = search(message, rule.items) if rule.items.strip() else message
    if found is None:
        return []
    return found if isinstance(found, list) else [found]


def _item(rule: EventRule, one: Any, at: int, streamed: bool, message_id: str | None) -> Item:
    known = _text(_reached(one, rule.id_path)) if rule.id_path else ""
    if not known and message_id:
        known = f"{message_id}:{at}"
    if not known and not streamed:
        known = hashlib.sha256(json.dumps(one, sort_keys=True, default=str).encode()).hexdigest()[:32]
    time = told_instant(_reached(one, rule.time_path)) if rule.time_path else None
    return Item(rule.type, _data(rule, one), known[:160] or None, time)


def _data(rule: EventRule, one: Any) -> dict[str, Any]:
    if rule.fields:
        data = {name: _reached(one, path) for name, path in rule.fields.items()}
    elif isinstance(one, dict):
        data = {str(name): value for name, value in list(one.items())[:MAX_FIELDS]}
    else:
        data = {"value": one}
    if len(json.dumps(data, default=str)) > MAX_DATA_CHARACTERS:
        data = {name: value for name, value in data.items() if not isinstance(value, dict | list)}
        data = {name: value[:2_000] if isinstance(value, str) else value for name, value in data.items()}
    return {name: value for name, value in data.items() if value is not None}


def _reached(one: Any, path: str) -> Any:
    try:
        return search(one, path)
    except NothingPicked:
        return None


def _text(value: object) -> str:
    return "" if value is None or isinstance(value, dict | list) else str(value)


def known_as(rule: EventRule, item: Item) -> str:
    """Under which key an item is remembered."""
    return f"{rule.number}:{item.id}"


def news(
    rules: Sequence[EventRule], message: object, streamed: bool, seen: set[str], message_id: str | None = None
) -> tuple[list[Item], list[str], list[int]]:
    """What a message brings that was not there before.

    Gives the items to make events of, the keys of all items that are there, and the rules whose first look this was.
    """
    new: list[Item] = []
    keys: list[str] = []
    first: list[int] = []
    for rule in rules:
        quiet = not streamed and not rule.primed
        for item in make_items(rule, message, streamed, message_id):
            if item.id is None:
                new.append(item)
                continue
            key = known_as(rule, item)
            if key not in seen and key not in keys and not quiet:
                new.append(item)
            keys.append(key)
        if quiet:
            first.append(rule.number)
    return new, keys, first
