"""Reading what came: JSON, TOML, CSV, plain text, and parts of a web page. Shared by all kinds of feed."""

from __future__ import annotations

import csv
import io
import json
import re
import tomllib
from collections.abc import Callable, Mapping
from typing import Any

from tesoura.core.values import from_json
from tesoura.errors import ResponseNotUnderstood

MAX_ROWS = 2_000
MAX_LINES = 500
MAX_MATCHES = 100
FORMATS = ("json", "text", "csv", "toml", "html")
_NUMBER = re.compile(r"(?<![\w.])[-+]?\d[\d,\u00a0\u202f' ]*(?:\.\d+)?")


def read(text: str, form: str, where: str, selector: str = "") -> object:
    """The payload in a text of this format. Raises ResponseNotUnderstood, whose message names `where` it came from."""
    text = text.removeprefix("\ufeff")
    if not text.strip():
        raise ResponseNotUnderstood(f"{where} sent an empty response. Check the address.", text[:300])
    if form == "html":
        return _html(text, where, selector)
    return _READERS[form](text, where)


def _json(text: str, where: str) -> object:
    start = text[:300]
    try:
        return from_json(text)
    except ValueError as error:
        problem = error
    if "<html" in text[:2_000].lower() or "<!doctype html" in text[:2_000].lower():
        raise ResponseNotUnderstood(
            f"{where} sent a web page, not JSON. Give the address of the data; its path often has “api” in it. "
            "Or choose the format “web page”.",
            start,
        )
    if start.lstrip()[:1] in "{[" and getattr(problem, "pos", 0) >= len(text.rstrip()) - 1:
        raise ResponseNotUnderstood(f"{where} stopped in the middle of its response. Retrying.", start)
    raise ResponseNotUnderstood(
        f"{where} sent something other than JSON. Is this the address of the data? Or choose another form of answer.",
        start,
    )


def _toml(text: str, where: str) -> object:
    try:
        # Dates become texts, as JSON has them.
        return json.loads(json.dumps(tomllib.loads(text), default=str))
    except (tomllib.TOMLDecodeError, RecursionError, ValueError) as error:
        raise ResponseNotUnderstood(f"{where} is not valid TOML: {str(error)[:160]}.", text[:300]) from None


def _csv(text: str, where: str) -> object:
    first = text.split("\n", 1)[0]
    delimiter = max(",;\t|", key=first.count)
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=delimiter, strict=True))
    except csv.Error as error:
        raise ResponseNotUnderstood(f"{where} is not valid CSV: {error}.", text[:300]) from None
    rows = [[cell.strip() for cell in row] for row in rows if any(cell.strip() for cell in row)]
    heads = [head or f"column_{at}" for at, head in enumerate(rows[0], 1)]
    records = [dict(zip(heads, row, strict=False)) for row in rows[1 : MAX_ROWS + 1]]
    return {"count": len(rows) - 1, "rows": records, "last": records[-1] if records else {}}


def numbers_in(text: str) -> list[int | float]:
    """The numbers that stand in a text, thousands' marks and all: `1,284 kite friends` has 1284."""
    found: list[int | float] = []
    for one in _NUMBER.findall(text)[:20]:
        plain = re.sub(r"[,\u00a0\u202f' ]", "", one)
        if len(plain) < 25:
            found.append(float(plain) if "." in plain else int(plain))
    return found


def _text(text: str, where: str) -> object:
    lines = text.strip().splitlines()
    return {"text": text.strip()[:20_000], "lines": lines[:MAX_LINES], "numbers": numbers_in(text)}


def _html(text: str, where: str, selector: str) -> object:
    # Loaded only by those who read web pages.
    from bs4 import BeautifulSoup
    from soupsieve import SelectorSyntaxError

    try:
        matches = BeautifulSoup(text, "html.parser").select(selector, limit=MAX_MATCHES)
    except (SelectorSyntaxError, NotImplementedError, RecursionError) as error:
        brief = str(error).split("\n", 1)[0]
        raise ResponseNotUnderstood(
            f"“{selector}” is not a CSS selector: {brief}. Write it as .count or #members b.", ""
        ) from None
    if not matches:
        raise ResponseNotUnderstood(
            f"Nothing on the page at {where} matches “{selector}”. The page may have changed. Check its source.",
            text[:300],
        )
    texts = [" ".join(match.get_text(" ").split())[:2_000] for match in matches]
    return {
        "text": texts[0],
        "numbers": numbers_in(texts[0]),
        "texts": texts,
        "links": [str(match.get("href") or match.get("src") or "") for match in matches],
    }


_READERS: Mapping[str, Callable[[str, str], object]] = {"json": _json, "toml": _toml, "csv": _csv, "text": _text}


def line_payload(line: str) -> Any:
    """A line of a stream: what its JSON says, or the line as a text."""
    try:
        return from_json(line)
    except ValueError:
        return {"text": line[:20_000], "numbers": numbers_in(line[:2_000])}
