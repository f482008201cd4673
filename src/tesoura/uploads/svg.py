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
MAX_DEPTH = 100
"""How deep parts may lie in each other, those that one refers to included."""
MAX_DRAWN = 100_000
"""How many parts may be drawn in all, each as often as it is referred to."""
FILTER_COSTS = 2_000
"""What one step of a filter costs, in parts: it goes over every pixel."""
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
_REFERS = re.compile(r"url\s*\(\s*['\"]?#([^'\")]+)")
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
        raise FileRefused("The drawing defines entities, which are not allowed. Save it as plain SVG.") from None
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise FileRefused(f"The drawing is damaged ({error}). Save it again, then add it.") from None
    if _plain(root.tag) != "svg":
        raise FileRefused("This is XML but not a drawing.")
    if sum(1 for _ in root.iter()) > MAX_NODES:
        raise FileRefused(f"The drawing has more than {MAX_NODES:,} parts. Make it simpler, or add it as a PNG.")
    if _deeper(root, MAX_DEPTH):
        raise FileRefused(f"The drawing is nested more than {MAX_DEPTH} levels deep. Save it as a PNG.")
    _clean(root)
    _Drawn(root).count(root, 0)
    width, height = _size(root)
    ElementTree.register_namespace("", SVG)
    ElementTree.register_namespace("xlink", XLINK)
    return ElementTree.tostring(root, encoding="utf-8"), width, height


def _deeper(root: ElementTree.Element, most: int) -> bool:
    level, depth = list(root), 0
    while level and depth <= most:
        level, depth = [child for node in level for child in node], depth + 1
    return bool(level)


class _Drawn:
    """Counts what is drawn: a part that is used by many, which are used by many, is drawn very often."""

    def __init__(self, root: ElementTree.Element) -> None:
        self._by_id = {node.attrib["id"]: node for node in root.iter() if "id" in node.attrib}
        self._counts: dict[ElementTree.Element, int] = {}

    def count(self, node: ElementTree.Element, depth: int) -> int:
        """How many parts are drawn for this one. Raises FileRefused for too many, or for what refers to itself."""
        if (known := self._counts.get(node)) is not None:
            return known
        if depth > MAX_DEPTH:
            raise FileRefused("The drawing's parts refer to each other in a loop. Save it as a PNG.")
        parts = [*node, *(self._by_id[name] for name in _named(node) if name in self._by_id)]
        drawn = (FILTER_COSTS if _plain(node.tag).startswith("fe") else 1) + sum(
            self.count(part, depth + 1) for part in parts
        )
        if drawn > MAX_DRAWN:
            raise FileRefused("The drawing is too complex for a page. Save it as a PNG.")
        self._counts[node] = drawn
        return drawn


def _named(node: ElementTree.Element) -> list[str]:
    """The parts that one refers to."""
    links = [value.strip()[1:] for name, value in node.attrib.items() if name.rpartition("}")[2].lower() == "href"]
    return links + [name for value in node.attrib.values() for name in _REFERS.findall(value)]


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
    width, height = 300.0, 150.0
    sides = [_LENGTH.fullmatch(root.attrib.get(name, "")) for name in ("width", "height")]
    box = re.split(r"[\s,]+", root.attrib.get("viewBox", "").strip())
    for told in ([side[1] for side in sides if side], box[2:]):
        try:
            width, height = (float(one) for one in told)
            break
        except ValueError:
            continue
    if not (0 < width <= 20_000 and 0 < height <= 20_000):
        raise FileRefused("The drawing has no usable size. Set its width and height.")
    root.attrib.setdefault("viewBox", f"0 0 {width:g} {height:g}")
    root.attrib.update({"width": f"{width:g}", "height": f"{height:g}"})
    return round(width), round(height)
