"""Run the benchmarks: `python -m benchmarks [engine] [windows] [intake] … [--out FILE]`; without a name, all."""

from __future__ import annotations

import json
import platform
import sys
from pathlib import Path

import click

from benchmarks import (
    cues,
    days,
    desk,
    engine,
    feeding,
    instruments,
    intake,
    live,
    logs,
    rebuild,
    recount,
    replays,
    runs,
    scoreboard,
    sponsors,
    start,
    strangers,
    studio,
    tracks,
    wheel,
    windows,
)

PARTS = {
    "engine": engine.measure,
    "live": live.measure,
    "start": start.measure,
    "windows": windows.measure,
    "intake": intake.measure,
    "logs": logs.measure,
    "feeding": feeding.measure,
    "days": days.measure,
    "studio": studio.measure,
    "instruments": instruments.measure,
    "cues": cues.measure,
    "desk": desk.measure,
    "tracks": tracks.measure,
    "scoreboard": scoreboard.measure,
    "wheel": wheel.measure,
    "replays": replays.measure,
    "sponsors": sponsors.measure,
    "runs": runs.measure,
    "rebuild": rebuild.measure,
    "recount": recount.measure,
    "strangers": strangers.measure,
}
WHEN_ASKED = ("recount", "strangers")
"""Parts that compare or attack and do not time: run only by name."""


@click.command()
@click.argument("parts", nargs=-1, type=click.Choice([*PARTS]))
@click.option("--out", type=click.Path(path_type=Path), help="Write the figures there too.")
def main(parts: tuple[str, ...], out: Path | None) -> None:
    """Measure, and print the figures as JSON."""
    figures = {name: PARTS[name]() for name in parts or [one for one in PARTS if one not in WHEN_ASKED]}
    text = json.dumps({"python": sys.version.split()[0], "machine": platform.machine(), **figures}, indent=2)
    click.echo(text)
    if out:
        out.write_text(text + "\n", "utf-8")


main()
