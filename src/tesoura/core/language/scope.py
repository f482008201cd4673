"""What a formula is computed from, and what it says when it cannot be compiled or computed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from tesoura.core.language.numbers import ENGLISH, NumberStyle
from tesoura.core.values import Scalar


class Missing(LookupError):
    """The formula needs a signal that has no value yet; `name` is that signal."""

    def __init__(self, name: str) -> None:
        super().__init__(name)
        self.name = name


@dataclass(frozen=True, slots=True)
class Scope:
    """What a formula is computed from: the present values by signal name, and the user's way of writing numbers."""

    values: Mapping[str, Scalar]
    style: NumberStyle = ENGLISH


Node = Callable[[Scope], Scalar]
