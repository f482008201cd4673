"""The pages of the documentation, as they lie in `docs/`."""

from __future__ import annotations

import re
from functools import lru_cache
from importlib import resources
from pathlib import Path

from flask import Blueprint, abort, render_template
from flask.typing import ResponseReturnValue
from markdown_it import MarkdownIt
from markupsafe import Markup

blueprint = Blueprint("help", __name__, url_prefix="/help")
TASKS = (
    ("starters", "Begin, share a starter, carry a show"),
    ("feeds", "Bring data in, and compute"),
    ("overlays", "Design what viewers see"),
    ("instruments", "Countdowns, statistics, wheels and more"),
    ("desk", "Operate it live"),
    ("log-and-files", "The log, reports, text files"),
    ("game-events", "Game events"),
    ("track-events", "Music events"),
    ("match-rules", "Sport rules"),
    ("wheel", "Wheel draws"),
    ("replays", "Replays"),
    ("sponsors", "Sponsors"),
    ("routes", "Run routes"),
    ("saved-games", "Saved games"),
    ("network", "Network access and proxies"),
    ("device-socket", "Your own button devices"),
    ("scene-link", "Scene link"),
    ("figures", "Performance"),
)
"""The documents in the order of the help page, each with its task."""
OF_ROOM = {
    "desk": "desk",
    "devices": "network",
    "leaves": "desk",
    "cues": "desk",
    "feeds": "feeds",
    "recipes": "starters",
    "begin": "starters",
    "shows": "starters",
    "signals": "feeds",
    "computed": "feeds",
    "picks": "feeds",
    "overlays": "overlays",
    "mat": "overlays",
    "looks": "overlays",
    "links": "overlays",
    "versions": "overlays",
    "typefaces": "overlays",
    "instruments": "instruments",
    "matches": "match-rules",
    "wheels": "wheel",
    "runs": "routes",
    "clips": "replays",
    "saves": "saved-games",
    "shelf_files": "saved-games",
    "log": "log-and-files",
    "reports": "log-and-files",
    "sponsor_reports": "sponsors",
    "files": "log-and-files",
}
"""The document about each room's pages."""
_DOCUMENT = re.compile(r'href="(?:docs/)?([a-z-]+)\.md(#[^"]*)?"')
_PICTURES = re.compile(r"^!\[.*\n", re.MULTILINE)
"""Lines of pictures: here, what they show is a click away."""
_ELSEWHERE = re.compile(r'<a href="(?!/help/|#|https?:)[^"]*">(.*?)</a>')


def _text(name: str) -> str | None:
    """A document's text; None when there is no document of that name."""
    packed = resources.files("tesoura").joinpath("web", "help", "docs", f"{name}.md")
    # Where a checkout knows no links between files, they lie where they are written.
    source = Path(__file__).parents[4] / "docs" / f"{name}.md"
    found = packed if packed.is_file() and not packed.read_text("utf-8").startswith("../") else source
    return found.read_text("utf-8") if found.is_file() else None


@lru_cache(maxsize=32)
def _page(name: str) -> str | None:
    """A document as HTML: its introduction, then its sections, collapsed; None when there is no such document."""
    text = _text(name)
    if text is None:
        return None
    drawn = MarkdownIt("commonmark", {"html": False}).enable("table").render(_PICTURES.sub("", text))
    drawn = _ELSEWHERE.sub(r"\1", _DOCUMENT.sub(r'href="/help/\1\2"', drawn))
    drawn = drawn.replace(
        "<table>", '<div class="scroll" tabindex="0" role="region" aria-label="Table"><table>'
    ).replace("</table>", "</table></div>")
    introduction, *sections = drawn.split("<h2>")
    return introduction + "".join(map(_section, sections))


def _section(drawn: str) -> str:
    """A section that opens by its heading, or by a link to its content's id."""
    heading, _, rest = drawn.partition("</h2>")
    id = "-".join(re.findall(r"[a-z0-9]+", re.sub(r"<.*?>", "", heading).lower()))
    return f'<details class="fold"><summary><h2>{heading}</h2></summary><div id="{id}">{rest}</div></details>\n'


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """The documents, by task."""
    return render_template("help/index.html", tasks=TASKS)


@blueprint.get("/<name>")
def show(name: str) -> ResponseReturnValue:
    """One document."""
    words = dict(TASKS).get(name)
    drawn = _page(name) if words else None
    if words is None or drawn is None:
        abort(404)
    return render_template("help/show.html", words=words, drawn=Markup(drawn), tasks=TASKS, name=name)  # noqa: S704 - ours


@blueprint.app_template_global("help_of")
def help_of(room: str | None) -> tuple[str, str] | None:
    """The document about a room's pages, and its task."""
    name = OF_ROOM.get(room or "")
    return (name, dict(TASKS)[name]) if name else None
