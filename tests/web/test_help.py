"""The documentation as pages: every document is there, leads on, and is found from the pages that it tells of."""

from __future__ import annotations

import re
from pathlib import Path

from tesoura.web.help.views import OF_ROOM, TASKS, _page
from tests.conftest import Running

DOCS = Path(__file__).parents[2] / "docs"


def test_every_document_is_offered_by_its_task_and_lies_in_the_package() -> None:
    packed = Path(__file__).parents[2] / "src" / "tesoura" / "web" / "help" / "docs"
    assert (
        {name for name, _ in TASKS} == {one.stem for one in DOCS.glob("*.md")} == {one.stem for one in packed.iterdir()}
    )
    assert set(OF_ROOM.values()) <= {name for name, _ in TASKS}


def test_documents_are_pages_whose_links_lead_somewhere(running: Running) -> None:
    for name, _ in TASKS:
        assert running.client.get(f"/help/{name}").status_code == 200
        drawn = _page(name) or ""
        assert drawn.startswith("<h1>")
        assert set(re.findall(r'href="/help/([^"#]+)', drawn)) <= {one for one, _ in TASKS}
        assert ".md" not in re.sub(r"<code>.*?</code>", "", drawn)
        assert "<script" not in drawn
        assert "<img" not in drawn


def test_pages_lead_to_the_help_that_tells_of_them(running: Running) -> None:
    told = {"feeds": "feeds", "overlays": "overlays", "begin": "starters", "log": "log-and-files", "show": "starters"}
    for room, name in told.items():
        path = f"/{room}/"
        assert f'Help: <a\n  href="/help/{name}"' in running.client.get(path).text, path
    assert running.client.get("/help/nothing").status_code == 404
    assert all(words in running.client.get("/help/").text for _, words in TASKS)
