"""A payload as a tree that a person can pick from; each leaf knows the JMESPath that reaches it."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass

MAX_NODES = 400
MAX_ITEMS = 30
MAX_DEPTH = 12
_BARE = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")


@dataclass(frozen=True, slots=True)
class TreeNode:
    """One line of the tree. A branch has `children`; a leaf has `shown` and can be picked when `kind` is a value's.

    `kind` is `number`, `text`, `flag`, `nothing`, `group` or `list`; `left_out` counts the children not shown.
    """

    label: str
    path: str
    kind: str
    shown: str = ""
    children: tuple[TreeNode, ...] = ()
    left_out: int = 0


def tree(payload: object) -> TreeNode:
    """The payload's tree, at most 400 lines and 30 children a branch."""
    return _node("", "@", payload, 0, _Budget(MAX_NODES))


class _Budget:
    def __init__(self, left: int) -> None:
        self.left = left


_KINDS = ((bool, "flag"), (int, "number"), (float, "number"), (str, "text"), (type(None), "nothing"))


def _node(label: str, path: str, value: object, depth: int, budget: _Budget) -> TreeNode:
    budget.left -= 1
    if not isinstance(value, dict | list):
        kind = next((name for python, name in _KINDS if isinstance(value, python)), "text")
        shown = json.dumps(value, ensure_ascii=False)
        return TreeNode(label, path, kind, shown if len(shown) <= 80 else shown[:78] + '…"')
    kind = "group" if isinstance(value, dict) else "list"
    pairs = list(_children(value, path))
    children: list[TreeNode] = []
    if depth < MAX_DEPTH:
        for name, inner_path, inner in pairs[:MAX_ITEMS]:
            if budget.left <= 0:
                break
            children.append(_node(name, inner_path, inner, depth + 1, budget))
    return TreeNode(label, path, kind, _size(value), tuple(children), len(pairs) - len(children))


def _children(value: dict[str, object] | list[object], path: str) -> Iterator[tuple[str, str, object]]:
    if isinstance(value, dict):
        before = "" if path == "@" else f"{path}."
        for name, inner in value.items():
            yield str(name), before + quoted(str(name)), inner
    else:
        for index, inner in enumerate(value):
            yield f"{index + 1}.", f"{'' if path == '@' else path}[{index}]", inner


def _size(value: dict[str, object] | list[object]) -> str:
    count = len(value)
    if isinstance(value, dict):
        return "" if count else "empty"
    return f"{count} {'entry' if count == 1 else 'entries'}"


def quoted(name: str) -> str:
    """A field's name as JMESPath writes it: bare where it may be, else as a JSON string."""
    return name if _BARE.fullmatch(name) else json.dumps(name)


def suggested_name(path: str) -> str:
    """The last name in a path, as a start for a signal's name: `channels[0].member_count` gives `member_count`."""
    found = re.findall(r'"((?:[^"\\]|\\.)*)"|([A-Za-z_][A-Za-z0-9_]*)', path)
    last = found[-1] if found else ("", "")
    return last[0] or last[1] or "value"
