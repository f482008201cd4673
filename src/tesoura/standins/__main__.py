"""Run a stand-in alone: `python -m tesoura.standins members --port 8770`."""

from __future__ import annotations

import threading

import click

from tesoura.standins.members import DEFAULT_KEY, MembersService


@click.group()
def main() -> None:
    """Simulated outside services."""


@main.command()
@click.option("--port", default=8770, show_default=True, help="Where it answers; the admin address is one above.")
@click.option("--seed", default=7, show_default=True, help="The same seed grows the same counts.")
@click.option("--speed", default=1.0, show_default=True, help="How fast its time runs.")
def members(port: int, seed: int, speed: float) -> None:
    """A count service: several made-up channels whose counts grow."""
    service = MembersService(seed=seed, speed=speed, port=port, admin_port=port + 1 if port else 0)
    service.start()
    click.echo(f"A channel by its name:    {service.address}/channels/mara_vane")
    click.echo(f"Look up by public name:   {service.address}/channels?name=mara")
    click.echo(f"Exact, needs a key:       {service.address}/channels/mara_vane/exact   (header X-Key: {DEFAULT_KEY})")
    click.echo(f"Admin, to set and break:  {service.admin_address}/admin")
    try:
        threading.Event().wait()
    except KeyboardInterrupt:
        service.stop()


main()
