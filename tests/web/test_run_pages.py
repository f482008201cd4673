"""Pages of runs: a route edited in place and as files, a split's own page, attempts as a table."""

from __future__ import annotations

import csv
import io
import json
import re
from typing import Any

import httpx
import pytest

from tests.conftest import Running, flat
from tests.runtime.test_clips import act

ROUTE = "Gatekeeper\nThe Twins of Salt\nWell of Bells"


def made(running: Running, **more: str) -> None:
    act(running, "instrument.new", kind="run", choices={"title": "Mile", **more})
    act(running, "instrument.command", instrument="mile", command="add_splits", names=ROUTE)


def press(running: Running, *commands: str) -> None:
    for one in commands:
        act(running, "instrument.command", instrument="mile", command=one)


def edit(running: Running, command: str, given: Any) -> httpx.Response:
    token = re.search(r'<meta name="csrf" content="([^"]+)"', running.client.get("/").text)
    assert token
    return running.client.post(f"/instruments/mile/route/{command}", json=given, headers={"X-CSRFToken": token[1]})


def splits(running: Running) -> list[tuple[str, str]]:
    standing = running.runtime.call(lambda self: self.instruments.standing("mile"))
    assert standing is not None
    route: Any = standing.view["route"]
    return [(one.id, one.name) for one in route.splits]


def test_a_route_is_edited_in_place_and_each_edit_names_what_takes_it_back(running: Running) -> None:
    made(running)
    first = splits(running)
    told = edit(running, "move_split", {"split": first[2][0], "by": -2}).json()
    assert (told["words"], splits(running)[0][1]) == ("Place 3 → 1", "Well of Bells")
    edit(running, told["undo"]["command"], told["undo"]["given"])
    assert splits(running) == first
    told = edit(running, "remove_splits", {"splits": first[1][0]}).json()
    edit(running, told["undo"]["command"], told["undo"]["given"])
    assert splits(running) == first
    told = edit(running, "add_splits", {"names": "Mother Ladder"}).json()
    edit(running, told["undo"]["command"], told["undo"]["given"])
    assert splits(running) == first
    # The desk's own undo takes an edit back too.
    edit(running, "change_split", {"split": first[0][0], "name": "Gate"})
    running.press("/", "/desk/undo")
    assert splits(running) == first


@pytest.mark.parametrize(
    ("command", "given", "why"),
    [
        ("add_splits", {"names": " "}, "at least one split"),
        ("change_split", {"split": "x"}, "This split no longer exists"),
        ("move_split", {"split": "x", "by": "far"}, "This split no longer exists"),
        ("add_splits", [1], "Send an object"),
        ("choose_route", {"route": "Nowhere"}, "There are: Route"),
    ],
)
def test_an_edit_that_cannot_be_says_why(running: Running, command: str, given: Any, why: str) -> None:
    made(running)
    answer = edit(running, command, given)
    assert (answer.status_code, why in answer.json()["wrong"]) == (422, True)


def test_what_is_no_edit_of_a_route_or_no_run_is_not_found(running: Running) -> None:
    made(running)
    act(running, "instrument.new", kind="countdown", choices={"title": "Break"})
    assert edit(running, "hit", {}).status_code == 404
    for path in (
        "/instruments/break/route.json",
        "/instruments/nobody/route.csv",
        "/instruments/mile/splits/x",
        "/instruments/mile/route.json?route=x",
    ):
        assert running.client.get(path).status_code == 404


def test_a_route_goes_out_and_comes_in_again_as_json_and_as_a_table(running: Running) -> None:
    made(running, game="=The Lantern Mile")
    whole = running.client.get("/instruments/mile/route.json")
    assert [one["name"] for one in json.loads(whole.text)["splits"]] == ROUTE.splitlines()
    table = running.client.get("/instruments/mile/route.csv").text
    for name, data in (("a.json", whole.content), ("Long way.csv", table.encode())):
        running.press("/", "/instruments/mile/routes", files={"file": (name, data)})
    standing = running.runtime.call(lambda self: self.instruments.standing("mile"))
    assert standing is not None
    routes: Any = standing.view["routes"]
    assert [(one["name"], one["splits"]) for one in routes] == [
        ("=The Lantern Mile", 3),
        ("=The Lantern Mile 2", 3),
        ("Long way", 3),
    ]
    for data, why in (
        (b"", "Choose a file first"),
        (b"\xff\xfe\x00", "The file is not UTF-8 text"),
        (b"what", "names the columns"),
    ):
        answer = running.press("/", "/instruments/mile/routes", files={"file": ("x.csv", data)}, follow_redirects=True)
        assert why in flat(answer.text)


def test_a_split_has_a_page_of_its_own_for_its_picture_and_its_hits(running: Running) -> None:
    made(running)
    press(running, "next", "hit")
    gate = splits(running)[0][0]
    assert 'value="1"' in running.client.get(f"/instruments/mile/splits/{gate}").text
    answer = running.do(
        f"instrument.command?instrument=mile&command=change_split&split={gate}", {"name": "", "group": "Low"}
    )
    assert (answer.status_code, "A split needs a name" in answer.text) == (422, True)
    running.do(
        f"instrument.command?instrument=mile&command=change_split&split={gate}", {"name": "Gate", "group": "Low"}
    )
    running.press("/", "/instruments/mile/do/set_hits", {"split": gate, "fight": "3", "way": "1"})
    page = flat(running.client.get("/instruments/mile/setup").text)
    assert "3 hits + 1 outside" in page
    assert 'ended in <span dir="auto">Gate</span>' in flat(running.client.get("/instruments/mile").text)


def test_attempts_are_told_on_the_page_and_as_a_table(running: Running) -> None:
    made(running)
    press(running, "next", "hit", "start_over", "next", "next", "next", "next", "best", "start_over")
    rows = list(csv.DictReader(io.StringIO(running.client.get("/instruments/mile/attempts.csv").text)))
    assert [(one["attempt"], one["ended_in"], one["through"], one["hits"], one["splits_passed"]) for one in rows] == [
        ("1", "Gatekeeper", "no", "1", "0"),
        ("2", "", "yes", "0", "3"),
    ]
    page = flat(running.client.get("/instruments/mile/history").text)
    assert "✓ complete" in page
    assert "✕ Gatekeeper" in page
    assert "Attempt 2: <b>0 hits</b>" in page
    assert "2 reached; needs 10" in page


def test_a_press_comes_by_the_api_and_a_second_one_at_once_is_told(running: Running) -> None:
    made(running, apart_ms="5000")
    press(running, "next", "hit")
    answer = running.client.post("/api/instruments/mile/hit", headers=running.auth)
    assert (answer.status_code, "twice within 5000 ms counts once" in answer.text) == (422, True)
    answer = running.client.post("/api/instruments/mile/way_hit", headers=running.auth)
    assert answer.status_code in (200, 202)
