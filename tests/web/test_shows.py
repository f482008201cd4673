"""The whole show as one file: all of it but secrets out, looked at, and in again on another machine."""

from __future__ import annotations

import io
import json
import re
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.desk.leaves import Leaves
from tesoura.core.instruments.registry import KINDS
from tesoura.demo import evening
from tesoura.store import computed, feeds
from tesoura.store import log as event_log
from tesoura.store import overlays as stored_overlays
from tesoura.store import text_files as stored_files
from tests.conftest import Running, flat, until
from tests.web.test_starters import make

KEY = "string-theory-22"


@pytest.fixture
def other(tmp_path: Path) -> Iterator[Running]:
    """Another machine."""
    made = Running(tmp_path / "other")
    yield made
    made.stop()


def saved(running: Running) -> bytes:
    answer = running.client.get("/show/tesoura-show.zip")
    assert answer.status_code == 200
    return answer.content


def looked_at(running: Running, data: bytes) -> str:
    return running.press("/show/", "/show/look", files={"file": ("show.zip", data)}).text


def brought_in(running: Running, data: bytes) -> str:
    """Look at it and bring it in; what the page says then."""
    token = re.search(r'name="token"\s+value="([0-9a-f]{32})"', looked_at(running, data))
    assert token is not None
    running.press("/show/", "/show/bring", {"token": token[1]})
    return flat(running.client.get("/overlays/").text)


def told(running: Running) -> dict[str, Any]:
    """All that a show is made of, as it stands here."""

    def ask(session: Any) -> dict[str, Any]:
        return {
            "feeds": [(one.name, one.title, one.kind, dict(one.choices)) for one in feeds.all_feeds(session)],
            "computed": sorted(
                ((one.kind, one.name, dict(one.choices)) for one in computed.all_computed(session)), key=str
            ),
            "overlays": [
                (one.name, [piece["choices"] for piece in one.draft["pieces"]])
                for one in stored_overlays.all_overlays(session)
            ],
            "files": [(one.name, one.wording) for one in stored_files.all_files(session)],
        }

    found: dict[str, Any] = running.runtime.store.read(ask)
    leaves: Leaves = running.runtime.leaves.present
    found["leaves"] = [(one.name, [button.own for button in one.buttons]) for one in leaves.leaves]
    return found


@pytest.fixture
def show(running: Running) -> Running:
    """A show with some of each."""
    make(running, "wheel", 0, **{"ask-fields": "sing the score\nthe cold kettle"})
    make(running, "run", 0)
    make(running, "givers", 0)
    make(running, "text_files", 0)
    make(running, "starting_soon", 0)
    choices = {"address": "http://127.0.0.1:9/x", "key_in": "header", "key_name": "X-Key", "period_s": "60"}
    running.press("/feeds/new/http", "/feeds/new/http", {**choices, "key": KEY, "title": "Exact", "keep_anyway": "y"})
    return running


def test_a_show_comes_out_without_secrets_and_in_whole(show: Running, other: Running) -> None:
    data = saved(show)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        document = archive.read("show.json").decode()
    assert KEY not in document
    assert "whsec_" not in document
    assert all(row.token not in document for row in show.store.read(feeds.all_feeds) if row.token)

    preview = flat(looked_at(other, data))
    assert "Exact: give it its key again (the key)." in preview
    assert told(other)["feeds"] == []
    said = brought_in(other, data)
    assert "The show is in: 2 feeds, 1 computed signal, 3 instruments, 4 overlays, 3 leaves, 3 text files." in said
    assert told(other) == told(show)
    assert [one.values["words"] for one in other.runtime.instruments.standing("the_wheel").items] == [  # type: ignore[union-attr]
        "sing the score",
        "the cold kettle",
    ]
    assert [one.name for one in other.runtime.instruments.standing("the_lantern_mile").instrument.routes] == [  # type: ignore[union-attr]
        "The Lantern Mile"
    ]
    # The one that was looked at alone waits for an hour; the one that came in is gone.
    assert len(list(other.folder.glob("incoming-*"))) == 1


def test_a_show_beside_another_comes_in_under_free_names_and_is_taken_back_whole(show: Running) -> None:
    before = told(show)
    said = brought_in(show, saved(show))
    assert "The show is in" in said
    names = [name for _, name, _ in told(show)["computed"]]
    assert names.count("the_wheel") == names.count("the_wheel_2") == 1
    twice = [choices for name, pieces in told(show)["overlays"] if name == "The wheel 2" for choices in pieces]
    assert [one["wheel"] for one in twice] == ["the_wheel_2"]
    assert "Left out, because it can't be used here:" in said
    assert "latest_gift.txt" in said
    show.press("/", "/desk/undo")
    assert told(show) == before


def test_what_is_missing_here_is_named_before(running: Running, other: Running) -> None:
    rows = [
        {"name": "log", "title": "Game log", "kind": "follow", "choices": {"path": "/nowhere/match.log"}},
        {"name": "wind", "title": "Wind", "kind": "script", "choices": {"program": "wind.py"}},
        {"name": "mine", "title": "My channel", "kind": "channel", "choices": {}},
        {"name": "odd", "title": "Odd", "kind": "teapot", "choices": {}},
    ]
    preview = flat(looked_at(other, packed(feeds=rows)))
    assert "Game log: there is no /nowhere/match.log here. Choose where it is." in preview
    assert "Wind: put the program wind.py into the scripts folder." in preview
    assert "My channel: sign in there once more." in preview
    assert "Odd: an unknown kind of feed" in preview


def packed(**document: Any) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("show.json", json.dumps({"kind": "tesoura.show", "version": 1, **document}))
    return out.getvalue()


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"no zip", "The file is damaged or not a zip file"),
        (packed(version=2), "This show was saved by a newer Tesoura."),
        (packed(kind="tesoura.shelf"), "This file contains no show."),
        (packed(feeds=[{"name": "Not A Name"}]), "The show in the file is damaged"),
        (packed(feeds="many"), "The show in the file is damaged"),
        (packed(feeds=[{"name": "log", "kind": ["follow"]}]), "The show in the file is damaged"),
        (packed(instruments=[{"name": "tea", "kind": "wheel", "choices": ["x"]}]), "The show in the file is damaged"),
        (packed(feeds=[{"name": "log", "kind": "follow", "left_out": 5}]), "The show in the file is damaged"),
        (packed(media=[{"name": "x.png", "kind": "picture", "title": "Mark"}]), "The file Mark used by the show is"),
        (packed(computed=[{"name": "a"}] * 501), "at most 500 fit"),
        (b"", "Choose a file first."),
    ],
)
def test_a_file_that_is_no_show_says_why(running: Running, data: bytes, words: str) -> None:
    files = {"file": ("show.zip" if data else "", data)}
    running.press("/show/", "/show/look", files=files)
    assert words in flat(running.client.get("/show/").text)
    assert told(running)["feeds"] == []


def test_a_show_that_turns_out_damaged_half_way_leaves_nothing(running: Running) -> None:
    before = told(running)
    feed = {"name": "log", "title": "Log", "kind": "follow", "choices": {"path": "/nowhere/match.log"}}
    broken = {**feed, "name": "other", "rules": [{"type": "kill", "fields": ["no", "names"]}]}
    said = brought_in(running, packed(feeds=[feed, broken]))
    assert "The show in the file is damaged, and nothing of it was imported." in said
    assert told(running) == before


def test_only_a_file_that_was_looked_at_comes_in(running: Running) -> None:
    for token in ("../tesoura.db", "0" * 32, ""):
        running.press("/show/", "/show/bring", {"token": token})
        assert "The file is no longer here." in flat(running.client.get("/show/").text)


def test_the_demos_show_comes_over_whole(tmp_path: Path) -> None:
    from datetime import timedelta

    from tesoura.demo.services import Services
    from tesoura.settings import wall_clock
    from tesoura.store.store import open_store

    folder = tmp_path / "demo"
    folder.mkdir()
    services = Services(folder, 3, 1.0)
    store = open_store(folder)
    evening.seed_folder(store, services, wall_clock() - timedelta(minutes=1))
    store.close()
    here, there = Running(folder), Running(tmp_path / "there")
    try:
        data = saved(here)
        said = brought_in(there, data)
        assert "Left out" not in said
        was, now = told(here), told(there)
        assert [one[1:] for one in now["overlays"]] == [one[1:] for one in was["overlays"]]
        assert now["computed"] == was["computed"]
        assert now["leaves"] == was["leaves"]
        for name in re.findall(r'"media": "([^"]+)"', json.dumps(now)):
            assert there.client.get(f"/media/{name}").status_code == 200
    finally:
        here.stop()
        there.stop()


def chat_show() -> bytes:
    """A friend's show: a chat, a cue that answers in it, a wheel that speaks there, and a scene link."""
    document = {
        "kind": "tesoura.show",
        "version": 1,
        "feeds": [
            {
                "name": "chat",
                "title": "Chat",
                "kind": "irc",
                "had": ["token"],
                "choices": {
                    "host": "127.0.0.1",
                    "port": 6667,
                    "tls": "no",
                    "channel": "#windyladder",
                    "nick": "mara_helper",
                    "streamer": "mara_vane",
                },
            },
            {
                "name": "picture",
                "title": "Picture bench",
                "kind": "scene",
                "had": ["password"],
                "choices": {"way": "connect", "address": "ws://127.0.0.1:4455", "late_ms": 0},
            },
            {"name": "gifts", "title": "Gifts", "kind": "webhook", "choices": {"signed": "yes"}},
        ],
        "instruments": [
            {
                "name": "hello",
                "kind": "cue",
                "choices": {
                    **{name: field.default for name, field in KINDS["cue"].fields.items()},
                    "title": "Hello",
                    "when": "event",
                    "event": "gift",
                    "do_1": "set",
                    "signal_1": "script.hello",
                    "value_of_1": "1",
                },
            },
            {
                "name": "cup",
                "kind": "statistics",
                "choices": {
                    **{name: field.default for name, field in KINDS["statistics"].fields.items()},
                    "title": "Cup",
                    "player": "mara_vane",
                },
            },
        ],
        "files": [{"name": "kills.txt", "wording": "{cup.session_kills}"}],
        "left_here": {"keys": ["button box"], "devices": ["My phone"], "folders": 2},
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("show.json", json.dumps(document))
    return out.getvalue()


def test_an_imported_show_does_nothing_before_it_is_started(running: Running) -> None:
    page = flat(looked_at(running, chat_show()))
    assert "<dt>Chat</dt><dd>connects to #windyladder on 127.0.0.1" in page
    assert "<dt>Hello</dt><dd>set script.hello to 1" in page
    for step in (
        "Chat: give it its key again",
        "Picture bench: give it its key again (password",
        "Gifts: give the sender its new address and signing secret.",
        "Allow the folders",
        "Choose the folder for the text files",
        "Make API keys again for the programs that send to Tesoura (button box)",
        "Pair the phones and pads again (My phone)",
    ):
        assert step in page, step
    assert 'name="person-cup-player" value="mara_vane"' in page
    token = re.search(r'name="token"\s+value="([0-9a-f]{32})"', page)
    assert token is not None
    persons = {"person-cup-player": "otto_knot", "person-chat-nick": "otto_helper", "person-chat-streamer": "otto_knot"}
    running.press("/show/", "/show/bring", {"token": token[1], **persons})
    here = told(running)
    assert [(one[0], one[3].get("nick")) for one in here["feeds"]] == [
        ("chat", "otto_helper"),
        ("picture", None),
        ("gifts", None),
    ]
    paused = running.store.read(lambda session: {one.name: one.paused for one in feeds.all_feeds(session)})
    assert paused == {"chat": True, "picture": True, "gifts": False}

    running.event(type="gift", data={"name": "teacup_ana"})
    ended = until(lambda: [one for one in events(running) if one.type == "tesoura.effect_ended"])
    assert [(one.data["outcome"], one.data["why"]) for one in ended] == [
        ("paused", "it was imported and not started yet")
    ]
    assert running.client.get("/api/signals/script.hello", headers=running.auth).status_code == 404
    assert "Imported and paused: 2 feeds, 2 instruments" in flat(running.client.get("/").text)

    running.do("show.start_imported")
    assert "Imported and paused" not in running.client.get("/").text
    paused = running.store.read(lambda session: {one.name: one.paused for one in feeds.all_feeds(session)})
    assert not any(paused.values())
    running.event(type="gift", data={"name": "bolt_uncle"})
    assert until(lambda: running.signal("script.hello").get("value")) == 1


def test_what_waits_to_be_started_waits_after_a_restart_too(running: Running) -> None:
    brought_in(running, chat_show())
    running.stop()
    again = Running(running.folder)
    try:
        again.event(type="gift", data={"name": "teacup_ana"})
        until(lambda: [one for one in events(again) if one.data.get("outcome") == "paused"])
    finally:
        again.stop()


def events(running: Running) -> list[Any]:
    return [one.event for one in running.store.read(lambda session: event_log.latest(session, 100))]
