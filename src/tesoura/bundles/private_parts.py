"""What of a recipe may be its maker's alone: keys in the wrong field, his folders, addresses that open for anybody."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from tesoura.core.forms.covering import COVER, covered, keys_in

YOURS = "PUT-YOURS-HERE"
"""What stands where a key stood. A recipe is not set up before it is replaced."""
CHOICES = "feed.choices."


@dataclass(frozen=True, slots=True)
class Part:
    """A text of a recipe that may be private.

    `path` says where it stands, `feed.choices.address`; `covered` is it to look at, `left` what stays when it is left
    out. `sure` when it is a key beyond doubt, which never leaves.
    """

    path: str
    text: str
    covered: str
    left: str
    sure: bool


def private_parts(document: Mapping[str, Any], private: Collection[str], known: Sequence[str]) -> list[Part]:
    """All in a recipe's document that may be private; `private` names the choices that are as a whole."""
    parts = []
    for path, text in _texts(document, ""):
        found = keys_in(text, known)
        if path.removeprefix(CHOICES) in private and text:
            parts.append(Part(path, text, _outline(text), "", any(one.sure for one in found)))
        elif found:
            sure = any(one.sure for one in found)
            parts.append(Part(path, text, covered(text, found), covered(text, found, YOURS), sure))
    return parts


def _outline(text: str) -> str:
    """A private text to look at: of an address its host, of a path its file, of anything else nothing."""
    if "://" in text:
        return f"{urlsplit(text).netloc.rpartition('@')[2]}/{COVER}"
    return f"{COVER}/{name}" if (name := text.replace("\\", "/").rpartition("/")[2]) and name != text else COVER


def without(document: Mapping[str, Any], parts: Sequence[Part], labels: Mapping[str, str]) -> dict[str, Any]:
    """The document with these parts left out. Whoever uses it is asked for the choices among them, by their labels."""
    left = {part.path: part.left for part in parts}
    rest: dict[str, Any] = _replaced(document, "", left)
    choices, ask = rest["feed"]["choices"], rest["feed"].setdefault("ask", {})
    for part in parts:
        name = part.path.removeprefix(CHOICES)
        if name in choices:
            label = labels.get(name, name)
            ask[name] = f"{label}, with your own in place of {YOURS}" if part.left else label
            if not part.left:
                del choices[name]
    if not ask:
        del rest["feed"]["ask"]
    return rest


def _texts(value: Any, path: str) -> Iterator[tuple[str, str]]:
    if isinstance(value, str):
        yield path, value
    for key, inside in _inside(value):
        yield from _texts(inside, f"{path}.{key}" if path else key)


def _inside(value: Any) -> list[tuple[str, Any]]:
    if isinstance(value, Mapping):
        return [(str(key), one) for key, one in value.items()]
    return [(str(index), one) for index, one in enumerate(value)] if isinstance(value, list) else []


def _replaced(value: Any, path: str, by: Mapping[str, str]) -> Any:
    if isinstance(value, str):
        return by.get(path, value)
    if isinstance(value, Mapping):
        return {key: _replaced(one, f"{path}.{key}" if path else str(key), by) for key, one in value.items()}
    if isinstance(value, list):
        return [_replaced(one, f"{path}.{index}", by) for index, one in enumerate(value)]
    return value
