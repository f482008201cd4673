"""List every text that a person can read, each with its place: `python tools/texts.py [WORDS…]`.

Read are templates (text, labels, placeholders, and the texts within expressions), scripts of the pages, the Python code
(labels, helps, errors, what was done, what the command line prints) and the documents. Docstrings are not.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from html.parser import HTMLParser
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "tesoura"
DOCUMENTS = ("*.md", "docs/*.md", "src/tesoura/web/help/*.md")
READ = ("aria-label", "title", "placeholder", "alt", "data-words", "summary", "label")
"""Attributes that people read or hear."""
_EXPRESSION = re.compile(r"\{\{(.*?)\}\}|\{%(.*?)%\}|\{#.*?#\}", re.DOTALL)
_LITERAL = re.compile(r'"((?:[^"\\]|\\.)*)"|\'((?:[^\'\\]|\\.)*)\'|`((?:[^`\\]|\\.)*)`')
_WORDS = re.compile(r"[A-Za-z’']{2,}[ ,.:;!?…-]+[A-Za-z’'“]{1,}|^[A-Z][a-z]+$")
_MACHINE = re.compile(
    r"^(?:SELECT|INSERT|UPDATE|DELETE|PRAGMA|CREATE|WITH|[a-z_]+/[a-z+.-]+;|[#.\[]\w)|[{}<>]{2}|\\[bdsw]"
)
_NAME = re.compile(r"[a-z_]+\.[a-z_]+|[\w/.-]+\.html|[a-z-]+")


class Text(NamedTuple):
    """A text, and where it is."""

    path: str
    line: int
    words: str


def is_read(words: str) -> bool:
    """Whether a literal is meant for people: words, not a name, a style or a query."""
    return bool(_WORDS.search(words)) and not _MACHINE.search(words) and not _NAME.fullmatch(words)


class _Page(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.found: list[tuple[int, str]] = []
        self._silent = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._silent += tag in ("script", "style")
        self.found += [(self.getpos()[0], value) for name, value in attrs if name in READ and value]

    def handle_endtag(self, tag: str) -> None:
        self._silent -= tag in ("script", "style")

    def handle_data(self, data: str) -> None:
        if not self._silent:
            self.found.append((self.getpos()[0], data))


def _template(source: str) -> Iterator[tuple[int, str]]:
    for found in _EXPRESSION.finditer(source):
        inside = found[1] or found[2] or ""
        line = source.count("\n", 0, found.start()) + 1
        yield from ((line, one[0] or one[1]) for one in _LITERAL.findall(inside) if is_read(one[0] or one[1]))
    page = _Page()
    page.feed(_EXPRESSION.sub(lambda found: "…" + "\n" * found[0].count("\n"), source))
    yield from ((line, words) for line, words in page.found if re.search(r"[A-Za-z]{2}", words))


def _python(source: str) -> Iterator[tuple[int, str]]:
    tree = ast.parse(source)
    silent = set()
    for node in ast.walk(tree):
        body = getattr(node, "body", None)
        for one in body if isinstance(body, list) else ():
            if isinstance(one, ast.Expr) and isinstance(one.value, ast.Constant):
                silent.add(one.value)
        if isinstance(node, ast.JoinedStr):
            silent.update(one for one in node.values if isinstance(one, ast.Constant))
            words = "".join(str(one.value) if isinstance(one, ast.Constant) else "…" for one in node.values)
            if is_read(words):
                yield node.lineno, words
        elif (
            isinstance(node, ast.Constant)
            and isinstance(node.value, str)
            and node not in silent
            and is_read(node.value)
        ):
            yield node.lineno, node.value


def _script(source: str) -> Iterator[tuple[int, str]]:
    for number, line in enumerate(source.splitlines(), 1):
        if not line.strip().startswith("//"):
            yield from ((number, "".join(one)) for one in _LITERAL.findall(line) if is_read("".join(one)))


def texts() -> Iterator[Text]:
    """Every text with its place."""
    for path in sorted(SOURCE.rglob("*")):
        if "vendor" in path.parts or "__pycache__" in path.parts or path.suffix not in (".html", ".py", ".js"):
            continue
        read = {".html": _template, ".py": _python, ".js": _script}[path.suffix]
        for line, words in read(path.read_text("utf-8")):
            yield Text(str(path.relative_to(ROOT)), line, " ".join(words.split()))
    for pattern in DOCUMENTS:
        for path in sorted(ROOT.glob(pattern)):
            for number, words in enumerate(path.read_text("utf-8").splitlines(), 1):
                if words.strip():
                    yield Text(str(path.relative_to(ROOT)), number, words.strip())


def main() -> None:
    """Print them, all or those with these words in them."""
    wanted = re.compile("|".join(sys.argv[1:]), re.IGNORECASE) if sys.argv[1:] else None
    for one in texts():
        if wanted is None or wanted.search(one.words):
            print(f"{one.path}:{one.line}\t{one.words}")


if __name__ == "__main__":
    main()
