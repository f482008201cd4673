"""Formulas: small Python expressions over signals, compiled once into closures.

A formula is parsed by Python and then rebuilt from a table of permitted node types; nothing is ever handed to `eval`.
What is not in the tables below cannot run.
"""

from __future__ import annotations

import ast
import math
import operator
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from tesoura.core.functions import FUNCTIONS, Undefined
from tesoura.core.names import is_part
from tesoura.core.numbers import ENGLISH, NumberStyle
from tesoura.core.values import MAX_NUMBER, MAX_TEXT, Scalar

MAX_SOURCE = 500
MAX_DEPTH = 24
MAX_EXPONENT = 64


class FormulaError(ValueError):
    """A formula that cannot be compiled. `column` counts from 1; `expected` is what would stand there."""

    def __init__(self, problem: str, column: int, expected: str) -> None:
        super().__init__(f"Column {column}: {problem}. Expected {expected}.")
        self.problem, self.column, self.expected = problem, column, expected

    def shifted(self, columns: int) -> FormulaError:
        """The same error in a text where the formula starts `columns` further right."""
        return FormulaError(self.problem, self.column + columns, self.expected)


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
        raise FormulaError("there is nothing here", 1, "a signal such as reach.members")
    flat = source.translate(_LINE_ENDS)
    lead = len(flat) - len(flat.lstrip())
    try:
        tree = ast.parse(flat.strip(), mode="eval")
    except SyntaxError as error:
        raise _syntax_error(flat, lead + (error.offset or 1), error.msg) from None
    except (ValueError, RecursionError, MemoryError):
        raise FormulaError("this cannot be read", 1, "a shorter, simpler formula") from None
    builder = _Builder(flat.strip(), lead)
    run = builder.build(tree.body, 1)
    return Formula(source, builder.names, run)


_UNFINISHED = re.compile(r"([-+*/%<>=!.,]|\b(and|or|not|if|else))$")
_LINE_ENDS = {ord("\n"): " ", ord("\r"): " ", ord("\t"): " "}


def _syntax_error(source: str, column: int, message: str) -> FormulaError:
    end = source.rstrip()
    if end.count("(") > end.count(")"):
        return FormulaError("a bracket is left open", len(end) + 1, "a closing )")
    if "expected 'else'" in message:
        return FormulaError(
            "this “if” has no “else”", len(end) + 1, "else and another value, as in 1 if a.b > 2 else 0"
        )
    if _UNFINISHED.search(end):
        return FormulaError("the formula stops too soon", len(end) + 1, "a signal, a number or a text")
    if "forgot a comma" in message and " " in source[column:]:
        # Python points at the first of two values side by side; the second is the one that does not fit.
        column = source.index(" ", column) + 2
    found = source[column - 1 :].split()
    here = f"“{found[0]}” does not fit here" if found else "this does not fit here"
    return FormulaError(here, column, "a sign such as + or a bracket between values, as in reach.members * 2")


_ARITHMETIC: Mapping[type[ast.operator], Callable[[int | float, int | float], int | float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.FloorDiv: operator.floordiv,
    ast.Mod: operator.mod,
    ast.Pow: operator.pow,
}
_COMPARISONS: Mapping[type[ast.cmpop], Callable[[Scalar, Scalar], bool]] = {
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
}


class _Builder:
    """Rebuilds a parsed formula out of closures, one method a kind of node."""

    def __init__(self, source: str, lead: int) -> None:
        self.names: dict[str, int] = {}
        self._bytes, self._lead = source.encode(), lead

    def column(self, node: ast.AST) -> int:
        """Where the node stands in the source, counted in characters from 1."""
        before = self._bytes[: getattr(node, "col_offset", 0)]
        return self._lead + len(before.decode(errors="ignore")) + 1

    def build(self, node: ast.expr, depth: int) -> Node:
        """The closure for one node."""
        if depth > MAX_DEPTH:
            raise FormulaError("too many brackets inside one another", self.column(node), "a simpler formula")
        build = _BUILDERS.get(type(node))
        if build is None:
            what = _REFUSED.get(type(node), "this")
            raise FormulaError(
                f"{what} cannot be used in a formula", self.column(node), "signals, numbers, texts and functions"
            )
        return build(self, node, depth + 1)

    def constant(self, node: ast.Constant, _: int) -> Node:
        """A number, a text, True or False."""
        value = node.value
        if not isinstance(value, int | float | str) or (isinstance(value, str) and len(value) > MAX_TEXT):
            raise FormulaError("this cannot be used in a formula", self.column(node), "a number or a text")
        if not isinstance(value, str) and not -MAX_NUMBER < value < MAX_NUMBER:
            raise FormulaError("the number is too large", self.column(node), "at most 30 digits")
        return lambda scope: value

    def name(self, node: ast.Name, _: int) -> Node:
        """A bare name is never a signal, so this only explains."""
        if node.id in FUNCTIONS:
            raise FormulaError(f"{node.id} is a function", self.column(node), FUNCTIONS[node.id].usage)
        raise FormulaError(f"“{node.id}” is not a signal", self.column(node), "feed.field, such as reach.members")

    def attribute(self, node: ast.Attribute, _: int) -> Node:
        """A signal, `feed.field`."""
        column = self.column(node)
        if not isinstance(node.value, ast.Name) or not is_part(node.attr) or not is_part(node.value.id):
            raise FormulaError("this is not a signal", column, "feed.field in lower case, such as reach.members")
        name = f"{node.value.id}.{node.attr}"
        self.names.setdefault(name, column)

        def read(scope: Scope) -> Scalar:
            try:
                return scope.values[name]
            except KeyError:
                raise Missing(name) from None

        return read

    def arithmetic(self, node: ast.BinOp, depth: int) -> Node:
        """Two numbers and a sign, or two texts and a plus."""
        compute = _ARITHMETIC.get(type(node.op))
        if compute is None:
            raise FormulaError("this sign cannot be used", self.column(node.right), "+ - * / // % or **")
        column = self.column(node.right)
        left, right = self.build(node.left, depth), self.build(node.right, depth)
        adds, power = isinstance(node.op, ast.Add), isinstance(node.op, ast.Pow)

        def run(scope: Scope) -> Scalar:
            a, b = left(scope), right(scope)
            if a.__class__ is str or b.__class__ is str:
                return _joined(a, b, column, adds)
            if power and abs(b) > MAX_EXPONENT:  # type: ignore[arg-type]
                raise Undefined(f"an exponent can be {MAX_EXPONENT} at most", column)
            try:
                result = compute(a, b)  # type: ignore[arg-type]
            except ZeroDivisionError:
                raise Undefined("division by zero", column) from None
            except OverflowError:
                raise Undefined("the number is too large", column) from None
            return _bounded(result, column)

        return run

    def unary(self, node: ast.UnaryOp, depth: int) -> Node:
        """`not`, minus and plus."""
        inner, column = self.build(node.operand, depth), self.column(node)
        if isinstance(node.op, ast.Not):
            return lambda scope: not inner(scope)
        if isinstance(node.op, ast.Invert):
            raise FormulaError("~ cannot be used", column, "- or not")
        sign = -1 if isinstance(node.op, ast.USub) else 1

        def run(scope: Scope) -> Scalar:
            value = inner(scope)
            if isinstance(value, str):
                raise Undefined("a text has no minus or plus", column)
            return sign * value

        return run

    def comparison(self, node: ast.Compare, depth: int) -> Node:
        """`a < b`, also chained as in `0 < a < 10`."""
        first = self.build(node.left, depth)
        steps: list[tuple[Callable[[Scalar, Scalar], bool], Node, int]] = []
        for sign, other in zip(node.ops, node.comparators, strict=True):
            compare = _COMPARISONS.get(type(sign))
            if compare is None:
                raise FormulaError("this comparison cannot be used", self.column(other), "== != < <= > or >=")
            steps.append((compare, self.build(other, depth), self.column(other)))

        def run(scope: Scope) -> Scalar:
            left = first(scope)
            for compare, node, column in steps:
                right = node(scope)
                try:
                    if not compare(left, right):
                        return False
                except TypeError:
                    raise Undefined("a text cannot be compared with a number", column) from None
                left = right
            return True

        return run

    def logic(self, node: ast.BoolOp, depth: int) -> Node:
        """`and` and `or`, which stop at the first that decides and give its value, as in Python."""
        parts = [self.build(value, depth) for value in node.values]
        decides = isinstance(node.op, ast.Or)

        def run(scope: Scope) -> Scalar:
            value: Scalar = not decides
            for part in parts:
                value = part(scope)
                if bool(value) is decides:
                    break
            return value

        return run

    def conditional(self, node: ast.IfExp, depth: int) -> Node:
        """`a if test else b`."""
        test, yes, no = (self.build(part, depth) for part in (node.test, node.body, node.orelse))
        return lambda scope: yes(scope) if test(scope) else no(scope)

    def call(self, node: ast.Call, depth: int) -> Node:
        """A function of the table."""
        column = self.column(node)
        name = node.func.id if isinstance(node.func, ast.Name) else None
        function = FUNCTIONS.get(name or "")
        if function is None:
            raise FormulaError(f"“{name or 'this'}” is not a function here", column, f"one of {', '.join(FUNCTIONS)}")
        count = len(node.args)
        if node.keywords or not function.least <= count <= function.most:
            raise FormulaError(f"{name} does not take these {count} values", column, function.usage)
        arguments = [self.build(argument, depth) for argument in node.args]
        if name == "known":
            return _known(arguments[0])
        if function.lazy:
            return _first_known(arguments)

        def run(scope: Scope) -> Scalar:
            try:
                result = function.run(scope.style, [argument(scope) for argument in arguments])
            except OverflowError:
                raise Undefined("the number is too large", column) from None
            except Undefined as error:
                raise (error if error.column else Undefined(error.message, column)) from None
            return result if isinstance(result, str) else _bounded(result, column)

        return run


def _first_known(arguments: list[Node]) -> Node:
    def run(scope: Scope) -> Scalar:
        for argument in arguments[:-1]:
            try:
                return argument(scope)
            except Missing:
                continue
        return arguments[-1](scope)

    return run


def _known(argument: Node) -> Node:
    def run(scope: Scope) -> Scalar:
        try:
            argument(scope)
        except Missing:
            return False
        return True

    return run


def _joined(a: Scalar, b: Scalar, column: int, adds: bool) -> str:
    if not (adds and isinstance(a, str) and isinstance(b, str)):
        raise Undefined("a text takes part in a calculation; join(a, b) puts texts and numbers together", column)
    if len(a) + len(b) > MAX_TEXT:
        raise Undefined(f"a text can have {MAX_TEXT:,} characters at most", column)
    return a + b


def _bounded(result: int | float, column: int) -> int | float:
    if isinstance(result, complex) or not -MAX_NUMBER < result < MAX_NUMBER or math.isnan(result):
        raise Undefined("the result is not a number that can be shown", column)
    return result


_BUILDERS: Mapping[type[ast.expr], Callable[..., Node]] = {
    ast.Constant: _Builder.constant,
    ast.Name: _Builder.name,
    ast.Attribute: _Builder.attribute,
    ast.BinOp: _Builder.arithmetic,
    ast.UnaryOp: _Builder.unary,
    ast.Compare: _Builder.comparison,
    ast.BoolOp: _Builder.logic,
    ast.IfExp: _Builder.conditional,
    ast.Call: _Builder.call,
}
_REFUSED: Mapping[type[ast.expr], str] = {
    ast.Subscript: "square brackets",
    ast.List: "a list",
    ast.Tuple: "a comma outside a function",
    ast.Dict: "a group in braces",
    ast.Set: "a group in braces",
    ast.Lambda: "lambda",
    ast.ListComp: "a loop",
    ast.GeneratorExp: "a loop",
    ast.NamedExpr: "an assignment",
    ast.JoinedStr: "an f-string",
    ast.Await: "await",
}
