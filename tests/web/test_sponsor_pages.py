"""Pages of sponsors: campaigns and rotations set up wrongly, and what a session's report tells and gives away."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

import pytest

from tesoura.errors import CommandRefused
from tesoura.store import overlays
from tests.conftest import Running, flat, until
from tests.runtime.test_clips import act
from tests.uploads.test_uploads import png

TEA = {"title": "Tea", "sponsor": "=Cordel Tea", "points": "North slope", "minutes": "2", "reads": "1"}


def made(running: Running, **more: str) -> None:
    act(running, "instrument.new", kind="campaign", choices={**TEA, **more})
    act(running, "instrument.new", kind="rotation", choices={"title": "Turns", "hidden_s": "0"})
    running.do("session.start")


@pytest.mark.parametrize(
    ("kind", "typed", "why"),
    [
        ("campaign", {"sponsor": ""}, "Enter a name"),
        ("campaign", {"sponsor": "Tea", "link": "javascript:alert(1)"}, "can't be used"),
        ("campaign", {"sponsor": "Tea", "first_day": "2026-11-27", "last_day": "2026-11-26"}, "before it starts"),
        ("rotation", {"shown_s": "0"}, "from 1 to 86400"),
        ("rotation", {"hidden_s": "-5"}, "from 0 to 86400"),
        ("rotation", {"order": "loudest"}, "is not one of these"),
    ],
)
def test_a_wrong_value_is_refused(running: Running, kind: str, typed: dict[str, str], why: str) -> None:
    answer = running.do(f"instrument.new?kind={kind}", {"title": "It", **typed})
    assert (answer.status_code, why in flat(answer.text)) == (422, True)


def test_a_rotation_of_nothing_says_what_is_missing(running: Running) -> None:
    act(running, "instrument.new", kind="rotation", choices={"title": "Turns"})
    page = flat(running.client.get("/instruments/turns").text)
    assert "Nothing to show: no campaign yet." in page
    assert "Create campaign" in page
    act(running, "instrument.new", kind="campaign", choices={**TEA, "last_day": "2020-01-01"})
    page = flat(running.client.get("/instruments/turns").text)
    assert "no running campaign has an item" in page


def test_a_report_tells_all_campaigns_or_one_and_no_cell_of_it_is_a_formula(running: Running) -> None:
    made(running)
    page = flat(running.client.get("/reports/1/sponsors").text)
    assert "below target" in page
    rows = list(csv.DictReader(io.StringIO(running.client.get("/reports/1/sponsors.csv").text)))
    assert [(one["campaign"], one["sponsor"], one["promised_minutes"], one["kept"]) for one in rows] == [
        ("Tea", "'=Cordel Tea", "2.0", "no")
    ]
    told: dict[str, Any] = json.loads(running.client.get("/reports/1/sponsors.json?campaign=tea").text)
    assert ([one["name"] for one in told["campaigns"]], told["signed"]["how"]) == (["tea"], "Ed25519 of parts")
    assert running.client.get("/reports/1/sponsors?campaign=nobody").status_code == 404
    assert running.client.get("/reports/7/sponsors").status_code == 404


def test_a_report_goes_over_several_sessions(running: Running) -> None:
    made(running)
    running.do("session.start")
    page = running.client.get("/reports/2/sponsors").text
    assert 'name="also" value="1"' in page
    told = json.loads(running.client.get("/reports/2/sponsors.json?also=1&also=x").text)
    assert (len(told["spans"]), told["campaigns"][0]["promised"]["minutes"]) == (2, 4.0)
    assert running.client.get("/reports/2/sponsors?also=9").status_code == 404


def test_a_campaign_that_was_put_away_is_in_the_report_still(running: Running) -> None:
    made(running)
    running.do("instrument.remove?instrument=tea")
    assert "Tea" in flat(running.client.get("/reports/1/sponsors").text)


def test_another_campaign_is_made_like_one_with_its_items(running: Running) -> None:
    made(running, link="https://tea.example/ladder")
    act(running, "instrument.command", instrument="tea", command="add_item", words="the teapot", text="Tea", seconds=6)
    answer = running.do("instrument.copy?instrument=tea")
    assert "Tea 2" in flat(running.client.get(answer.headers.get("location", "/instruments/tea_2")).text)
    one = running.runtime.call(lambda self: self.instruments.standing("tea_2"))
    assert one is not None
    assert (one.setup.choices["link"], [dict(item.values)["words"] for item in one.items]) == (
        "https://tea.example/ladder",
        ["the teapot"],
    )
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
    with pytest.raises(CommandRefused, match="already, which is the maximum"):
        act(running, "instrument.command", instrument="tea", command="add_item", words="more", text="Tea", seconds=1)


def sent(running: Running, path: str, data: bytes) -> Any:
    return running.press("/", path, files={"file": ("mark.png", data)}).json()


def test_a_file_is_replaced_everywhere_at_once_and_that_is_taken_back_at_once(running: Running) -> None:
    made(running)
    old = sent(running, "/media/picture", png(8, 8))["name"]
    act(running, "instrument.change", instrument="tea", choices={**TEA, "mark": old})
    act(running, "instrument.command", instrument="tea", command="add_item", words="the pot", picture=old, seconds=6)
    running.add_overlay("hello")
    running.edit(1, {"do": "add", "kind": "picture", "set": {"media": old}})
    running.publish(1)
    # What waits in the draft waits on.
    running.edit(1, {"do": "change", "pieces": ["text"], "set": {"x": 7}})

    def shown() -> list[str]:
        tea = running.runtime.call(lambda self: self.instruments.standing("tea"))
        assert tea is not None
        draft, air = running.store.read(
            lambda session: (
                overlays.draft_of(session, overlays.all_overlays(session)[0]),
                overlays.on_air(session, overlays.all_overlays(session)[0]).overlay,
            )
        )
        assert [one["x"] for one in draft.pieces if one.id == "text"] == [7]
        assert [one["x"] for one in air.pieces if one.id == "text"] != [7]
        pictures = [one["media"] for overlay in (draft, air) for one in overlay.pieces if one.kind == "picture"]
        return [tea.setup.choices["mark"], tea.items[0].values["picture"], *pictures]

    assert shown() == [old] * 4
    told = sent(running, f"/media/picture/in-place-of/{old}", png(9, 9))
    assert (told["words"], shown()) == ("“mark.png” is in the place of “mark.png”, in 4 places.", [told["name"]] * 4)
    assert [one["picture"] for one in items(running)] == [told["name"]]
    running.press("/", "/desk/undo")
    assert shown() == [old] * 4
    again = running.press("/", f"/media/picture/in-place-of/{old}", files={"file": ("mark.png", png(8, 8))})
    assert (again.status_code, again.json()["wrong"]) == (422, "This is the same file. Give the new one.")
    lost = running.press("/", "/media/picture/in-place-of/nobody.png", files={"file": ("mark.png", png(8, 8))})
    assert (lost.status_code, lost.json()["wrong"]) == (422, "There is no such file.")
    unused = sent(running, "/media/picture", png(7, 7))["name"]
    nowhere = sent(running, f"/media/picture/in-place-of/{unused}", png(6, 6))
    assert "” isn't used anywhere, so there is nothing to replace" in nowhere["wrong"]


def test_the_plan_is_drawn_before_the_rotation_is_made(running: Running) -> None:
    made(running)
    act(running, "instrument.command", instrument="tea", command="add_item", words="the pot", text="Tea", seconds=6)
    until(lambda: len(items(running)) == 1)
    page = flat(running.press("/", "/instruments/try/rotation", {"title": "Another", "hidden_s": "0"}).text)
    assert "The next 4 hours" in page
    assert "=Cordel Tea" in page


def test_all_campaigns_are_one_panel_on_the_desk_and_the_one_that_is_read_comes_first(running: Running) -> None:
    for sponsor in ("Cordel Tea", "Halfmoon"):
        act(running, "instrument.new", kind="campaign", choices={"title": sponsor, "sponsor": sponsor})
    desk = flat(running.client.get("/").text)
    assert desk.count('data-open-panel="/instruments/of-kind/campaign"') == 1
    assert 'data-panel="cordel_tea"' in running.client.get("/instruments/of-kind/campaign").text
    act(running, "instrument.command", instrument="halfmoon", command="begin_read")
    assert 'data-panel="halfmoon"' in running.client.get("/instruments/of-kind/campaign").text
    assert 'data-panel="cordel_tea"' in running.client.get("/instruments/of-kind/campaign?of=cordel_tea").text
    assert running.client.get("/instruments/of-kind/countdown").status_code == 404
    assert running.client.get("/instruments/of-kind/nothing").status_code == 404


def test_the_report_draws_how_a_campaign_looked_in_the_slot_it_was_shown_in(running: Running) -> None:
    made(running)
    running.add_overlay("hello")
    running.edit(
        1,
        {
            "do": "add",
            "kind": "sponsor",
            "set": {"rotation": "turns", "x": 100, "y": 200, "width_px": 400, "height_px": 200, "room_pct": 10},
        },
    )
    running.publish(1)
    picture = sent(running, "/media/picture", png(8, 8))["name"]
    act(
        running, "instrument.command", instrument="tea", command="add_item", words="the pot", picture=picture, seconds=6
    )
    until(lambda: "the pot</span> at" in flat(running.client.get("/reports/1/sponsors").text))
    page = flat(running.client.get("/reports/1/sponsors").text)
    # A tenth of the slot's shorter side is free around the mark.
    assert f'href="/media/{picture}" x="120.0" y="220.0" width="360.0" height="160.0"' in page
