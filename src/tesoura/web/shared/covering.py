"""Covering what is nobody else's business on a page that viewers may see: addresses, keys, e-mail, folders.

While it is covered, every page leaves the server with these marked, so that none is seen even at first paint. A page
that stands open marks what it has by the same pattern, which it is given.
"""

from __future__ import annotations

import re

from flask import Response, request

from tesoura.web.shared.doors import runtime

_LABEL = r"[\w-]{1,63}"
_HOST = rf"\b{_LABEL}(?:\.{_LABEL}){{0,8}}"
_REST = r"[^\s<>\"']*"
PRIVATE = (
    rf"[\w.+-]{{1,64}}@{_LABEL}(?:\.{_LABEL}){{1,8}}"  # e-mail
    rf"|\b(?:https?|wss?|mqtts?|ircs?|ftp|file)://{_REST}"  # addresses with their scheme
    rf"|\b\d{{1,3}}(?:\.\d{{1,3}}){{3}}(?::\d+)?(?:/{_REST})?"  # numbers of machines
    r"|\[[0-9A-Fa-f]{0,4}:[0-9A-Fa-f:.]{1,60}\](?::\d+)?"
    rf"|\blocalhost:\d+(?:/{_REST})?|{_HOST}\.local\b(?::\d+)?"  # names of machines
    rf"|{_HOST}\.[a-z]{{2,24}}:\d{{2,5}}\b"
    rf"|(?:/(?:home|Users|root|tmp|var|mnt|media|srv|opt|Volumes)\b|\b[A-Za-z]:\\){_REST}"  # folders
    r"|\b(?:tes|dev)_[\w-]{8,}"  # keys and tokens
    r"|\b(?=[\w-]{0,200}\d)(?=[\w-]{0,200}[A-Za-z])[\w-]{24,}"
)
"""What is covered, in the words of regular expressions that browsers understand, too. No part looks far back: however
long a text is, it takes no longer than its length."""
_PRIVATE = re.compile(PRIVATE)
_TAG = re.compile(r"(<!--.*?-->|<[^>]*>)", re.DOTALL)
_LEFT_ALONE = re.compile(r"<(/?)(title|script|style|textarea|option|samp)\b", re.IGNORECASE)
_CLASS = re.compile(r'\bclass="')
_VALUE = re.compile(r'\b(?:value|placeholder)="([^"]*)"')
PUBLIC = "data-public"
"""Marks a field that holds what everybody may see, however much it looks like a key; a text of that kind is `samp`."""
OPEN_TO_VIEWERS = ("/o/", "/phone/", "/api/")


def marked(html: str) -> str:
    """A page with what is private marked. What stands in fields is covered until somebody steps into the field."""
    out, inside = [], ""
    for part in _TAG.split(html):
        if part.startswith("<"):
            if (tag := _LEFT_ALONE.match(part)) is not None:
                inside = "" if tag[1] else tag[2].lower()
            elif part.startswith("<input") and any(_PRIVATE.search(one) for one in _VALUE.findall(part)):
                part = _classed(part)
            out.append(part)
        elif inside == "textarea" and PUBLIC not in out[-1] and _PRIVATE.search(part):
            out[-1] = _classed(out[-1])
            out.append(part)
        elif inside or not part.strip():
            out.append(part)
        else:
            out.append(_PRIVATE.sub(lambda found: f'<span class="private">{found[0]}</span>', part))
    return "".join(out)


def _classed(tag: str) -> str:
    """A field's tag with the class of what is covered until one steps in."""
    if _CLASS.search(tag):
        return _CLASS.sub('class="private-field ', tag, count=1)
    return re.sub(r"^<(\w+)", r'<\1 class="private-field"', tag, count=1)


def cover(response: Response) -> Response:
    """Mark what is private on a page, while it is covered."""
    if (
        response.mimetype == "text/html" and not response.direct_passthrough
        and not request.path.startswith(OPEN_TO_VIEWERS) and is_covered()
    ):  # fmt: skip
        response.set_data(marked(response.get_data(as_text=True)))
    return response


def is_covered() -> bool:
    """Whether what is private is covered now."""
    return runtime().covering.covered
