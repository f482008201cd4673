"""Static files: kept in memory, for good where their address carries the build, and sent once only to who has them."""

from __future__ import annotations

import httpx

from tesoura.settings import STATIC
from tests.conftest import Running

SHEET = "/static/css/tesoura.css"


def test_a_file_is_told_with_its_type_and_for_how_long_it_may_be_kept(running: Running) -> None:
    asked, again = running.client.get(SHEET), running.client.get(f"{SHEET}?v=1")
    assert asked.content == again.content == (STATIC / "css/tesoura.css").read_bytes()
    assert asked.headers["content-type"] == "text/css; charset=utf-8"
    assert asked.headers["cache-control"] == "no-cache"
    assert again.headers["cache-control"] == "public, max-age=31536000, immutable"


def test_who_has_it_is_told_that_it_still_holds(running: Running) -> None:
    mark = running.client.get(SHEET).headers["etag"]
    again = running.client.get(SHEET, headers={"If-None-Match": mark})
    assert (again.status_code, again.content) == (304, b"")
    assert running.client.get(SHEET, headers={"If-None-Match": '"other"'}).status_code == 200


def test_a_part_a_head_and_what_is_not_there(running: Running) -> None:
    part = running.client.get("/static/sounds/bell.wav", headers={"Range": "bytes=0-3"})
    assert (part.status_code, part.content) == (206, b"RIFF")
    head = running.client.head(SHEET)
    assert (head.status_code, head.content) == (200, b"")
    assert int(head.headers["content-length"]) > 1_000
    assert running.client.get("/static/css/").status_code == 404
    assert running.client.get("/static/css/none.css").status_code == 404
    # As it stands, past the client that would tidy it up.
    outside = httpx.URL(running.address + "/").copy_with(raw_path=b"/static/..%2f..%2fapp.py")
    assert running.client.get(outside).status_code == 404
