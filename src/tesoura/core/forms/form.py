"""How a kind of feed describes itself to the page that sets it up."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from tesoura.errors import InvalidField


@dataclass(frozen=True, slots=True)
class FormField:
    """One field of a form.

    `kind` is `text`, `number`, `choice`, `several`, `area`, `wide`, `secret`, or one of those that offer what there is:
    `signal`, `events`, `datum` (a field of events' data), `formula`, `instant`, `program`, `sound`, `scene`,
    `picture`, `tags`, `means`, `player`. `check` turns what was typed
    into a value or raises InvalidField. `only_if` names another field and the values of it with which this one is asked
    for; `advanced` ones are folded away. `group` is the heading it stands under.
    """

    name: str
    label: str
    check: Callable[[object], Any]
    kind: str = "text"
    default: str = ""
    help: str = ""
    placeholder: str = ""
    unit: str = ""
    options: Sequence[tuple[str, str]] = ()
    only_if: tuple[str, Sequence[str]] | None = None
    advanced: bool = False
    group: str = ""

    def asked(self, typed: Mapping[str, object]) -> bool:
        """Whether this field plays a part, with these choices."""
        return self.only_if is None or str(typed.get(self.only_if[0], "")) in self.only_if[1]


@dataclass(frozen=True, slots=True)
class Filled:
    """A form as filled in: its choices, its secrets, and what is wrong by field."""

    choices: Mapping[str, Any] = field(default_factory=dict)
    secrets: Mapping[str, str] = field(default_factory=dict)
    wrong: Mapping[str, str] = field(default_factory=dict)


def fill(fields: Sequence[FormField], typed: Mapping[str, object], kept: Mapping[str, str] | None = None) -> Filled:
    """Check what was typed. A secret left empty keeps the one in `kept`; a field not asked for falls away."""
    choices: dict[str, Any] = {}
    secrets: dict[str, str] = {}
    wrong: dict[str, str] = {}
    standing = {**{one.name: one.default for one in fields}, **typed}
    for one in fields:
        if not one.asked(standing):
            if one.kind == "secret":
                secrets[one.name] = ""
            continue
        raw = typed.get(one.name, one.default)
        if one.kind == "secret" and not raw:
            raw = (kept or {}).get(one.name, "")
        try:
            value = one.check(raw)
        except InvalidField as error:
            wrong[one.name] = str(error)
            continue
        (secrets if one.kind == "secret" else choices)[one.name] = value
    return Filled(choices, secrets, wrong)
