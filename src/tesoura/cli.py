"""The command line: `tesoura serve`, `tesoura demo`, `tesoura key new NAME`, `tesoura verify FILE`."""

from __future__ import annotations

import gc
import logging
import os
import signal
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager, suppress
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, TextIO, TypeVar

import click
import platformdirs

import tesoura
from tesoura.settings import DEFAULT_PORT, Settings, wall_clock

if TYPE_CHECKING:
    from socket import socket

    from tesoura.store.store import ReadOnlyStore, Store

Opened = TypeVar("Opened", bound="ReadOnlyStore")
PASSWORD_VARIABLE = "TESOURA_PASSWORD"  # noqa: S105 - a name, not a password
MIN_PASSWORD = 8

_port = click.option("--port", default=DEFAULT_PORT, show_default=True, type=click.IntRange(1, 65535))
_data = click.option("--data", type=click.Path(path_type=Path, file_okay=True), help="The data folder.")


def default_folder() -> Path:
    """Where data is kept when no folder is given."""
    return Path(platformdirs.user_data_dir("tesoura", appauthor=False))


@click.group()
@click.version_option(tesoura.__version__, prog_name="tesoura")
def main() -> None:
    """Outside data, cut to fit, on your stream's overlays."""
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(message)s", datefmt="%H:%M:%S")
    logging.getLogger("httpx").setLevel(logging.WARNING)
    logging.getLogger("alembic").setLevel(logging.WARNING)


@main.command()
@click.option("--host", default="127.0.0.1", show_default=True, help="Address to listen on.")
@_port
@_data
@click.option("--on-network", is_flag=True, help=f"Turn on network access; {PASSWORD_VARIABLE} must hold a password.")
@click.option(
    "--proxy-name",
    default="",
    metavar="NAME",
    envvar="TESOURA_PROXY_NAME",
    help=f"Trust the reverse proxy here that serves Tesoura as NAME; {PASSWORD_VARIABLE} must hold a password.",
)
def serve(host: str, port: int, data: Path | None, on_network: bool, proxy_name: str) -> None:
    """Run Tesoura."""
    from tesoura.standins.practice import Practice

    folder = data or default_folder()
    practice = Practice(folder)
    password = _password(host, on_network, proxy_name)
    settings = Settings(folder, host, port, password, proxy_name.casefold(), practice=practice)
    try:
        _run(
            settings,
            _open(folder, settings.address),
            lambda: click.echo(f"Tesoura is ready: {settings.address}"),
            practice.resume,
        )
    finally:
        practice.stop()


@main.command()
@_port
@_data
@click.option("--seed", default=7, show_default=True, help="The same seed gives the same events.")
@click.option("--speed", default=1.0, show_default=True, type=click.FloatRange(0.01, 1000), help="Speed factor.")
def demo(port: int, data: Path | None, seed: int, speed: float) -> None:
    """Run Tesoura with a made-up show and its outside services, in a fresh temporary folder unless told."""
    with _loading():
        from tesoura.demo.evening import Story, overlay_addresses, seed_folder
        from tesoura.demo.services import Services
        from tesoura.standins.channel import CLIENT_ID
        from tesoura.standins.practice import Practice

    with tempfile.TemporaryDirectory(prefix="tesoura-demo-", ignore_cleanup_errors=True) as temporary:
        practice = Practice(data or Path(temporary))
        settings = Settings(data or Path(temporary), port=port, practice=practice)
        store = _open(settings.data, settings.address)
        services = Services(settings.data, seed, speed)
        services.start()
        story = Story(settings.address, seed_folder(store, services, wall_clock()), seed, speed)

        story.game.saw = services.picture.cut
        services.compositor.overlays = overlay_addresses(store, settings.address)

        def ready() -> None:
            services.play()
            story.game.open()
            story.start()
            click.echo(f"The demo is ready: {settings.address}")
            click.echo(f"Its count service answers at {services.members.address}/channels/mara_vane")
            click.echo(f"Set a count or simulate failures at {services.members.admin_address}/admin")
            click.echo(f"A channel to sign in to: {services.channel.address}, client ID {CLIENT_ID}")
            click.echo(f"Create game events at {story.game.address}")
            click.echo(f"Practice streaming software at {services.compositor.address}")
            click.echo("Stop it with Ctrl+C.")

        # Told to end, it ends by itself and takes its folder along.
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        try:
            _run(settings, store, ready, practice.resume)
        finally:
            practice.stop()
            story.game.stop()
            services.stop()


@main.command()
@click.argument("file", type=click.File("r", encoding="utf-8"))
@_data
def verify(file: TextIO, data: Path | None) -> None:
    """Check spins of a wheel, or a sponsor's report: against its signature, and against the log of the data folder.

    - reads standard input.
    """
    try:
        told = file.read()
    except UnicodeDecodeError as error:
        raise click.ClickException(f"Not UTF-8 text ({error}).") from None
    if '"tesoura.sponsor_report"' in told[:100_000]:
        _verify_report(told, data)
    else:
        _verify_spins(told, data)


def _verify_spins(told: str, data: Path | None) -> None:
    from tesoura.errors import InvalidField
    from tesoura.store import spins
    from tesoura.store.store import read_store

    try:
        if data is None:
            found = spins.check(told)
        else:
            with _opened(read_store, data) as store:
                found = spins.check(told, store.secrets)
    except InvalidField as error:
        raise click.ClickException(str(error)) from None
    for one in found:
        wrong = " ".join(one.wrong) or f"as it should be, field {one.spin.came + 1}"
        click.echo(f"Spin {one.spin.number}: {wrong}")
    if any(one.wrong for one in found):
        sys.exit(1)


def _verify_report(told: str, data: Path | None) -> None:
    from tesoura.core.values import from_json
    from tesoura.store import reports
    from tesoura.store.store import read_store

    try:
        report = from_json(told)
    except ValueError as error:
        raise click.ClickException(f"Not valid JSON ({error}). Use the file as exported.") from None
    if not isinstance(report, dict):
        raise click.ClickException("This is not a report. Use the file from “Signed JSON”.")
    folder = data or default_folder()
    if data is None and not folder.exists():
        found = reports.check(None, None, report)
        click.echo("No data folder was found, so the log was not checked. Choose one with --data.")
    else:
        with _opened(read_store, folder) as store:
            found = store.read(lambda session: reports.check(session, store.secrets, report))
    for line in (*found.notes, *found.wrong):
        click.echo(line)
    if found.wrong:
        sys.exit(1)


@main.command()
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@click.option(
    "--without-key", is_flag=True, help="Leave out the key file, so that no secret in the backup can be read."
)
@_data
def backup(file: Path, without_key: bool, data: Path | None) -> None:
    """Write the whole data folder into FILE, also while Tesoura runs."""
    from tesoura.bundles import backups
    from tesoura.errors import DataFolderError, FileRefused

    try:
        count, size = backups.write(data or default_folder(), file, wall_clock(), not without_key)
    except (FileRefused, DataFolderError) as error:
        raise click.ClickException(str(error)) from None
    click.echo(f"{count} files, {size / 1e6:.1f} MB, are in {file}.")
    key = (
        "Without the key file, the feeds' keys must be typed again after it is restored."
        if without_key
        else ("It contains the key to the feeds' secrets. Store it where nobody else can read it.")
    )
    click.echo(key, err=True)


@main.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@_data
def restore(file: Path, data: Path | None) -> None:
    """Bring a data folder back out of FILE; one that is there is kept beside it under another name."""
    from tesoura.bundles import backups
    from tesoura.errors import DataFolderError, FileRefused

    folder = data or default_folder()
    try:
        restored = backups.read(file, folder, wall_clock())
    except (FileRefused, DataFolderError) as error:
        raise click.ClickException(str(error)) from None
    click.echo(f"Restored to {folder}. Start Tesoura with it: tesoura serve --data {folder}")
    if restored.before is not None:
        click.echo(f"The previous data folder is now {restored.before}.")
    if restored.switched_off:
        click.echo(f"Switched off until you turn it on: {', '.join(restored.switched_off)}.")
        click.echo("Keys, scripts and cues: check them, then start them on the desk. The rest: set it up again.")


@main.group()
def shelf() -> None:
    """Shelves of saved games: what there is, one out into a file, one in out of it."""


@shelf.command("list")
@_data
def list_shelves(data: Path | None) -> None:
    """List the games with saves."""
    from tesoura.store import saves
    from tesoura.store.store import read_store

    with _opened(read_store, data) as store:
        for game in store.read(lambda session: list(saves.games(session))):
            count = len(store.read(partial(saves.entries, game_id=game.id or 0)))
            click.echo(f"{game.title}: {count} {'save' if count == 1 else 'saves'}; path: {game.path or 'not set'}")


@shelf.command("out")
@click.argument("game")
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@_data
def shelf_out(game: str, file: Path, data: Path | None) -> None:
    """Export the saves of GAME to FILE, a new zip."""
    from tesoura.bundles import shelf_files
    from tesoura.errors import FileRefused
    from tesoura.store import saves
    from tesoura.store.store import read_store

    with _opened(read_store, data) as store:
        row = store.read(lambda session: saves.game_called(session, game))
        if row is None:
            known = ", ".join(one.title for one in store.read(lambda session: list(saves.games(session)))) or "none"
            raise click.ClickException(f"No game called {game} has saves. Games with saves: {known}.")
        whole = store.read(lambda session: shelf_files.carried(session, row))
        try:
            with file.open("xb") as to:
                shelf_files.write_out(to, whole, store.folder)
        except FileExistsError:
            raise click.ClickException(f"{file} already exists. Choose another name.") from None
        except (FileRefused, OSError) as error:
            file.unlink(missing_ok=True)
            raise click.ClickException(str(error)) from None
    click.echo(f"{whole.saves} saves of {row.title} are in {file}.")


@shelf.command("in")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--to", "game", help="The game to import into; otherwise a new one is created.")
@click.option("--yes", is_flag=True, help="Don't ask.")
@_data
def shelf_in(file: Path, game: str | None, yes: bool, data: Path | None) -> None:
    """List the contents of FILE, ask, and import it."""
    from tesoura.bundles import shelf_files
    from tesoura.errors import FileRefused, Invalid
    from tesoura.saves import carrying
    from tesoura.store import saves
    from tesoura.store.store import join_store

    try:
        told = carrying.read(file)
        click.echo(f"{told.game}: {told.saves} {'save' if told.saves == 1 else 'saves'}, {told.size / 1e6:.1f} MB")
        for one in told.entries[:40]:
            click.echo(f"  {'[folder] ' if one.folder else ''}{one.name}")
        if not yes and not click.confirm("Import it?"):
            return
        with _opened(join_store, data) as store:
            row = store.read(lambda session: saves.game_called(session, game)) if game else None
            if game and row is None:
                raise click.ClickException(f"No game called {game} found. Omit --to to create a new one.")
            told = carrying.read(file, shelf_files.objects_of(store.folder))
            found = store.write(
                lambda session: shelf_files.bring_in(session, told, row.id if row else None, wall_clock())[0].title
            )
        click.echo(f"Imported into {found}.")
    except (FileRefused, Invalid, OSError) as error:
        raise click.ClickException(str(error)) from None


@main.group()
def key() -> None:
    """Keys for the API."""


@key.command("new")
@click.argument("name")
@_data
def new_key(name: str, data: Path | None) -> None:
    """Make a key and print it, this once."""
    if not name.strip() or len(name) > 40:
        raise click.ClickException("Give the key a name of 1 to 40 characters, such as the program that will use it.")
    from tesoura.store import keys
    from tesoura.store.store import join_store

    with _opened(join_store, data) as store:
        click.echo(store.write(lambda session: keys.new_key(session, name.strip(), wall_clock())))
    click.echo("Shown only once. Send it as “Authorization: Bearer KEY”.", err=True)


def _password(host: str, on_network: bool, proxy_name: str) -> str | None:
    reaches_out = Settings(Path(), host).on_network
    if not reaches_out and not proxy_name:
        return None
    password = os.environ.get(PASSWORD_VARIABLE, "")
    if reaches_out and not on_network:
        raise click.ClickException(f"Listening on {host} gives other machines access. Add --on-network to confirm.")
    if len(password) < MIN_PASSWORD:
        raise click.ClickException(
            f"Network access needs a password. Set {PASSWORD_VARIABLE} to one of {MIN_PASSWORD} characters or more."
        )
    return password


@contextmanager
def _loading() -> Iterator[None]:
    """Load modules without looking for garbage, which there is none of yet: it takes an eighth off the start."""
    gc.disable()
    yield
    gc.enable()


def _open(folder: Path, address: str) -> Store:
    with _loading():
        from tesoura.errors import DataFolderError
        from tesoura.store.store import open_store

    try:
        return open_store(folder, address)
    except DataFolderError as error:
        raise click.ClickException(str(error)) from error


@contextmanager
def _opened(how: Callable[[Path], Opened], folder: Path | None) -> Iterator[Opened]:
    """A data folder for one command: the user's own unless told. What is wrong with it ends the command in words."""
    from tesoura.errors import DataFolderError

    try:
        store = how(folder or default_folder())
        try:
            yield store
        finally:
            store.close()
    except DataFolderError as error:
        raise click.ClickException(str(error)) from error


def _run(settings: Settings, store: Store, ready: Callable[[], None], begin: Callable[[], None] = lambda: None) -> None:
    with _loading():
        from tesoura.app import listen
        from tesoura.errors import PortInUse

    with ExitStack() as ending:
        ending.callback(store.close)
        try:
            listening = listen(settings.host, settings.port)
        except PortInUse as error:
            raise click.ClickException(str(error)) from error
        begin()
        _serve(settings, store, ready, listening)


def _serve(settings: Settings, store: Store, ready: Callable[[], None], listening: socket) -> None:
    from sqlalchemy.exc import DatabaseError

    from tesoura.app import Server, create_app
    from tesoura.errors import DataFolderError
    from tesoura.store.database import FILE_NAME, damaged

    try:
        server = Server(create_app(settings, store), ready)
        # What is loaded now stays; leaving it out of every later collection keeps them short.
        gc.freeze()
        with suppress(KeyboardInterrupt):
            server.run(sockets=[listening])
        if server.failure is not None:
            raise server.failure
    except DatabaseError as error:
        raise click.ClickException(damaged(settings.data / FILE_NAME, error.orig)) from error
    except DataFolderError as error:
        raise click.ClickException(str(error)) from error
