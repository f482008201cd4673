"""Routes whose addresses are built only when somebody asks for one.

Werkzeug compiles two builders for each route when it is bound; with all of Tesoura's that is a good part of the start.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from werkzeug.routing import Rule

Builder = Callable[..., tuple[str, str]]


class LazyRule(Rule):
    """A route that compiles what builds its address at the first use."""

    def _compile_builder(self, append_unknown: bool = True) -> Builder:
        compiled: list[Builder] = []

        def build(rule: LazyRule, /, *args: Any, **values: Any) -> tuple[str, str]:
            if not compiled:
                compiled.append(super()._compile_builder(append_unknown))
            return compiled[0](rule, *args, **values)

        return build
