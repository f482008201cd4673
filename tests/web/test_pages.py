"""The pages by themselves: set-up with bad input, the mat's answers, overlays right at first paint."""

from __future__ import annotations

import gzip
import json
import re
from datetime import timedelta
from typing import Any

import pytest
from websockets.sync.client import connect

from tesoura.runtime.preferences import machine_zone as zone
from tesoura.settings import PAGE_PARTS, STATIC
from tesoura.standins.members import DEFAULT_KEY, MembersService
from tests.conftest import Running, until

FEED = {"title": "Reach", "key_in": "none", "period_s": "1"}


def test_a_feed_that_answers_is_kept_and_shows_what_came(running: Running, members: MembersService) -> None:
    made = running.press(
        "/feeds/new/http", "/feeds/new/http", {**FEED, "address": f"{members.address}/channels/mara_vane"}
    )
    assert made.headers["location"] == "/feeds/reach"
    until(lambda: "channel.members" in running.client.get("/feeds/reach").text)


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("counts", "” is not a full address"),
        ("ftp://x/y", "can't be used"),
        ("http://127.0.0.1:1/", "connection was refused"),
        ("{service}/channels/nobody", "(404)"),
        ("{service}/channels/mara_vane/exact", "needs a key (401)"),
    ],
)
def test_a_feed_that_does_not_work_says_why_and_keeps_what_was_typed(
    running: Running, members: MembersService, address: str, words: str
) -> None:
    typed = address.format(service=members.address)
    answer = running.press("/feeds/new/http", "/feeds/new/http", {**FEED, "address": typed})
    assert answer.status_code == 422
    assert words in answer.text.replace("&#39;", "'")
    assert f'value="{typed}"' in answer.text


def test_a_feed_can_be_kept_before_it_works(running: Running) -> None:
    made = running.press(
        "/feeds/new/http", "/feeds/new/http", {**FEED, "address": "http://127.0.0.1:1/", "keep_anyway": "yes"}
    )
    assert made.status_code == 302
    until(lambda: running.client.get("/healthz").json()["feeds"] == {"reach": "down"})


def test_a_key_typed_is_kept_over_a_failed_try_and_is_on_no_page(running: Running, members: MembersService) -> None:
    typed = {**FEED, "key_in": "header", "key_name": "X-Key", "key": DEFAULT_KEY}
    failed = running.press("/feeds/new/http", "/feeds/new/http", {**typed, "address": "http://127.0.0.1:1/"})
    assert DEFAULT_KEY not in failed.text
    sealed = re.search(r'name="sealed" value="([^"]+)"', failed.text)
    assert sealed
    again = {**typed, "key": "", "sealed": sealed[1], "address": f"{members.address}/channels/mara_vane/exact"}
    assert running.press("/feeds/new/http", "/feeds/new/http", again).status_code == 302
    assert DEFAULT_KEY not in running.client.get("/feeds/reach").text
    shown = running.press("/feeds/reach", "/feeds/reach/secret/key", {"show": "yes"})
    assert DEFAULT_KEY in shown.text
    assert DEFAULT_KEY not in running.press("/feeds/reach", "/feeds/reach/secret/key", {"show": "no"}).text


@pytest.fixture
def reach(running: Running, members: MembersService) -> Running:
    running.press("/feeds/new/http", "/feeds/new/http", {**FEED, "address": f"{members.address}/channels/mara_vane"})
    until(lambda: "channel.members" in running.client.get("/feeds/reach").text)
    return running


def test_a_click_on_a_value_proves_it_before_it_is_kept(reach: Running) -> None:
    answer = reach.press("/feeds/reach", "/feeds/reach/pick", {"path": "channel.members"})
    assert re.search(r"Value now:.*?1,284", answer.text, re.DOTALL)
    assert 'name="field" value="members"' in answer.text
    choice = {"path": "channel.members", "field": "members", "unit": "kite friends", "wanted": "number"}
    kept = reach.do("feed.pick?feed=reach", choice)
    assert kept.status_code == 302
    assert until(lambda: reach.signal("reach.members"))["value"] == 1284


@pytest.mark.parametrize(
    ("path", "wanted", "field", "words"),
    [
        ("channel.nobody", "number", "members", "matches nothing"),
        ("channel.name", "number", "members", "a number is needed"),
        ("channel..", "number", "members", "Not a valid JMESPath:"),
        ("channel.members", "number", "", "Give the signal a name"),
    ],
)
def test_a_value_that_cannot_be_kept_says_why(reach: Running, path: str, wanted: str, field: str, words: str) -> None:
    answer = reach.do("feed.pick?feed=reach", {"path": path, "wanted": wanted, "field": field})
    assert answer.status_code == 422
    assert words in answer.text


def test_two_signals_of_one_feed_and_no_two_of_one_name(reach: Running) -> None:
    first = {"path": "channel.members", "wanted": "number", "field": "Members"}
    assert reach.do("feed.pick?feed=reach", first).status_code == 302
    assert "reach.members already" in reach.do("feed.pick?feed=reach", first).text
    second = {"path": "channel.viewers", "wanted": "number", "field": "viewers"}
    assert reach.do("feed.pick?feed=reach", second).status_code == 302
    names = {one["name"] for one in reach.client.get("/api/signals", headers=reach.auth).json()}
    assert names == {"reach.members", "reach.viewers"}


def test_a_signal_that_was_removed_comes_back_as_it_was(reach: Running) -> None:
    choice = {"path": "channel.members", "field": "members", "unit": "kite friends", "wanted": "number"}
    reach.do("feed.pick?feed=reach", choice)
    reach.do("feed.unpick?feed=reach&field=members")
    assert reach.client.get("/api/signals", headers=reach.auth).json() == []
    reach.undo("/feeds/reach")
    signal = until(lambda: (one := reach.signal("reach.members")).get("value") and one)
    assert (signal["value"], signal["unit"]) == (1284, "kite friends")


def test_a_feed_that_was_removed_comes_back_with_its_signals(reach: Running) -> None:
    reach.do("feed.pick?feed=reach", {"path": "channel.members", "wanted": "number", "field": "members"})
    reach.do("feed.remove?feed=reach")
    assert reach.client.get("/feeds/reach").status_code == 404
    assert reach.client.get("/api/signals", headers=reach.auth).json() == []
    reach.do("feed.restore?feed=reach")
    assert until(lambda: reach.signal("reach.members")["value"]) == 1284


def test_a_feed_says_down_while_it_fails_and_live_when_it_is_back(reach: Running, members: MembersService) -> None:
    reach.do("feed.pick?feed=reach", {"path": "channel.members", "wanted": "number", "field": "members"})
    until(lambda: reach.signal("reach.members")["freshness"] == "live")
    members.fail("closed")
    until(lambda: reach.signal("reach.members")["freshness"] == "down")
    assert reach.signal("reach.members")["value"] == 1284
    assert "connection was refused" in reach.client.get("/feeds/table").text
    members.fail(None)
    reach.do("feed.ask?feed=reach")
    until(lambda: reach.signal("reach.members")["freshness"] == "live")


def test_a_paused_feed_is_held_and_changing_its_address_takes_effect(reach: Running, members: MembersService) -> None:
    reach.do("feed.pick?feed=reach", {"path": "channel.members", "wanted": "number", "field": "members"})
    until(lambda: reach.signal("reach.members")["freshness"] == "live")
    reach.do("feed.pause?feed=reach", {"paused": "yes"})
    assert reach.signal("reach.members")["freshness"] == "held"
    reach.do("feed.pause?feed=reach", {"paused": "no"})
    changed = {"address": f"{members.address}/channels/june_spool", "key_in": "none", "period_s": "1"}
    reach.do("feed.change?feed=reach", changed)
    until(lambda: reach.signal("reach.members")["value"] not in (1284, None))
    bad = reach.do("feed.change?feed=reach", {**changed, "period_s": "0"})
    assert (bad.status_code, "Give 1 to 86,400 seconds (one day)" in bad.text) == (422, True)


def mat(running: Running, choices: dict[str, Any]) -> Any:
    return running.edit(1, {"do": "change", "pieces": ["text"], "set": choices}, chosen=["text"])


@pytest.mark.parametrize(
    ("choices", "field", "words"),
    [
        ({"backing_opacity_pct": "140"}, "backing_opacity_pct", "from 0 to 100"),
        ({"colour": "#12"}, "colour", "six digits"),
        ({"wording": "{reach.members +}"}, "wording", "Column 17: the formula is incomplete"),
        ({"wording": "{open('x')}"}, "wording", "” is not a known function"),
        ({"wording": "{a.__class__}"}, "wording", "not a signal"),
    ],
)
def test_a_wrong_choice_on_the_mat_is_told_and_the_others_are_kept(
    running: Running, choices: dict[str, Any], field: str, words: str
) -> None:
    running.add_overlay("hello", size_px=64)
    answer = mat(running, {**choices, "size_px": "80"})
    assert answer.status_code == 422
    assert words in answer.json()["wrong"][field]
    assert "--size:80px" in answer.json()["stage"]
    assert "Text: size 64 → 80 px" in answer.json()["differs"]


def test_the_mat_says_what_a_wording_lacks(running: Running) -> None:
    running.add_overlay("hello")
    running.event(type="kill", data={"target": "tuck", "n": 0})
    unknown = mat(running, {"wording": "{kill.targte} fell", "nothing_yet": "nobody yet"}).json()
    assert unknown["sights"]["text"]["live"][""] == "nobody yet"
    assert "Column 2: there is no signal kill.targte. Did you mean kill.target?" in unknown["choices"]
    divided = mat(running, {"wording": "{1 / kill.n}"}).json()
    assert divided["sights"]["text"]["live"][""] == "nobody yet"
    assert "Column 6: division by zero. The “nothing yet” text is shown instead." in divided["choices"]
    grown = mat(running, {"wording": "{kill.count_this_session:,}", "grow_digits": "3"}).json()
    says = grown["sights"]["text"]
    assert (says["live"][""], says["grown"][""]) == ("1", "1,000")


def test_draft_and_on_air_are_two_things(running: Running) -> None:
    token = running.add_overlay("hello")
    mat(running, {"wording": "goodbye"})
    assert ">hello</span>" in running.client.get(f"/o/{token}").text
    running.publish(1)
    assert ">goodbye</span>" in running.client.get(f"/o/{token}").text


def test_an_overlay_is_right_at_first_paint_and_escapes_what_came(running: Running) -> None:
    token = running.add_overlay("{kill.target}", nothing_yet="nobody yet")
    assert ">nobody yet</span>" in running.client.get(f"/o/{token}").text
    running.event(type="kill", data={"target": "<script>alert(1)</script>"})
    page = running.client.get(f"/o/{token}")
    assert "&lt;script&gt;alert(1)&lt;/script&gt;" in page.text
    assert page.headers["cache-control"] == "no-store"


def test_an_overlays_page_is_told_of_values_and_of_a_new_version(running: Running) -> None:
    token = running.add_overlay("{kill.target}", nothing_yet="nobody yet")
    with connect(f"ws://127.0.0.1:{running.port}/live/{token}") as page:
        snapshot = json.loads(page.recv(5))
        assert (snapshot["kind"], snapshot["rev"], snapshot["values"]) == (
            "snapshot",
            1,
            {"@scene": "", "text": "nobody yet"},
        )
        page.send('{"width_px": 1280, "height_px": 720}')
        page.send("nonsense")
        running.event(type="kill", data={"target": "tuck"})
        assert json.loads(page.recv(5)) == {"kind": "patch", "seq": snapshot["seq"] + 1, "values": {"text": "tuck"}}
        state = until(lambda: "1280 × 720" in (html := running.client.get("/desk/overlays/1").text) and html)
        assert "1 page shows it" in state
        assert "Set that page to 1920 × 1080" in state
        running.publish(1)
        assert json.loads(page.recv(5))["kind"] == "reload"
    until(lambda: "not open on any page" in running.client.get("/desk/overlays/1").text)


def test_a_piece_told_to_hide_goes_when_its_feed_dies_and_comes_back_with_it(
    running: Running, members: MembersService
) -> None:
    running.add_feed(f"{members.address}/channels/mara_vane")
    token = running.add_overlay("{reach.members:,}", when_late="hide", when_down="hide")
    until(lambda: ">1,284</span>" in running.client.get(f"/o/{token}").text)
    members.fail("500")
    until(lambda: "hidden><div" in running.client.get(f"/o/{token}").text)
    assert "is hidden: reach.members is down." in running.client.get("/desk/overlays/1").text
    members.fail(None)
    running.do("feed.ask?feed=reach")
    until(lambda: ">1,284</span>" in running.client.get(f"/o/{token}").text)


def test_a_link_that_does_not_exist_shows_nothing_over_the_picture(running: Running) -> None:
    answer = running.client.get("/o/nobody")
    assert answer.status_code == 404
    assert "background: transparent" in answer.text
    assert "Copy the link again" in answer.text


def test_a_removed_overlays_link_stops_and_works_again_after_undo(running: Running) -> None:
    token = running.add_overlay("hello")
    running.do("overlay.remove?overlay=1")
    assert running.client.get(f"/o/{token}").status_code == 404
    running.do("overlay.restore?overlay=1")
    assert running.client.get(f"/o/{token}").status_code == 200


def test_the_overlays_page_is_small(running: Running) -> None:
    token = running.add_overlay("hello")
    parts = [running.client.get(f"/o/{token}").content]
    parts += [(STATIC / name).read_bytes() for name in PAGE_PARTS]
    assert sum(len(gzip.compress(part)) for part in parts) < 60_000


def test_a_session_is_started_and_taken_back(running: Running) -> None:
    running.event(type="kill", data={})
    running.do("session.start")
    assert running.signal("kill.count_this_session")["value"] == 0
    running.event(type="kill", data={})
    running.do("session.undo")
    assert running.signal("kill.count_this_session")["value"] == 2


def test_a_session_that_began_earlier_counts_what_came_before(running: Running) -> None:
    began = running.settings.clock() - timedelta(minutes=90)
    running.event(type="kill", time=(began + timedelta(minutes=1)).isoformat())
    running.do("session.start")
    assert running.signal("kill.count_this_session")["value"] == 0
    typed = f"{began.astimezone(zone()):%H:%M:%S}"
    assert running.do("session.correct", {"began": typed}).status_code == 302
    assert running.signal("kill.count_this_session")["value"] == 1
    running.undo()
    assert running.signal("kill.count_this_session")["value"] == 0
    assert "is not a time of day" in running.do("session.correct", {"began": "half past"}).text


def test_numbers_on_air_follow_the_language_chosen(running: Running) -> None:
    token = running.add_overlay("{kill.n:,}")
    running.event(type="kill", data={"n": 1284})
    running.do("choose.numbers", {"locale": "de"})
    assert ">1.284</span>" in running.client.get(f"/o/{token}").text


def test_a_key_is_made_shown_once_and_revoked(running: Running) -> None:
    made = running.press("/preferences/", "/preferences/keys", {"name": "lamp script"}, follow_redirects=True)
    key = re.search(r'data-copy="(tes_[^"]+)"', made.text)
    assert key
    assert key[1] not in running.client.get("/preferences/").text
    assert key[1] not in running.client.get(made.url).text
    auth = {"Authorization": f"Bearer {key[1]}"}
    assert running.client.get("/api/signals", headers=auth).status_code == 200
    running.do("key.revoke?number=2")
    assert running.client.get("/api/signals", headers=auth).status_code == 401
    assert "Enter a name" in running.press("/preferences/", "/preferences/keys", {"name": " "}).text


def test_pages_that_are_not_there_say_so(running: Running) -> None:
    for path in ("/feeds/nobody", "/overlays/99", "/nothing"):
        answer = running.client.get(path)
        assert answer.status_code == 404
        assert "Page not found" in answer.text


def test_signals_can_be_found_by_a_word(running: Running) -> None:
    running.event(type="kill", data={"target": "tuck"})
    running.event(type="gift", data={"name": "teacup_ana"})
    found = running.client.get("/signals/table?find=KILL targ").text
    assert "kill.target" in found
    assert "gift.name" not in found
    assert "No signal has “zebra”" in running.client.get("/signals/table?find=zebra").text


@pytest.mark.parametrize(
    ("posted", "page"),
    [
        ("/do/scene.set?scene=Play", "/"),
        ("/instruments/tea/do/start", "/instruments/tea"),
        ("/instruments/tea/rows", "/instruments/tea"),
        ("/overlays/import", "/overlays/"),
    ],
)
def test_an_address_that_a_form_posts_to_leads_to_its_page(running: Running, posted: str, page: str) -> None:
    running.do("instrument.new?kind=countdown", {"title": "Tea", "length": "5 min"})
    answer = running.client.get(posted, headers={"accept": "text/html"}, follow_redirects=False)
    assert (answer.status_code, answer.headers.get("location")) == (302, page)
