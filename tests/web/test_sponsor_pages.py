"""Pages of sponsors: campaigns and rotations set up wrongly, and what a session's report tells and gives away."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import pytest

from tesoura.errors import CommandRefused
from tests.conftest import Running, flat, until
from tests.runtime.test_clips import act

TEA = {"title": "Tea", "sponsor": "=Cordel Tea", "points": "North slope", "minutes": "2", "reads": "1"}


def made(running: Running, **more: str) -> None:
    act(running, "instrument.new", kind="campaign", choices={**TEA, **more})
    act(running, "instrument.new", kind="rotation", choices={"title": "Turns", "hidden_s": "0"})
    running.press("/", "/session/start")


@pytest.mark.parametrize(
    ("kind", "typed", "why"),
    [("campaign", {"sponsor": ""}, "This needs a name"),
     ("campaign", {"sponsor": "Tea", "link": "javascript:alert(1)"}, "leads viewers nowhere good"),
     ("campaign", {"sponsor": "Tea", "first_day": "2026-11-27", "last_day": "2026-11-26"}, "before it begins"),
     ("rotation", {"shown_s": "0"}, "from 1 to 86400"), ("rotation", {"hidden_s": "-5"}, "from 0 to 86400"),
     ("rotation", {"order": "loudest"}, "is not one of these")],
)  # fmt: skip
def test_what_is_set_up_wrongly_is_said_and_nothing_is_lost(
    running: Running, kind: str, typed: dict[str, str], why: str
) -> None:
    answer = running.press("/", f"/instruments/new/{kind}", {"title": "It", **typed})
    assert (answer.status_code, why in flat(answer.text)) == (422, True)
    assert 'value="It"' in answer.text


def test_a_rotation_of_nothing_says_what_is_missing(running: Running) -> None:
    act(running, "instrument.new", kind="rotation", choices={"title": "Turns"})
    page = flat(running.client.get("/instruments/turns").text)
    assert "There is nothing to show: there is no campaign yet." in page
    assert "Make a campaign" in page
    act(running, "instrument.new", kind="campaign", choices={**TEA, "last_day": "2020-01-01"})
    page = flat(running.client.get("/instruments/turns").text)
    assert "no campaign that goes on has an item" in page


def test_a_report_tells_all_campaigns_or_one_and_no_cell_of_it_is_a_formula(running: Running) -> None:
    made(running)
    page = flat(running.client.get("/reports/1/sponsors").text)
    assert "not all that was promised" in page
    rows = list(csv.DictReader(io.StringIO(running.client.get("/reports/1/sponsors.csv").text)))
    assert [(one["campaign"], one["sponsor"], one["promised_minutes"], one["kept"]) for one in rows] == [
        ("Tea", "'=Cordel Tea", "2.0", "no")]  # fmt: skip
    told: dict[str, Any] = json.loads(running.client.get("/reports/1/sponsors.json?campaign=tea").text)
    assert ([one["name"] for one in told["campaigns"]], told["signed"]["how"]) == (["tea"], "Ed25519")
    assert running.client.get("/reports/1/sponsors?campaign=nobody").status_code == 404
    assert running.client.get("/reports/7/sponsors").status_code == 404


def test_a_report_goes_over_several_sessions(running: Running) -> None:
    made(running)
    running.press("/", "/session/start")
    page = running.client.get("/reports/2/sponsors").text
    assert 'name="also" value="1"' in page
    told = json.loads(running.client.get("/reports/2/sponsors.json?also=1&also=x").text)
    assert (len(told["spans"]), told["campaigns"][0]["promised"]["minutes"]) == (2, 4.0)
    assert running.client.get("/reports/2/sponsors?also=9").status_code == 404


def test_a_campaign_that_was_put_away_is_in_the_report_still(running: Running) -> None:
    made(running)
    running.press("/", "/instruments/tea/remove")
    assert "Tea" in flat(running.client.get("/reports/1/sponsors").text)


def test_another_campaign_is_made_like_one_with_its_items(running: Running) -> None:
    made(running, link="https://tea.example/ladder")
    act(running, "instrument.command", instrument="tea", command="add_item", words="the teapot", text="Tea", seconds=6)
    answer = running.press("/", "/instruments/tea/copy")
    assert "Tea 2" in flat(running.client.get(answer.headers.get("location", "/instruments/tea_2")).text)
    one = running.runtime.call(lambda self: self.instruments.standing("tea_2"))
    assert one is not None
    assert (one.setup.choices["link"], [dict(item.values)["words"] for item in one.items]) == (
        "https://tea.example/ladder", ["the teapot"])  # fmt: skip
    until(lambda: [one["words"] for one in items(running)] == ["the teapot", "the teapot"])


def items(running: Running) -> list[dict[str, Any]]:
    standing = running.runtime.call(lambda self: self.instruments.standing("turns"))
    assert standing is not None
    found: list[dict[str, Any]] = standing.view["items"]
    return found


def test_five_hundred_items_go_round(running: Running) -> None:
    made(running)
    for at in range(500):
        act(running, "instrument.command", instrument="tea", command="add_item", words=f"{at}", text="Tea", seconds=1)
    until(lambda: len(items(running)) == 500)
    with pytest.raises(CommandRefused, match="the most there can be"):
        act(running, "instrument.command", instrument="tea", command="add_item", words="more", text="Tea", seconds=1)
