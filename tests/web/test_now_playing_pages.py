"""The pages of now playing: who tells of music and in which order, what was played, and taking it along."""

from __future__ import annotations

import xml.etree.ElementTree as ElementTree
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from tesoura.core.tracks.lists import ListedTrack, lines, stream_time, uri, xspf
from tesoura.standins.music import MusicPlayer
from tests.conftest import Running, flat, until

T = datetime(2026, 11, 26, 20, 0, tzinfo=UTC)
XSPF = "{http://xspf.org/ns/0/}"


def music(running: Running) -> None:
    running.do("instrument.new?kind=now_playing", {"title": "Now playing"})


def tell(running: Running, kind: str, source: str, at: datetime | None = None, **data: Any) -> None:
    event: dict[str, Any] = {"type": f"track.{kind}", "source": source, "data": data}
    if at is not None:
        event["time"] = at.isoformat()
    assert running.client.post("/api/events", json=event, headers=running.auth).status_code == 202


def page(running: Running, path: str = "/instruments/now_playing") -> str:
    return flat(running.client.get(path).text)


def test_the_first_card_is_two_presses_from_a_players_page(running: Running) -> None:
    player = MusicPlayer()
    player.start()
    player.play(0)
    address = {"address": f"{player.address}/now", "title": "Kettle", "unit": "guess", "period_s": "1"}
    shown = running.press("/", "/feeds/new/music", address, follow_redirects=True)
    assert "Playing: Paper Weather – The Slow Kettles" in shown.text
    assert "Add to an overlay" in shown.text
    made = running.press("/", "/instruments/first-card", follow_redirects=True)
    player.stop()
    assert "On air" in made.text
    assert "Song card" in made.text
    assert "Add another card" in running.client.get("/feeds/kettle").text


def test_the_order_of_sources_is_changed_and_survives_a_restart(running: Running) -> None:
    music(running)
    tell(running, "start", "radio", title="Left of the Lighthouse", position_s=0, length_s=187)
    tell(running, "start", "kettle", title="Paper Weather", position_s=0, length_s=220)
    assert "Current source: radio, the first of 2 that are playing." in page(running)
    running.press("/", "/instruments/now_playing/do/prefer", {"source": "kettle", "at": "0"})
    assert "Current source: kettle, the first of 2 that are playing." in page(running)
    running.kill()
    anew = Running(running.folder)
    try:
        # Nothing that was told before the start is known to be true any more.
        assert "kettle, radio can't be reached now." in page(anew)
        tell(anew, "start", "radio", title="Left of the Lighthouse", position_s=10, length_s=187)
        tell(anew, "start", "kettle", title="Paper Weather", position_s=10, length_s=220)
        # The second change within a second waits for its end.
        assert until(lambda: anew.signal("now_playing.source")["value"] == "kettle")
    finally:
        anew.stop()


def test_what_cannot_be_done_says_why(running: Running) -> None:
    music(running)
    said = running.press("/", "/instruments/now_playing/do/not_this", follow_redirects=True)
    assert "Nothing is playing, so there is nothing to ignore." in said.text
    said = running.press(
        "/", "/instruments/now_playing/do/play", {"title": "", "length": "3:40"}, follow_redirects=True
    )
    assert "Give the title of the track." in said.text
    said = running.press("/", "/instruments/now_playing/do/prefer", {"source": "nobody"}, follow_redirects=True)
    assert "There is no music source of that name." in said.text


def test_a_title_with_html_in_it_is_a_title(running: Running) -> None:
    music(running)
    tell(running, "start", "x", title="<script>alert(1)</script> & more 🪁", artists=["<b>B</b>"], position_s=0)
    shown = page(running)
    assert "&lt;script&gt;alert(1)&lt;/script&gt; &amp; more 🪁" in shown
    assert "<script>alert(1)" not in shown


def test_what_was_played_is_listed_searched_and_taken_along(running: Running) -> None:
    music(running)
    now = datetime.now(UTC)
    running.do("session.start")
    began = until(lambda: running.runtime.call(lambda self: self.session_started_at))
    # Two that are over: each counts at its own time, though both are told late.
    for at, title in ((now - timedelta(minutes=20), "Paper Weather"), (now - timedelta(minutes=10), "=Umbrella")):
        tell(running, "start", "kettle", at, title=title, artists=["The Slow Kettles"], length_s=220, position_s=0)
        tell(running, "stop", "kettle", at + timedelta(seconds=200))
    all_of = "/instruments/now_playing/played?session=all"
    listed = until(lambda: (found := page(running, all_of)).count('<td dir="auto">The Slow Kettles') > 1 and found)
    assert listed.index("=Umbrella</td>") < listed.index("Paper Weather</td>")
    assert "Paper Weather</td>" not in page(running, f"{all_of}&find=umbrella")
    assert "No played track matches." in page(running, f"{all_of}&find=x")
    # They were played before this session began.
    assert began is not None
    assert "No tracks yet" in page(running, "/instruments/now_playing/played")
    root = ElementTree.fromstring(running.client.get("/instruments/now_playing/played.xspf?session=all").text)
    assert [one.text for one in root.iter(f"{XSPF}title")] == ["Now playing", "Paper Weather", "=Umbrella"]
    assert [one.text for one in root.iter(f"{XSPF}duration")] == ["220000", "220000"]
    plain = running.client.get("/instruments/now_playing/played.txt?session=all").text
    assert plain.splitlines() == ["0:00:00 Paper Weather – The Slow Kettles", "0:00:00 =Umbrella – The Slow Kettles"]
    table = running.client.get("/instruments/now_playing/records/played.csv").text
    assert "'=Umbrella,The Slow Kettles" in table
    for wrong in ("/instruments/now_playing/played.exe", "/instruments/nobody/played"):
        assert running.client.get(wrong).status_code == 404


@pytest.mark.parametrize(
    ("link", "valid"),
    [
        (
            "https://kettles.example/a b/é?q=1 2&x={y}#z|w",
            "https://kettles.example/a%20b/%C3%A9?q=1%202&x=%7By%7D#z%7Cw",
        ),
        ("https://kettles.example/a%20b/100%", "https://kettles.example/a%20b/100%25"),
        ("https://käse.example:8080/", "https://xn--kse-qla.example:8080/"),
        ("http://[::1]:9/x", "http://[::1]:9/x"),
        ("https://kettles.example:x/", ""),
        ("https://[::1/", ""),
        ("https:///nowhere", ""),
        ("javascript:alert(1)", ""),
        ("", ""),
    ],
)
def test_links_of_a_playlist_are_valid_uris(link: str, valid: str) -> None:
    assert uri(link) == valid


def test_a_playlist_is_xspf_whatever_the_titles() -> None:
    told = xspf("Evening", [ListedTrack(T, "A & <B>\x00\ud800", "C", length_s=12.5, link="javascript:1")])
    root = ElementTree.fromstring(told)
    (track,) = root.iter(f"{XSPF}track")
    assert {child.tag.removeprefix(XSPF): child.text for child in track} == {
        "title": "A & <B>",
        "creator": "C",
        "annotation": "2026-11-26T20:00:00+00:00",
        "duration": "12500",
    }
    assert root.attrib == {"version": "1"}


@pytest.mark.parametrize(("after_s", "time"), [(0, "0:00:00"), (725, "0:12:05"), (36_000, "10:00:00"), (-5, "0:00:00")])
def test_times_in_the_stream_are_counted_from_its_start(after_s: int, time: str) -> None:
    assert stream_time(T + timedelta(seconds=after_s), T) == time
    assert lines([ListedTrack(T + timedelta(seconds=after_s), "A", "B")], T) == f"{time} A – B\n"
