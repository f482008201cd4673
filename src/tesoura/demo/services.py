"""The outside world of the demo: all stand-ins in one, going on by themselves."""

from __future__ import annotations

import itertools
import json
import sys
import threading
import time
from pathlib import Path

from tesoura.standins.broker import Broker
from tesoura.standins.channel import ChannelService
from tesoura.standins.chat import ChatServer, crowd
from tesoura.standins.compositor import Compositor
from tesoura.standins.evening import evening
from tesoura.standins.game import GameFiles
from tesoura.standins.members import MembersService
from tesoura.standins.music import PLAYLIST, MusicPlayer
from tesoura.standins.picture import RollingPicture
from tesoura.standins.ratings import RatingService
from tesoura.standins.streams import StreamService

CHAT_TOKEN = "windy-token-of-the-demo"  # noqa: S105 - of a stand-in
LINK_PASSWORD = "picture-of-the-demo"  # noqa: S105 - of a stand-in
BEGINS_S, CHANNEL_S, SCORE_S = 66.0, 9.0, 7.0
LOOK_S, RECORDED_S = 0.4, 600.0


class PierPlayers:
    """A bus with one player on it, paused in the midst of a song, as players on Linux are heard."""

    def __init__(self) -> None:
        from tesoura.standins.bus import MessageBusServer

        self.bus = MessageBusServer()
        self._player = MusicPlayer(songs=PLAYLIST[1:])

    @property
    def address(self) -> str:
        """Where the bus is."""
        return self.bus.address

    def start(self) -> None:
        """Open the bus and let the player come onto it."""
        from tesoura.standins.mpris import MprisPlayer

        self.bus.start()
        self._player.play(0, 31.0)
        self._player.pause()
        self._here = MprisPlayer(self.bus.address, self._player, "Pier")
        self._here.start()

    def stop(self) -> None:
        """Close both."""
        self._here.stop()
        self.bus.stop()


class Services:
    """A count service, a channel to sign in to, a socket, a broker with a player, and a game that writes files."""

    def __init__(self, folder: Path, seed: int, speed: float) -> None:
        self.members = MembersService(seed=seed, speed=speed)
        self.channel = ChannelService(seed=seed)
        self.streams = StreamService()
        self.broker = Broker()
        self.music = MusicPlayer(speed=max(speed, 0.01))
        self.chat = ChatServer(token=CHAT_TOKEN)
        self.picture = RollingPicture(fps=15)
        self.pictures = folder / "picture"
        self.recordings = folder / "recordings"
        self.compositor = Compositor(password=LINK_PASSWORD, picture=self.picture, folder=self.pictures)
        self.game = GameFiles(folder / "game")
        self.saves = folder / "game" / "saves"
        self.ratings = RatingService(seed=seed, most=40)
        self.pier = PierPlayers() if sys.platform == "linux" else None
        self._seed, self._speed = seed, max(speed, 0.01)
        self._stopped = threading.Event()

    def start(self) -> None:
        """Open them all; nothing happens in them before `play`."""
        self.ratings.fill(9)
        for place in (self.pictures, self.recordings):
            place.mkdir(parents=True, exist_ok=True)
        if self.pier is not None:
            self.pier.start()
        for service in (
            self.members,
            self.channel,
            self.streams,
            self.broker,
            self.music,
            self.ratings,
            self.chat,
            self.compositor,
        ):
            service.start()

    def play(self) -> None:
        """Let their evening begin: the picture goes on, songs play, people chat."""
        self.picture.start()
        for play in (
            self._play_songs,
            self._play_channel,
            self._play_game,
            self._play_score,
            self._play_chat,
            self._record,
        ):
            threading.Thread(target=play, daemon=True).start()

    def stop(self) -> None:
        """Close them all."""
        self._stopped.set()
        if self.pier is not None:
            self.pier.stop()
        for service in (
            self.members,
            self.channel,
            self.streams,
            self.broker,
            self.music,
            self.ratings,
            self.chat,
            self.compositor,
        ):
            service.stop()

    def _wait(self, seconds: float) -> bool:
        return not self._stopped.wait(seconds / self._speed)

    def _play_songs(self) -> None:
        told = None
        self.music.play(0, BEGINS_S)
        while not self._stopped.wait(LOOK_S):
            self.music.go_on()
            if (song := self.music.song) != told:
                told = song
                self.broker.publish("music/now", json.dumps({"title": song.title, "artist": song.artist}), keep=True)

    def _play_channel(self) -> None:
        while self._wait(CHANNEL_S):
            self.channel.happen_by_chance()

    def _play_chat(self) -> None:
        for after_s, name, text in crowd(self._seed):
            if not self._wait(after_s):
                return
            self.chat.say(name, text)

    def _play_game(self) -> None:
        for beat in evening(self._seed + 1):
            if not self._wait(beat.after_s):
                return
            self.game.beat(beat)

    def _record(self) -> None:
        """Record the picture, in one file after the other, of which the last two are kept."""
        for number in itertools.count(1):
            self.picture.record(self.recordings / f"evening-{number:03}.ts")
            (self.recordings / f"evening-{number - 2:03}.ts").unlink(missing_ok=True)
            if self._stopped.wait(RECORDED_S):
                return

    def _play_score(self) -> None:
        bobbin = keel = 0
        while self._wait(SCORE_S):
            if (bobbin * 7 + keel * 3 + 1) % 2:
                bobbin += 1
            else:
                keel += 1
            if max(bobbin, keel) > 11:
                bobbin = keel = 0
            self.streams.tell("score", {"score": {"bobbin": bobbin, "keel": keel}, "at": time.time()})
