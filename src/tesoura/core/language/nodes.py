"""The parts that formulas are made of: one closure for each permitted node of Python's syntax tree, and no others."""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable, Mapping

from tesoura.core.language.functions import FUNCTIONS, Undefined
from tesoura.core.language.scope import Missing, Node, Scope
from tesoura.core.names import is_part
from tesoura.core.values import MAX_NUMBER, MAX_TEXT, Scalar
from tesoura.errors import FormulaError

MAX_DEPTH = 24
MAX_EXPONENT = 64

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


class Builder:
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
            raise FormulaError("too many nested brackets", self.column(node), "a simpler formula")
        build = _BUILDERS.get(type(node))
        if build is None:
            what = _REFUSED.get(type(node), "this")
            raise FormulaError(
                f"{what} can't be used in a formula", self.column(node), "signals, numbers, texts and functions"
            )
        return build(self, node, depth + 1)

    def constant(self, node: ast.Constant, _: int) -> Node:
        """A number, a text, True or False."""
        value = node.value
        if not isinstance(value, int | float | str) or (isinstance(value, str) and len(value) > MAX_TEXT):
            raise FormulaError("this can't be used in a formula", self.column(node), "a number or a text")
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
            raise FormulaError("this operator can't be used", self.column(node.right), "+ - * / // % or **")
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
            raise FormulaError("~ can't be used", column, "- or not")
        sign = -1 if isinstance(node.op, ast.USub) else 1

        def run(scope: Scope) -> Scalar:
            value = inner(scope)
            if isinstance(value, str):
                raise Undefined("text can't have a plus or minus", column)
            return sign * value

        return run

    def comparison(self, node: ast.Compare, depth: int) -> Node:
        """`a < b`, also chained as in `0 < a < 10`."""
        first = self.build(node.left, depth)
        steps: list[tuple[Callable[[Scalar, Scalar], bool], Node, int]] = []
        for sign, other in zip(node.ops, node.comparators, strict=True):
            compare = _COMPARISONS.get(type(sign))
            if compare is None:
                raise FormulaError("this comparison can't be used", self.column(other), "== != < <= > or >=")
            steps.append((compare, self.build(other, depth), self.column(other)))

        def run(scope: Scope) -> Scalar:
            left = first(scope)
            for compare, node, column in steps:
                right = node(scope)
                try:
                    if not compare(left, right):
                        return False
                except TypeError:
                    raise Undefined("text can't be compared with a number", column) from None
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
            raise FormulaError(f"“{name or 'this'}” is not a known function", column, f"one of {', '.join(FUNCTIONS)}")
        count = len(node.args)
        if node.keywords or not function.least <= count <= function.most:
            raise FormulaError(f"{name} doesn't accept these {count} values", column, function.usage)
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
        raise Undefined("text can't be used in a calculation; join(a, b) joins texts and numbers", column)
    if len(a) + len(b) > MAX_TEXT:
        raise Undefined(f"a text can have {MAX_TEXT:,} characters at most", column)
    return a + b


def _bounded(result: int | float, column: int) -> int | float:
    if isinstance(result, complex) or not -MAX_NUMBER < result < MAX_NUMBER or math.isnan(result):
        raise Undefined("the result is not a valid number", column)
    return result


_BUILDERS: Mapping[type[ast.expr], Callable[..., Node]] = {
    ast.Constant: Builder.constant,
    ast.Name: Builder.name,
    ast.Attribute: Builder.attribute,
    ast.BinOp: Builder.arithmetic,
    ast.UnaryOp: Builder.unary,
    ast.Compare: Builder.comparison,
    ast.BoolOp: Builder.logic,
    ast.IfExp: Builder.conditional,
    ast.Call: Builder.call,
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
