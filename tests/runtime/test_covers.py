"""Covers: fetched once, beside everything else; nothing of this machine, nothing that is no picture."""

from __future__ import annotations

import base64
import io
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from tesoura.errors import FileRefused
from tesoura.runtime import covers
from tesoura.runtime.facade import Runtime
from tesoura.standins.covers import cover
from tesoura.standins.music import PLAYLIST, MusicPlayer, Song
from tesoura.store import covers as kept
from tesoura.uploads.covers import small_cover
from tests.conftest import Running, until

PNG = cover("paper_weather")


@pytest.fixture
def player() -> Iterator[MusicPlayer]:
    made = MusicPlayer(
        songs=(
            *PLAYLIST[:2],
            *(Song(f"Song {name}", "", 200.0, cover=name) for name in ("page", "elsewhere", "nothing_there", "never")),
        )
    )
    made.start()
    made.play(0)
    yield made
    made.stop()


def music(running: Running) -> None:
    """An instrument that hears music."""
    running.do("instrument.new?kind=now_playing", {"title": "Now playing", "leaves_after_s": "6"})


def hears(running: Running, player: MusicPlayer) -> None:
    """A feed that hears the player."""
    running.press("/", "/feeds/new/music", {"address": player.socket_address, "title": "Kettle", "unit": "guess"})


def value(running: Running, name: str) -> Any:
    return running.signal(f"now_playing.{name}")["value"]


def start(running: Running, **data: Any) -> None:
    """A script tells of a track."""
    event = {"type": "track.start", "source": "script", "data": {"title": "Paper Weather", **data}}
    assert running.client.post("/api/events", json=event, headers=running.auth).status_code == 202


def why(running: Running) -> str:
    """Why the present track has no cover."""

    def ask(self: Runtime) -> str:
        standing = self.instruments.standing("now_playing")
        return str(standing.view["cover"].why) if standing else ""

    return running.runtime.call(ask)


def test_a_players_cover_is_fetched_made_small_and_colours_come_with_it(running: Running, player: MusicPlayer) -> None:
    music(running)
    hears(running, player)
    name = until(lambda: value(running, "cover"))
    found = running.client.get(f"/covers/{name}")
    assert found.headers["content-type"] == "image/jpeg"
    assert Image.open(io.BytesIO(found.content)).size == (600, 600)
    assert [one[0] for one in value(running, "tint").split()] == ["#"] * 4
    player.next()
    until(lambda: value(running, "title") == "Left of the Lighthouse")
    assert until(lambda: value(running, "cover") not in (None, name))


@pytest.mark.parametrize(
    ("at", "words"),
    [(2, "the response is not a picture"), (3, "points to this machine or network"), (4, "answered 404")],
)
def test_what_is_no_cover_leaves_the_card_without_one_and_says_why(
    running: Running, player: MusicPlayer, at: int, words: str
) -> None:
    music(running)
    hears(running, player)
    player.play(at)
    assert until(lambda: words in why(running) or None)
    assert until(lambda: (value(running, "title"), value(running, "cover")) == (player.song.title, None))


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("http://127.0.0.1:9/cover.png", "points to this machine or network"),
        ("http://localhost:9/cover.png", "points to this machine or network"),
        ("http://[::1]/cover.png", "points to this machine or network"),
        ("http://10.0.0.1/cover.png", "points to this machine or network"),
        ("http://169.254.1.1/latest", "points to this machine or network"),
        ("http://0x7f.1/cover.png", "points to this machine or network"),
        ("file:///etc/hostname", "only a player on this machine may use a local file"),
        ("gopher://x.example/1", "can't be used"),
        ("http://no-such-host.invalid/c.png", "was not found"),
        ("http://[bad/c.png", "can't be read"),
        ("data:image/png;base64,!!", "the response is not a picture"),
        ("data:image/png;base64," + base64.b64encode(b"<svg/>").decode(), "the response is not a picture"),
    ],
)
def test_a_script_may_let_nothing_of_this_machine_be_asked(running: Running, address: str, words: str) -> None:
    music(running)
    start(running, cover=address)
    assert until(lambda: words in why(running) or None)
    assert value(running, "title") == "Paper Weather"


def test_a_cover_that_never_arrives_keeps_nobody_waiting(
    running: Running, player: MusicPlayer, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(covers, "WITHIN_S", 0.3)
    music(running)
    hears(running, player)
    player.play(5)
    assert until(lambda: value(running, "title")) in ("Paper Weather", "Song never")
    assert until(lambda: "it didn't arrive within" in why(running) or None)
    assert (value(running, "title"), value(running, "cover")) == ("Song never", None)
    # Another one is had at once.
    player.play(0)
    assert until(lambda: value(running, "cover"))


def test_a_cover_in_the_event_itself_is_taken(running: Running) -> None:
    music(running)
    start(running, cover="data:image/png;base64," + base64.b64encode(_picture(64, 64)).decode())
    assert until(lambda: value(running, "cover"))


def test_a_cover_is_there_again_after_a_crash(running: Running, player: MusicPlayer) -> None:
    music(running)
    hears(running, player)
    name = until(lambda: value(running, "cover"))
    running.kill()
    anew = Running(running.folder)
    try:
        assert until(lambda: value(anew, "cover")) == name
        assert until(lambda: value(anew, "title")) == "Paper Weather"
    finally:
        anew.stop()


def _picture(width: int, height: int, mode: str = "RGB") -> bytes:
    out = io.BytesIO()
    Image.new(mode, (width, height)).save(out, "PNG")
    return out.getvalue()


def test_a_picture_of_forty_megapixels_is_not_opened() -> None:
    with pytest.raises(FileRefused, match="8,000 × 5,000 pixels"):
        small_cover(_picture(8_000, 5_000, "L"))


@pytest.mark.parametrize("data", [b"", b"<html>", PNG[:2_000], b"GIF89a" + b"\xff" * 40])
def test_what_is_damaged_or_no_picture_is_refused(data: bytes) -> None:
    with pytest.raises(FileRefused):
        small_cover(data)


def test_a_cover_is_made_small_and_what_is_transparent_becomes_grey() -> None:
    small, pixels = small_cover(_picture(2_000, 1_000, "RGBA"))
    assert Image.open(io.BytesIO(small)).size == (640, 320)
    assert set(pixels) == {(128, 128, 128)}
    assert len(small_cover(_picture(3, 2))[1]) == 6


def test_covers_are_kept_within_a_bound(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(kept, "MOST", 3)
    names = [kept.keep(tmp_path, bytes([number])) for number in range(5)]
    assert [kept.path_of(tmp_path, name) is not None for name in names] == [False, False, True, True, True]
    assert kept.path_of(tmp_path, "../secret.key") is None
