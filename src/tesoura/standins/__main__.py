"""Run a stand-in alone: `python -m tesoura.standins members --port 8770`."""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path

import click

from tesoura.standins.members import DEFAULT_KEY, MembersService


@click.group()
def main() -> None:
    """Simulated outside services."""


@main.command()
@click.option("--port", default=8770, show_default=True, help="Port; the admin page uses the next one.")
@click.option("--seed", default=7, show_default=True, help="The same seed gives the same counts.")
@click.option("--speed", default=1.0, show_default=True, help="Speed factor.")
def members(port: int, seed: int, speed: float) -> None:
    """A count service: several made-up channels whose counts grow."""
    service = MembersService(seed=seed, speed=speed, port=port, admin_port=port + 1 if port else 0)
    service.start()
    click.echo(f"A channel by its name:    {service.address}/channels/mara_vane")
    click.echo(f"Look up by public name:   {service.address}/channels?name=mara")
    click.echo(f"Exact, needs a key:       {service.address}/channels/mara_vane/exact   (header X-Key: {DEFAULT_KEY})")
    click.echo(f"Admin, to set and break:  {service.admin_address}/admin")
    _until_stopped(service.stop)


@main.command()
@click.option("--port", default=8772, show_default=True, help="Port.")
def streams(port: int) -> None:
    """A service that tells by itself: a WebSocket and server-sent events, something every few seconds."""
    from tesoura.standins.evening import evening
    from tesoura.standins.streams import StreamService

    service = StreamService(port)
    service.start()
    click.echo(f"WebSocket:            {service.socket_address}")
    click.echo(f"Server-sent events:   {service.address}/events")

    def go_on() -> None:
        for beat in evening(7):
            time.sleep(beat.after_s)
            service.tell(beat.type, {"id": beat.number, **beat.data})

    threading.Thread(target=go_on, daemon=True).start()
    _until_stopped(service.stop)


@main.command()
@click.option("--port", default=8773, show_default=True, help="Port.")
@click.option("--token-s", default=3_600.0, show_default=True, help="Seconds until a permission expires.")
def channel(port: int, token_s: float) -> None:
    """A channel service that one signs in to: counts, follows, subscriptions, gifts."""
    from tesoura.standins.channel import CLIENT_ID, ChannelService

    service = ChannelService(port, token_s)
    service.start()
    click.echo(f"The service's address:   {service.address}")
    click.echo(f"Client id:               {CLIENT_ID}")
    click.echo(f"Let something happen:    POST {service.address}/admin/happen")
    click.echo(f"Take permission back:    POST {service.address}/admin/revoke")

    def go_on() -> None:
        while True:
            time.sleep(6)
            service.happen_by_chance()

    threading.Thread(target=go_on, daemon=True).start()
    _until_stopped(service.stop)


@main.command()
@click.option("--port", default=1883, show_default=True, help="Port.")
def broker(port: int) -> None:
    """An MQTT broker on which a player tells its songs."""
    import json

    from tesoura.standins.broker import Broker
    from tesoura.standins.evening import SONGS

    service = Broker(port)
    service.start()
    click.echo(f"Broker:   127.0.0.1:{service.port}, topic music/now")

    def go_on() -> None:
        while True:
            for title, artist in SONGS:
                service.publish("music/now", json.dumps({"title": title, "artist": artist}), keep=True)
                time.sleep(20)

    threading.Thread(target=go_on, daemon=True).start()
    _until_stopped(service.stop)


@main.command()
@click.option("--port", default=8780, show_default=True, help="Port.")
@click.option("--odd", is_flag=True, help="Difficult songs: long, without data, right-to-left.")
@click.option("--bus", is_flag=True, help="Also over D-Bus, on a separate bus.")
def music(port: int, odd: bool, bus: bool) -> None:
    """A music player that plays a playlist on and on."""
    from tesoura.standins.music import HISTORY_KEY, HISTORY_USER, ODD, PLAYLIST, MusicPlayer

    player = MusicPlayer(port, (*ODD, *PLAYLIST) if odd else PLAYLIST)
    player.start()
    player.play(0)
    click.echo(f"What it plays:            {player.address}/now")
    click.echo(f"Told by itself:           {player.socket_address}")
    click.echo(f"Its listening history:    {player.address}/recent   (user {HISTORY_USER}, key {HISTORY_KEY})")
    click.echo(f"Pause it, go on:          POST {player.address}/do/pause, and play, next, end, lose")
    on_bus = None
    if bus:
        from tesoura.standins.bus import MessageBusServer
        from tesoura.standins.mpris import MprisPlayer

        server = MessageBusServer()
        server.start()
        on_bus = MprisPlayer(server.address, player)
        on_bus.start()
        click.echo(f"The bus:                  {server.address}")

    def go_on() -> None:
        told = None
        while True:
            time.sleep(0.5)
            player.go_on()
            if on_bus is not None and (now := (player.at, player.playing)) != told:
                told = now
                on_bus.tell()

    threading.Thread(target=go_on, daemon=True).start()
    _until_stopped(player.stop)


@main.command()
@click.option("--port", default=6667, show_default=True, help="Port.")
@click.option("--token", default="", help="A token that clients need.")
@click.option("--seed", default=7, show_default=True, help="The same seed gives the same messages.")
@click.option("--nice", is_flag=True, help="A crowd without hostile messages.")
def chat(port: int, token: str, seed: int, nice: bool) -> None:
    """A chat with a crowd who greet, ask for the song, spin, and try mischief."""
    from tesoura.standins.chat import ChatServer, crowd

    service = ChatServer(port, token=token)
    service.start()
    click.echo(f"Server 127.0.0.1, port {service.port}, open; channel {service.channel}")

    def go_on() -> None:
        for after_s, name, text in crowd(seed, not nice):
            time.sleep(after_s)
            service.say(name, text)

    threading.Thread(target=go_on, daemon=True).start()
    _until_stopped(service.stop)


@main.command()
@click.option("--port", default=5060, show_default=True, help="Port of its page and scene link.")
@click.option("--password", default="", help="The password that clients need.")
@click.option("--overlay", multiple=True, help="A page to add to its scenes; repeatable.")
@click.option("--clips", type=click.Path(file_okay=False, path_type=Path), help="Folder for its clips.")
@click.option(
    "--gives",
    type=click.Choice(["good", "broken", "nothing", "same", "twice"]),
    default="good",
    help="What happens to a requested clip.",
)
def compositor(port: int, password: str, overlay: tuple[str, ...], clips: Path | None, gives: str) -> None:
    """A program that composes a picture: scenes with overlays in them, and a scene link."""
    from tesoura.standins.compositor import Compositor
    from tesoura.standins.picture import RollingPicture

    overlays, picture = {f"Overlay {at}": one for at, one in enumerate(overlay, 1)}, None
    if clips is not None:
        clips.mkdir(parents=True, exist_ok=True)
        picture = RollingPicture()
        picture.start()
        click.echo(f"Clips:        {clips.resolve()}")
    service = Compositor(port, password, overlays=overlays, picture=picture, folder=clips)
    service.clips = gives
    service.start()
    click.echo(f"Its page:     {service.address}")
    click.echo(f"Scene link:   {service.link_address}")
    _until_stopped(service.stop)


@main.command()
@click.argument("address")
@click.argument("code", default="")
@click.option("--token", default="", help="The token from pairing.")
def pad(address: str, code: str, token: str) -> None:
    """A pad for the command line, paired by six digits: ws://127.0.0.1:8765/device-socket 190905"""
    from tesoura.standins.pad import HELP, Pad

    try:
        device = Pad(address, click.echo, code, token)
    except (OSError, PermissionError) as error:
        raise click.ClickException(f"Refused: {error}") from None
    click.echo(f"Paired. Next time: --token {device.token}\n{HELP}")
    threading.Thread(target=device.run, daemon=True).start()
    for line in sys.stdin:
        device.typed(line)
    device.close()


@main.command()
@click.argument("folder", type=click.Path(path_type=Path, file_okay=False))
def game(folder: Path) -> None:
    """A game that writes match.json and match.log into a folder."""
    from tesoura.standins.evening import evening
    from tesoura.standins.game import GameFiles

    files = GameFiles(folder)
    click.echo(f"Statistics:   {files.stats}")
    click.echo(f"Log:          {files.log}")
    for beat in evening(7):
        time.sleep(beat.after_s)
        files.beat(beat)


@main.command()
@click.option("--to", default="http://127.0.0.1:8765", show_default=True, help="Tesoura's address.")
@click.option("--key", required=True, help="An API key from `tesoura key new`.")
@click.option("--port", default=8774, show_default=True, help="Port of the page for creating events.")
@click.option("--seed", default=7, show_default=True, help="The same seed gives the same matches.")
@click.option("--speed", default=1.0, show_default=True, help="Speed factor.")
@click.option("--by-hand", is_flag=True, help="Only react to the page's buttons.")
def duels(to: str, key: str, port: int, seed: int, speed: float, by_hand: bool) -> None:
    """A game that posts its matches as they are played: streaks, bad runs, a crash, late and double events."""
    from tesoura.standins.duelling import Duelling

    game = Duelling(to, key, seed, speed, port, plays=not by_hand)
    game.open()
    game.start()
    click.echo(f"Make things happen by hand:  {game.address}")
    _until_stopped(game.stop)


@main.command()
@click.option("--port", default=8775, show_default=True, help="Port.")
@click.option("--most", default=20, show_default=True, help="Requests allowed per ten seconds.")
def ratings(port: int, most: int) -> None:
    """A remote statistics service: players by name, ratings, matches, and a limit on questions."""
    from tesoura.standins.ratings import DEFAULT_KEY as KEY
    from tesoura.standins.ratings import RatingService

    service = RatingService(port, most=most)
    service.fill(12)
    service.start()
    click.echo(f"The service's address:   {service.address}")
    click.echo(f"A key, in X-Key:         {KEY}")
    click.echo("Players:                 mara_vane, otto_knot, pip_gale, ...")
    _until_stopped(service.stop)


@main.command()
@click.argument("address")
@click.option("--secret", required=True, help="The signing secret, whsec_…")
@click.option("--name", default="teacup_ana", show_default=True)
@click.option("--amount", default=5, show_default=True)
def send(address: str, secret: str, name: str, amount: int) -> None:
    """Send one signed message of a gift to a feed's private address."""
    from tesoura.standins.sender import send as send_one

    answer = send_one(address, secret, {"id": f"gift-{time.time():.0f}", "name": name, "amount": amount, "text": ""})
    click.echo(f"{answer.status_code} {answer.text.strip()}")


def _until_stopped(stop: Callable[[], None]) -> None:
    try:
        threading.Event().wait()
    except KeyboardInterrupt:
        stop()


if __name__ == "__main__":
    main()
