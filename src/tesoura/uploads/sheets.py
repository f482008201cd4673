"""Style sheets of one's own: checked, and written so that they reach the overlay's pieces alone."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import tinycss2

from tesoura.core.overlays.edits.overlay import MAX_CSS

SCOPE = "#overlay"
FENCE = ".fence"
FORBIDDEN_FUNCTIONS = frozenset(
    {"url", "src", "image", "image-set", "-webkit-image-set", "expression", "element", "paint"}
)
FORBIDDEN_PROPERTIES = frozenset({"behavior", "-moz-binding"})
NESTING_RULES = frozenset({"media", "supports", "container", "layer"})
AS_THEY_ARE = frozenset({"keyframes", "-webkit-keyframes"})
MAX_DEPTH = 32
_ROOTS = frozenset({":root", "html", "body", "main", SCOPE})


@dataclass(frozen=True, slots=True)
class Sheet:
    """A style sheet: what is put into the page, and what is wrong with it. A wrong one is not put in at all."""

    css: str = ""
    wrong: tuple[str, ...] = ()

    @property
    def fenced(self) -> str:
        """The style sheet for a page on which more stands than the overlay, which has a fence around it there.

        A selector can be written in many ways that reach further than it seems; the browser holds a rule to what stands
        within its scope (CSS Cascading Level 6).
        """
        return f"@scope ({FENCE}) {{\n{self.css}\n}}" if self.css else ""


def checked(source: str) -> Sheet:
    """The style sheet, scoped to the overlay; or what is wrong, each with its line."""
    if not source.strip():
        return Sheet()
    if len(source) > MAX_CSS:
        much = f"It has {len(source):,} characters; {MAX_CSS:,} are allowed. Remove what you don't need."
        return Sheet(wrong=(much,))
    wrong: list[str] = []
    if "</" in source or "<!--" in source:
        wrong.append("It contains “</” or “<!--”, which would break the page. Remove that.")
    rules = tinycss2.parse_stylesheet(source, skip_comments=True, skip_whitespace=True)
    if _depth(rules) > MAX_DEPTH:
        return Sheet(wrong=(f"Its brackets are nested more than {MAX_DEPTH} levels deep. Nest them less.",))
    # What was written with an escape comes out plain, and must not end the element either.
    scoped = "\n".join(_rules(rules, wrong)).replace("</", "\\3c /").replace("<!", "\\3c !")
    return Sheet("" if wrong else scoped, tuple(dict.fromkeys(wrong)))


def _depth(rules: Sequence[Any]) -> int:
    """How deep brackets lie in each other; counted without going in, which would be a depth of its own."""
    level, depth = list(rules), 0
    while level and depth <= MAX_DEPTH:
        level = [one for token in level for one in _within(token)]
        depth += 1
    return depth


def _within(token: Any) -> Iterator[Any]:
    for part in (getattr(token, name, None) for name in ("prelude", "arguments", "content")):
        if isinstance(part, list):
            yield from part


def _rules(rules: Sequence[Any], wrong: list[str]) -> Iterator[str]:
    for rule in rules:
        if rule.type == "error":
            wrong.append(f"Line {rule.source_line}: {rule.message}.")
        elif rule.type == "qualified-rule":
            _look_inside([*rule.prelude, *rule.content], wrong)
            _look_at_declarations(rule.content, wrong)
            yield f"{_scoped(rule.prelude)} {{{tinycss2.serialize(rule.content)}}}"
        elif rule.type == "at-rule":
            yield from _at_rule(rule, wrong)


def _at_rule(rule: Any, wrong: list[str]) -> Iterator[str]:
    name = rule.lower_at_keyword
    if name in AS_THEY_ARE and rule.content is not None:
        _look_inside(rule.content, wrong)
        yield f"@{name}{tinycss2.serialize(rule.prelude)}{{{tinycss2.serialize(rule.content)}}}"
    elif name in NESTING_RULES and rule.content is not None:
        inside = tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True)
        yield f"@{name}{tinycss2.serialize(rule.prelude)}{{\n" + "\n".join(_rules(inside, wrong)) + "\n}"
    elif name in ("import", "font-face"):
        wrong.append(f"Line {rule.source_line}: @{name} loads from outside. Add typefaces on the typefaces page.")
    else:
        wrong.append(f"Line {rule.source_line}: @{name} is not allowed in an overlay's style sheet.")


def _look_at_declarations(content: Sequence[Any], wrong: list[str]) -> None:
    for one in tinycss2.parse_blocks_contents(content, skip_comments=True, skip_whitespace=True):
        if one.type == "error":
            wrong.append(f"Line {one.source_line}: {one.message}.")
        elif one.type == "declaration" and one.lower_name in FORBIDDEN_PROPERTIES:
            wrong.append(f"Line {one.source_line}: {one.name} could run a script.")


def _look_inside(tokens: Sequence[Any], wrong: list[str]) -> None:
    """Nothing may reach outside: no address, in whatever form it is written."""
    for token in tokens:
        if token.type == "url" or (token.type == "function" and token.lower_name in FORBIDDEN_FUNCTIONS):
            what = "url" if token.type == "url" else token.lower_name
            wrong.append(
                f"Line {token.source_line}: {what}(…) loads from another address. Add the file as a picture piece."
            )
        elif token.type in ("error", "bad-url", "bad-string"):
            wrong.append(f"Line {token.source_line}: {getattr(token, 'message', 'unreadable')}.")
        inside = getattr(token, "arguments", None) or getattr(token, "content", None)
        if isinstance(inside, list):
            _look_inside(inside, wrong)


def _scoped(prelude: Sequence[Any]) -> str:
    """Each selector, inside the overlay."""
    selectors: list[list[Any]] = [[]]
    for token in prelude:
        if token.type == "literal" and token.value == ",":
            selectors.append([])
        else:
            selectors[-1].append(token)
    return ", ".join(_inside(tinycss2.serialize(one).strip()) for one in selectors)


def _inside(selector: str) -> str:
    first, _, rest = selector.partition(" ")
    return f"{SCOPE} {rest}".strip() if first in _ROOTS else f"{SCOPE} {selector}"
