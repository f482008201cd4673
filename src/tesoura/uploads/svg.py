"""SVG made safe: what draws is kept; scripts, links, styles from outside and everything unknown are left out."""

from __future__ import annotations

import re
from xml.etree import ElementTree

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from tesoura.errors import FileRefused

SVG = "http://www.w3.org/2000/svg"
XLINK = "http://www.w3.org/1999/xlink"
MAX_BYTES = 2_000_000
MAX_NODES = 20_000
DRAWS = frozenset(
    [
        "svg",
        "g",
        "defs",
        "symbol",
        "use",
        "path",
        "rect",
        "circle",
        "ellipse",
        "line",
        "polyline",
        "polygon",
        "text",
        "tspan",
        "title",
        "desc",
        "linearGradient",
        "radialGradient",
        "stop",
        "clipPath",
        "mask",
        "pattern",
        "marker",
        "filter",
        "feGaussianBlur",
        "feOffset",
        "feMerge",
        "feMergeNode",
        "feFlood",
        "feComposite",
        "feBlend",
        "feColorMatrix",
        "feDropShadow",
        "feTurbulence",
        "feDisplacementMap",
        "feMorphology",
        "animate",
        "animateTransform",
    ]
)
_OUTSIDE = re.compile(r"url\s*\(\s*['\"]?(?!#)|javascript:|data:|@import|expression\s*\(|&#|\\", re.IGNORECASE)
_LENGTH = re.compile(r"\s*([\d.]+)\s*(px)?\s*")


def looks_like_svg(data: bytes) -> bool:
    """Whether this begins as an SVG does."""
    start = data[:1_000].lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    return start.startswith((b"<?xml", b"<!doctype svg", b"<svg", b"<!--")) and b"<svg" in data[:100_000].lower()


def safe_svg(data: bytes) -> tuple[bytes, int, int]:
    """The drawing with nothing in it but what draws, and its width and height in px. Raises FileRefused."""
    if len(data) > MAX_BYTES:
        raise FileRefused(f"The drawing has {len(data) / 1e6:.1f} MB; at most {MAX_BYTES / 1e6:.0f} MB fit.")
    try:
        root = fromstring(data, forbid_dtd=False)
    except DefusedXmlException:
        raise FileRefused("The drawing defines entities, which could grow without end. Save it as plain SVG.") from None
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise FileRefused(f"The drawing is not well-formed ({error}). Save it anew and add it again.") from None
    if _plain(root.tag) != "svg":
        raise FileRefused("This is XML, and no drawing.")
    if sum(1 for _ in root.iter()) > MAX_NODES:
        raise FileRefused(f"The drawing has more than {MAX_NODES:,} parts. Make it simpler, or add it as a PNG.")
    _clean(root)
    width, height = _size(root)
    ElementTree.register_namespace("", SVG)
    ElementTree.register_namespace("xlink", XLINK)
    return ElementTree.tostring(root, encoding="utf-8"), width, height


def _plain(tag: object) -> str:
    if not isinstance(tag, str):
        return ""
    space, _, name = tag.rpartition("}")
    return name if space in ("", "{" + SVG) else ""


def _clean(node: ElementTree.Element) -> None:
    for name, value in list(node.attrib.items()):
        if not _harmless(name, value):
            del node.attrib[name]
    for child in list(node):
        if _plain(child.tag) in DRAWS and not _sets_a_link(child):
            _clean(child)
        else:
            node.remove(child)


def _sets_a_link(node: ElementTree.Element) -> bool:
    return "href" in str(node.attrib.get("attributeName", "")).lower()


def _harmless(name: str, value: str) -> bool:
    plain = name.rpartition("}")[2].lower()
    if plain.startswith("on") or (name.startswith("{") and not name.startswith(("{" + XLINK, "{" + SVG))):
        return False
    if plain == "href":
        return value.strip().startswith("#")
    return not _OUTSIDE.search(value)


def _size(root: ElementTree.Element) -> tuple[int, int]:
    sides = [_LENGTH.fullmatch(root.attrib.get(name, "")) for name in ("width", "height")]
    if all(sides):
        width, height = (float(side[1]) for side in sides if side)
    else:
        box = re.split(r"[\s,]+", root.attrib.get("viewBox", "").strip())
        try:
            width, height = float(box[2]), float(box[3])
        except (IndexError, ValueError):
            width, height = 300.0, 150.0
    if not (0 < width <= 20_000 and 0 < height <= 20_000):
        raise FileRefused("The drawing has no size, or one that no screen has. Give it a width and a height.")
    root.attrib.setdefault("viewBox", f"0 0 {width:g} {height:g}")
    root.attrib.update({"width": f"{width:g}", "height": f"{height:g}"})
    return round(width), round(height)
