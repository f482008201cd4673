"""Formulas: small Python expressions over signals, compiled once into closures.

A formula is parsed by Python and then rebuilt from a table of permitted node types; nothing is ever handed to `eval`.
What is not in the tables of `nodes.py` and `functions.py` cannot run.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Mapping
from dataclasses import dataclass

from tesoura.core.language.nodes import Builder
from tesoura.core.language.scope import Node, Scope
from tesoura.core.values import Scalar
from tesoura.errors import FormulaError

MAX_SOURCE = 500


@dataclass(frozen=True, slots=True)
class Formula:
    """A compiled formula; `names` maps each signal it reads to the column of its first mention."""

    source: str
    names: Mapping[str, int]
    run: Node

    def evaluate(self, scope: Scope) -> Scalar:
        """The result for the present values. Raises Missing or Undefined."""
        return self.run(scope)


def compile_formula(source: str) -> Formula:
    """Compile a formula such as `match.kills / max(1, match.deaths)`. Raises FormulaError."""
    if len(source) > MAX_SOURCE:
        raise FormulaError(f"the formula has {len(source):,} characters", MAX_SOURCE + 1, f"at most {MAX_SOURCE}")
    if not source.strip():
        raise FormulaError("the formula is empty", 1, "a signal such as reach.members")
    flat = source.translate(_LINE_ENDS)
    lead = len(flat) - len(flat.lstrip())
    try:
        tree = ast.parse(flat.strip(), mode="eval")
    except SyntaxError as error:
        raise _syntax_error(flat, lead + (error.offset or 1), error.msg) from None
    except (ValueError, RecursionError, MemoryError):
        raise FormulaError("can't be read", 1, "a shorter, simpler formula") from None
    builder = Builder(flat.strip(), lead)
    run = builder.build(tree.body, 1)
    return Formula(source, builder.names, run)


_UNFINISHED = re.compile(r"([-+*/%<>=!.,]|\b(and|or|not|if|else))$")
_LINE_ENDS = {ord("\n"): " ", ord("\r"): " ", ord("\t"): " "}


def _syntax_error(source: str, column: int, message: str) -> FormulaError:
    end = source.rstrip()
    if end.count("(") > end.count(")"):
        return FormulaError("a bracket is not closed", len(end) + 1, "a closing )")
    if "expected 'else'" in message:
        return FormulaError(
            "this “if” has no “else”", len(end) + 1, "else and another value, as in 1 if a.b > 2 else 0"
        )
    if _UNFINISHED.search(end):
        return FormulaError("the formula is incomplete", len(end) + 1, "a signal, a number or a text")
    if "forgot a comma" in message and " " in source[column:]:
        # Python points at the first of two values side by side; the second is the one that does not fit.
        column = source.index(" ", column) + 2
    found = source[column - 1 :].split()
    here = f"“{found[0]}” is not allowed here" if found else "this is not allowed here"
    return FormulaError(here, column, "an operator such as +, or a bracket between values, as in reach.members * 2")
