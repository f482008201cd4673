"""Covering what is private: marked before the first paint, by default while a session runs, by one key or action."""

from __future__ import annotations

import pytest

from tesoura.web.shared.covering import marked
from tests.conftest import Running

ON = '<span class="private">{}</span>'


@pytest.mark.parametrize(
    "private",
    [
        "mara.vane@pier.example", "http://10.0.0.3:8080/x?y=1", "wss://lamp.pier.example/live", "192.168.1.20",
        "127.0.0.1:9", "[::1]:8765", "localhost:5050/now", "studio.local", "chat.pier.example:6697",
        "/home/mara/a.json",
        "C:\\Users\\mara\\stats.txt", "tes_Ab3dEf6hIj9k", "dev_Zk3vQ0m2cXyT1nB8u", "Zk3vQ0m2cXyT1nB8uHs6WqLr",
        "file:///srv/match.json", "mqtt://broker:1883",
    ],
)  # fmt: skip
def test_what_is_private_is_marked_in_a_text(private: str) -> None:
    assert marked(f"<p>Nothing answers at {private} now.</p>") == f"<p>Nothing answers at {ON.format(private)} now.</p>"


@pytest.mark.parametrize(
    "text",
    ["It ends at 20:14:05.", "match.kills / max(1, match.deaths)", "reach.members is 1,284", "5:04", "Play → Talk",
     "windy_ladder_cup_evening_card", "the_match_of_the_evening_is_over", "version 0.4.0", "/api/events", "/o/abcd••"],
)  # fmt: skip
def test_what_is_not_private_is_left_as_it_is(text: str) -> None:
    assert marked(f"<p>{text}</p>") == f"<p>{text}</p>"


def test_fields_are_covered_until_somebody_steps_in_and_scripts_are_left_alone() -> None:
    assert marked('<input class="form-control" value="http://10.0.0.3/">') == (
        '<input class="private-field form-control" value="http://10.0.0.3/">'
    )
    assert marked('<input value="Lamp">') == '<input value="Lamp">'
    assert marked("<textarea>10.0.0.3</textarea>") == '<textarea class="private-field">10.0.0.3</textarea>'
    for whole in ("<script>const a = 'http://10.0.0.3/';</script>", "<title>10.0.0.3</title>",
                  '<a href="http://10.0.0.3/">there</a>', "<option>10.0.0.3</option>", "<!-- 10.0.0.3 -->",
                  ):  # fmt: skip
        assert marked(whole) == whole


def test_a_page_is_covered_while_a_session_runs_until_somebody_shows_it_and_again_in_the_next(running: Running) -> None:
    running.press("/", "/feeds/new/socket", {"title": "Lamp", "address": "ws://127.0.0.1:9/lamp", "key_in": "none",
                                             "subscribe": "", "ping_s": "20", "keep_anyway": "yes"})  # fmt: skip

    def covered() -> bool:
        page = running.client.get("/feeds/lamp").text
        assert ('<html lang="en" class="is-covered">' in page) == (ON.format("127.0.0.1:9") in page)
        return "is-covered" in page

    assert not covered()
    running.press("/", "/session/start")
    assert covered()
    assert ON.format("127.0.0.1:9") in running.client.get("/desk/needs").text
    assert running.press("/", "/desk/cover", {"covered": "no"}).status_code == 204
    assert not covered()
    running.stop()
    anew = Running(running.folder)
    try:
        assert "is-covered" not in anew.client.get("/").text
        anew.press("/", "/session/start")
        assert "is-covered" in anew.client.get("/").text
    finally:
        anew.stop()


def test_it_can_be_covered_without_a_session_and_overlays_are_never_touched(running: Running) -> None:
    token = running.add_overlay("mail us at pier@example.org")
    running.press("/", "/desk/cover", {"covered": "yes"})
    assert "is-covered" in running.client.get("/signals/").text
    assert "mail us at pier@example.org" in running.client.get(f"/o/{token}").text
    refused = running.client.post("/api/actions/private.cover", json={"covered": "no"}, headers=running.auth)
    assert refused.status_code == 403
