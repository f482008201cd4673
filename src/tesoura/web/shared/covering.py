"""Covering what only the owner should read on a page that viewers may see.

While covering is on, the server marks these texts in every page it sends, so they are hidden from the first paint.
Pages that are already open mark their own texts with the same pattern (`static/js/shared/covering.js`).
"""

from __future__ import annotations

import re
from html import escape, unescape

from flask import Response, request

from tesoura.core.forms.covering import COVER
from tesoura.core.forms.private import PRIVATE, UNSEEN, is_private, private_in
from tesoura.web.shared.doors import runtime

_TAG = re.compile(r"(<!--.*?-->|<[^>]*>)", re.DOTALL)
_NAME = re.compile(r"</?([A-Za-z][A-Za-z0-9-]*)")
INLINE = (
    "a",
    "abbr",
    "b",
    "bdi",
    "bdo",
    "cite",
    "code",
    "data",
    "del",
    "dfn",
    "em",
    "font",
    "i",
    "ins",
    "kbd",
    "mark",
    "q",
    "s",
    "small",
    "span",
    "strong",
    "sub",
    "sup",
    "time",
    "tspan",
    "u",
    "var",
    "wbr",
)
"""Elements that a text goes on through: a private text may begin in one and end in another."""
_LEFT_ALONE = ("script", "style", "samp")
_PLAIN = ("title", "option", "desc")
"""Elements that hold text alone, in which nothing can be marked: it is replaced, and kept beside."""
ATTRIBUTES = (
    "title",
    "alt",
    "label",
    "aria-label",
    "aria-description",
    "aria-valuetext",
    "aria-roledescription",
    "aria-placeholder",
)
"""Attributes that are shown or read aloud."""
_ATTRIBUTE = re.compile(rf'(?<=\s)({"|".join(ATTRIBUTES)})="([^"]*)"')
_CLASS = re.compile(r'(?<=\s)class="')
_VALUE = re.compile(r'(?<=\s)(?:value|placeholder)="([^"]*)"')
PUBLIC = "data-public"
"""Marks a field that holds what everybody may see, however much it looks like a key; a text of that kind is `samp`."""
RULES = {
    "pattern": PRIVATE,
    "unseen": "".join(f"\\u{ord(char):04x}" for char in UNSEEN),
    "inline": " ".join(INLINE),
    "attributes": " ".join(ATTRIBUTES),
}
"""What an open page covers by, as it is given to its script."""
OPEN_TO_VIEWERS = ("/o/", "/phone/", "/api/")


def marked(html: str) -> str:
    """A page with what is private marked. What stands in fields is covered until somebody steps into the field."""
    out: list[str] = []
    run: list[int] = []
    inside, wrapper = "", "span"
    for part in _TAG.split(html):
        if not part.startswith("<"):
            if inside in _PLAIN or inside == "textarea":
                part = _replaced(part, inside, out)
            elif not inside and part:
                run.append(len(out))
            out.append(part)
            continue
        found = _NAME.match(part)
        name, closes = (found[1].lower() if found else ""), part.startswith("</")
        if run and found and name not in INLINE:
            _mark(out, run, wrapper)
            run = []
        if name == "svg":
            wrapper = "span" if closes else "tspan"
        if name in _LEFT_ALONE or name in _PLAIN or name == "textarea":
            inside = "" if closes else name
        out.append(part if closes or not found or name in ("script", "style") else _tag(part, name))
    _mark(out, run, wrapper)
    return "".join(out)


def _mark(out: list[str], run: list[int], wrapper: str) -> None:
    """Mark what is private in one text, whose pieces are at these places."""
    pieces = [unescape(out[at]) for at in run]
    spans = list(private_in("".join(pieces))) if any(not one.isspace() for one in pieces) else []
    begin = 0
    for at, piece in zip(run, pieces, strict=True):
        end = begin + len(piece)
        inner = [(max(a, begin) - begin, min(b, end) - begin) for a, b in spans if a < end and b > begin]
        if inner:
            out[at], last = "", 0
            for a, b in inner:
                out[at] += f'{_text(piece[last:a])}<{wrapper} class="private">{_text(piece[a:b])}</{wrapper}>'
                last = b
            out[at] += _text(piece[last:])
        begin = end


def _text(text: str) -> str:
    return escape(text, quote=False)


def _hidden(text: str) -> str:
    spans = list(private_in(text))
    for a, b in reversed(spans):
        text = f"{text[:a]}{COVER}{text[b:]}"
    return text


def _replaced(text: str, element: str, out: list[str]) -> str:
    """A text in an element that holds nothing but text, and in its tag how it reads."""
    said = unescape(text)
    tag = out[-1] if out else ""
    if PUBLIC in tag or not is_private(said):
        return text
    if element == "textarea":
        out[-1] = _classed(tag)
        return text
    more = f' data-private-text="{escape(said)}"'
    if element == "option" and not re.search(r"\svalue=", tag):
        more += f' value="{escape(" ".join(said.split()))}"'
    out[-1] = tag[:-1] + more + ">"
    return _text(_hidden(said))


def _tag(tag: str, name: str) -> str:
    def covered(found: re.Match[str]) -> str:
        said = unescape(found[2])
        if not is_private(said):
            return found[0]
        return f'{found[1]}="{escape(_hidden(said))}" data-private-{found[1]}="{escape(said)}"'

    tag = _ATTRIBUTE.sub(covered, tag)
    in_field = name in ("input", "textarea") and PUBLIC not in tag
    return _classed(tag) if in_field and any(is_private(unescape(one)) for one in _VALUE.findall(tag)) else tag


def _classed(tag: str) -> str:
    """A field's tag with the class of what is covered until one steps in."""
    if _CLASS.search(tag):
        return _CLASS.sub('class="private-field ', tag, count=1)
    return re.sub(r"^<(\w+)", r'<\1 class="private-field"', tag, count=1)


def cover(response: Response) -> Response:
    """Mark what is private on a page, while it is covered."""
    if (
        response.mimetype == "text/html"
        and not response.direct_passthrough
        and not request.path.startswith(OPEN_TO_VIEWERS)
        and is_covered()
    ):
        response.set_data(marked(response.get_data(as_text=True)))
    return response


def is_covered() -> bool:
    """Whether what is private is covered now."""
    return runtime().covering.covered
