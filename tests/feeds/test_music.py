"""Where music is heard from: a player, an online one, a history, a file, the players of this machine."""

from __future__ import annotations

import importlib.util
import json
import re
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tesoura.core.forms.form import fill
from tesoura.core.tracks.reading import found_in, heard, report_of
from tesoura.errors import CredentialsRejected, InvalidField, ResponseNotUnderstood, SourceUnavailable, TooMuch
from tesoura.feeds.api import FeedKind, Fetched
from tesoura.feeds.mpris.listen import INSTEAD
from tesoura.feeds.music.telling import Teller
from tesoura.links.registry import KINDS
from tesoura.standins.channel import CLIENT_ID, ChannelService
from tesoura.standins.music import ADVERTISEMENT, HISTORY_KEY, HISTORY_USER, PLAYLIST, MusicPlayer
from tests.feeds.following import failure, gather

MUSIC, ONLINE, LISTENING, FILE, MPRIS = (
    KINDS[name] for name in ("music", "music_online", "listening", "music_file", "mpris")
)
on_linux = pytest.mark.skipif(sys.platform != "linux", reason="Players tell over D-Bus on Linux only")


def chosen(kind: FeedKind, **typed: str) -> dict[str, Any]:
    filled = fill(kind.fields, typed)
    assert not filled.wrong
    return dict(filled.choices)


def events(found: list[Fetched]) -> list[tuple[str, Any]]:
    """What happened, and the title where one was told."""
    return [(one.type.removeprefix("track."), one.data.get("title")) for came in found for one in came.items]


@pytest.fixture
def player() -> Iterator[MusicPlayer]:
    made = MusicPlayer()
    made.start()
    made.play(0, 72.0)
    yield made
    made.stop()


# A player


def test_a_player_is_asked_and_tells_each_thing_once(player: MusicPlayer) -> None:
    def after(number: int, came: Fetched) -> None:
        {1: player.pause, 2: player.play, 3: lambda: player.seek(150.0), 4: player.next, 5: player.end}.get(
            number, str
        )()

    choices = chosen(MUSIC, address=f"{player.address}/now", period_s="0.5")
    found = gather(MUSIC, choices, 6, after=after)
    assert [kind for kind, _ in events(found)] == ["start", "pause", "resume", "seek", "start", "stop"]
    assert found[0].note == "Playing: Paper Weather – The Slow Kettles, 1:12 of 3:40."
    assert found[5].note == "Nothing is played there now."
    (start,) = found[0].items
    assert {name: start.data[name] for name in ("artists", "album", "length_s", "next_title")} == {
        "artists": ["The Slow Kettles"],
        "album": "Eaves",
        "length_s": 220.0,
        "next_title": "Left of the Lighthouse",
    }


def test_a_player_tells_by_itself_over_its_socket(player: MusicPlayer) -> None:
    def after(number: int, came: Fetched) -> None:
        {2: player.pause, 3: player.next}.get(number, str)()

    found = gather(MUSIC, chosen(MUSIC, address=player.socket_address), 3, after=after)
    assert events(found) == [("start", "Paper Weather"), ("pause", None), ("start", "Left of the Lighthouse")]


def test_a_player_that_loses_its_network_says_so(player: MusicPlayer) -> None:
    def after(number: int, came: Fetched) -> None:
        player.lose_everybody()

    # It ends, and whoever keeps feeds going opens it anew.
    assert len(gather(MUSIC, chosen(MUSIC, address=player.socket_address), 99, after=after)) == 1
    player.breaks = "html"
    error = failure(MUSIC, chosen(MUSIC, address=f"{player.address}/now"), ResponseNotUnderstood)
    assert "sent something other than JSON" in str(error)
    player.breaks = "error"
    assert "500" in str(failure(MUSIC, chosen(MUSIC, address=f"{player.address}/now")))
    player.stop()
    assert "No answer" in str(failure(MUSIC, chosen(MUSIC, address=f"{player.address}/now")))


def test_an_advertisement_is_told_as_one() -> None:
    made = MusicPlayer(songs=(ADVERTISEMENT, *PLAYLIST))
    made.start()
    made.play(0)
    try:
        (came,) = gather(MUSIC, chosen(MUSIC, address=f"{made.address}/now"), 1)
    finally:
        made.stop()
    assert came.items[0].data["kind"] == "advertisement"


@pytest.mark.parametrize(
    ("payload", "heard_of"),
    [
        ({"title": "Paper Weather", "artist": "The Slow Kettles"}, "Paper Weather – The Slow Kettles"),
        ({"song": {"name": "X"}, "elapsed": 72, "total": 220, "paused": True}, "X, 1:12 of 3:40, paused"),
        (
            {
                "item": {"name": "A", "artists": [{"name": "B"}, {"name": "C"}], "duration_ms": 220_000},
                "progress_ms": 72_000,
                "is_playing": True,
            },
            "A – B, C, 1:12 of 3:40",
        ),
        ({"now playing": {"Title": "A", "Duration": "220"}, "status": "stopped"}, "A, 3:40 long, paused"),
        ({"title": "A", "length": 220_000, "position": 72_000}, "A, 1:12 of 3:40"),
        ({"state": "stopped", "track": None}, "Nothing is played there now."),
        ({}, "Nothing is played there now."),
        ([], "Nothing is played there now."),
        ({"title": "A", "artist": "", "length": 0, "position": -3}, "A"),
    ],
)
def test_most_players_are_understood(payload: Any, heard_of: str) -> None:
    assert heard(report_of(found_in(payload))) == heard_of


def test_a_cover_is_found_in_a_list_of_pictures() -> None:
    found = found_in({"title": "A", "images": [{"url": "https://x.example/1.png", "width": 640}]})
    assert found["cover"] == "https://x.example/1.png"


def test_where_things_stand_can_be_said() -> None:
    payload = {"a": {"b": [{"t": "Paper Weather", "w": "The Slow Kettles"}]}, "at": 72_000, "of": 220_000, "x": 1}
    with pytest.raises(ResponseNotUnderstood, match="No title found in the response of"):
        Teller(chosen(MUSIC, address="http://x.example/"), "x.example").report(payload)
    ways = {"at_title": "a.b[0].t", "at_artists": "a.b[0].w", "at_position_s": "at", "at_length_s": "of", "unit": "ms"}
    told = Teller(chosen(MUSIC, address="http://x.example/", **ways), "x.example").report(payload)
    assert heard(told) == "Paper Weather – The Slow Kettles, 1:12 of 3:40"


@pytest.mark.parametrize(
    ("kind", "typed", "field", "words"),
    [
        (MUSIC, {"address": "ftp://x.example"}, "address", "For a WebSocket, start with ws:// or wss://"),
        (MUSIC, {"address": "http://x.example", "at_title": "a[*].b"}, "at_title", "the path to the value"),
        (FILE, {"path": "/a/b.txt", "pattern": "(.+) - (.+)"}, "pattern", "Name the group for the title, such as"),
        (FILE, {"path": "/a/b.txt", "pattern": "(?P<title>"}, "pattern", "Not a valid pattern:"),
        (FILE, {"path": "/a/b.txt", "pattern": "(?P<title>.)(?P<band>.)"}, "pattern", "band is not a track field"),
        (MPRIS, {"bus": "/run/bus"}, "bus", "begins with unix:"),
        (LISTENING, {"address": "http://x.example", "user": "two words", "key": "k"}, "user", "without spaces"),
    ],
)
def test_what_cannot_be_used_is_said(kind: FeedKind, typed: dict[str, str], field: str, words: str) -> None:
    assert words in fill(kind.fields, typed).wrong[field]


# Online, and a history


@pytest.fixture
def service(player: MusicPlayer) -> Iterator[ChannelService]:
    made = ChannelService()
    made.music = player
    made.start()
    yield made
    made.stop()


def test_an_online_player_is_asked_with_its_permission(service: ChannelService, player: MusicPlayer) -> None:
    given: dict[str, Any] = {"secrets": {"tokens": json.dumps(service.grant())}}
    choices = chosen(ONLINE, address=service.address, client_id=CLIENT_ID, period_s="1")
    found = gather(ONLINE, choices, 2, after=lambda number, came: player.pause(), **given)
    assert events(found) == [("start", "Paper Weather"), ("pause", None)]
    # The song goes on while it is asked.
    assert re.fullmatch(r"Playing: Paper Weather – The Slow Kettles, 1:[1-5]\d of 3:40\.", found[0].note)
    assert "Real-Name" not in str([(came.payload, came.note, came.items) for came in found])


def test_a_permission_that_is_taken_back_in_mid_song_is_said(service: ChannelService) -> None:
    given: dict[str, Any] = {"secrets": {"tokens": json.dumps(service.grant())}}
    choices = chosen(ONLINE, address=service.address, client_id=CLIENT_ID, period_s="1")
    error = failure(ONLINE, choices, CredentialsRejected, after=lambda number, came: service.revoke(), **given)
    assert "Sign in again" in str(error)


def test_a_service_without_a_player_says_what_to_give(service: ChannelService) -> None:
    service.music = None
    given: dict[str, Any] = {"secrets": {"tokens": json.dumps(service.grant())}}
    choices = chosen(ONLINE, address=service.address, client_id=CLIENT_ID)
    assert "The service doesn't say where its player is" in str(
        failure(ONLINE, choices, ResponseNotUnderstood, **given)
    )


def test_a_history_tells_a_track_once_and_no_place(player: MusicPlayer) -> None:
    choices = chosen(LISTENING, address=f"{player.address}/recent", user=HISTORY_USER, key="x")

    def after(number: int, came: Fetched) -> None:
        {2: player.next, 3: player.pause}.get(number, str)()

    found = gather(LISTENING, choices, 4, after=after, secrets={"key": HISTORY_KEY})
    assert events(found) == [("start", "Paper Weather"), ("start", "Left of the Lighthouse"), ("stop", None)]
    assert "position_s" not in found[0].items[0].data
    assert "A listening history has no position, and arrives late" in found[0].note
    assert HISTORY_USER not in str([(came.note, came.payload, came.memory, came.items) for came in found])


def test_a_history_with_a_wrong_key_or_name_tells_neither(player: MusicPlayer) -> None:
    for user, key in ((HISTORY_USER, "wrong-key-1"), ("somebody_else", HISTORY_KEY)):
        choices = chosen(LISTENING, address=f"{player.address}/recent", user=user, key="x")
        said = str(failure(LISTENING, choices, secrets={"key": key}))
        assert key not in said
        assert user not in said
    choices = chosen(LISTENING, address=f"{player.address}/now", user="a", key="x")
    assert "sent no list of tracks" in str(failure(LISTENING, choices, secrets={"key": "x"}))


# A file


def test_a_text_file_tells_what_plays(tmp_path: Path) -> None:
    now = tmp_path / "now.txt"
    now.write_text("The Slow Kettles; Ines - Paper Weather [3:40]")
    choices = chosen(FILE, path=str(now), pattern=r"(?P<artists>.+) - (?P<title>.+) \[(?P<length>[\d:]+)\]")

    def after(number: int, came: Fetched) -> None:
        if number in (1, 2):
            now.write_text("" if number == 2 else "Kilometre Club - Borrowed Umbrella [3:24]")

    found = gather(FILE, choices, 3, folder=tmp_path, after=after)
    assert events(found) == [("start", "Paper Weather"), ("start", "Borrowed Umbrella"), ("stop", None)]
    assert found[0].items[0].data == {
        "title": "Paper Weather",
        "artists": ["The Slow Kettles", "Ines"],
        "length_s": 220.0,
    }


def test_a_file_that_does_not_fit_its_pattern_is_shown(tmp_path: Path) -> None:
    now = tmp_path / "now.txt"
    now.write_text("Kettle FM")
    error = failure(FILE, chosen(FILE, path=str(now)), ResponseNotUnderstood, folder=tmp_path)
    assert "Change the pattern" in str(error)
    now.write_text("a" * 3_000 + "!")
    slow = chosen(FILE, path=str(now), pattern="(?P<title>(a+)+)b")
    assert "takes too long" in str(failure(FILE, slow, TooMuch, folder=tmp_path))


# The players of this machine


@pytest.fixture(params=["ours", "the system's"])
def bus(request: pytest.FixtureRequest) -> Iterator[str]:
    """The address of a private bus: the small one that ships, or the system's own where there is one."""
    if request.param == "ours":
        from tesoura.standins.bus import MessageBusServer

        ours = MessageBusServer()
        ours.start()
        yield ours.address
        ours.stop()
        return
    daemon = shutil.which("dbus-daemon")
    if daemon is None:
        pytest.skip("This machine has no dbus-daemon")
    started = subprocess.Popen([daemon, "--session", "--print-address", "--nofork"], stdout=subprocess.PIPE, text=True)
    assert started.stdout is not None
    yield started.stdout.readline().strip()
    started.terminate()
    started.wait(10)
    started.stdout.close()


@on_linux
def test_the_players_of_this_machine_are_found_and_heard(bus: str, player: MusicPlayer) -> None:
    from tesoura.standins.mpris import MprisPlayer

    other = MusicPlayer()
    other.start()
    here, second = MprisPlayer(bus, player), MprisPlayer(bus, other, "Ladder")
    here.start()

    def after(number: int, came: Fetched) -> None:
        if number == 1:
            player.pause()
            here.tell()
        elif number == 2:
            player.play()
            player.seek(150)
            here.tell()
        elif number == 3:
            player.seek(20)
            here.seeked()
        elif number == 4:
            other.play(1)
            second.start()
        elif number == 5:
            here.stop()

    found = gather(MPRIS, chosen(MPRIS, bus=bus), 6, after=after)
    second.stop()
    other.stop()
    told = [(one.type.removeprefix("track."), one.data["player"]) for came in found for one in came.items]
    assert told == [
        ("start", "Kettle"),
        ("pause", "Kettle"),
        ("resume", "Kettle"),
        ("seek", "Kettle"),
        ("start", "Ladder"),
        ("stop", "Kettle"),
    ]
    assert found[0].note == "Playing: Kettle: Paper Weather – The Slow Kettles, 1:12 of 3:40"
    assert found[2].items[0].data["position_s"] == pytest.approx(150, abs=1)


@on_linux
def test_only_the_wished_players_are_heard(bus: str, player: MusicPlayer) -> None:
    from tesoura.standins.mpris import MprisPlayer

    here = MprisPlayer(bus, player)
    here.start()
    for wished, heard_of in (("KETTLE", "Playing: Kettle"), ("ladder", "No player is running")):
        assert gather(MPRIS, chosen(MPRIS, bus=bus, players=wished), 1)[0].note.startswith(heard_of)
    here.stop()


@on_linux
def test_a_bus_that_is_not_there_or_refuses_says_what_takes_its_place(monkeypatch: pytest.MonkeyPatch) -> None:
    from tesoura.standins.bus import MessageBusServer

    monkeypatch.delenv("DBUS_SESSION_BUS_ADDRESS", raising=False)
    assert "no bus" in str(failure(MPRIS, chosen(MPRIS), SourceUnavailable))
    gone = failure(MPRIS, chosen(MPRIS, bus="tcp:host=127.0.0.1,port=9"), SourceUnavailable)
    assert str(gone) == f"The bus of this login doesn't answer. {INSTEAD}"
    ours = MessageBusServer()
    ours.refuses = True
    ours.start()
    assert "The bus refused Tesoura" in str(failure(MPRIS, chosen(MPRIS, bus=ours.address), SourceUnavailable))
    ours.refuses = False
    dropped = failure(MPRIS, chosen(MPRIS, bus=ours.address), SourceUnavailable, after=lambda number, came: ours.drop())
    assert "disconnected" in str(dropped)
    ours.stop()


def test_the_bus_is_spoken_with_where_it_can_be() -> None:
    assert (importlib.util.find_spec("dbus_fast") is not None) == (sys.platform == "linux")


def test_no_address_of_a_bus_is_shown_as_the_place() -> None:
    assert MPRIS.place(chosen(MPRIS, bus="unix:path=/run/user/1000/bus")) == "players on this machine"
    with pytest.raises(InvalidField):
        MPRIS.fields["bus"].check("x:")
