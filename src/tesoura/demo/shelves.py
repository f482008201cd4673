"""The demo's shelf of saved games: The Lantern Mile writes one file, of which some were kept."""

from __future__ import annotations

import os
from datetime import datetime, timedelta
from pathlib import Path

from sqlmodel import Session

from tesoura.bundles.shelf_files import objects_of
from tesoura.saves.keeping import keep
from tesoura.saves.looking import SaveSource, files_of
from tesoura.store import saves as stored
from tesoura.store.tables import SaveGameRow, SaveRow

KEPT: tuple[tuple[str, tuple[tuple[str, str, int], ...]], ...] = (
    ("", (("Gatekeeper", "before the door, both lamps full", 60),)),
    (
        "Lower town",
        (
            ("The Twins of Salt", "she jumps first", 48),
            ("The Twins of Salt, hurt", "one lamp left", 47),
            ("The Rope Bridge", "", 30),
        ),
    ),
    ("High town", (("The Toll Sisters", "second one sleeps", 26), ("Mother Ladder", "on the fourth rung", 12))),
)
"""By folder: each save's name, its note, and how many hours ago it was kept."""


def put(session: Session, data: Path, folder: Path, now: datetime) -> None:
    """Let the game have a save, and its shelf what was kept of it; `folder` is where the game writes."""
    folder.mkdir(parents=True, exist_ok=True)
    at = folder / "lantern_mile.sav"
    source = SaveSource(at, False)
    game = SaveGameRow(title="The Lantern Mile", path=str(at), leave_first="Go back to the title", added_at=now)
    session.add(game)
    session.flush()
    of = game.id or 0
    for words, saves in KEPT:
        parent = None
        if words:
            begun = now - timedelta(hours=50)
            parent = stored.add(session, SaveRow(game_id=of, kind="folder", name=words, made_at=begun)).id
        for name, note, hours in saves:
            _played(at, name, now - timedelta(hours=hours))
            content = keep(objects_of(data), source, files_of(source))
            row = SaveRow(
                game_id=of,
                parent_id=parent,
                name=name,
                note=note,
                content=content.plain(),
                size=content.size,
                same=content.same,
                made_at=now - timedelta(hours=hours),
            )
            kept = stored.add(session, row)
            game.marked = kept.id
    _played(at, "The Wick Cellar", now - timedelta(minutes=14))
    session.add(game)


def _played(at: Path, name: str, when: datetime) -> None:
    at.write_bytes((f"{name}\n" * 40_000).encode())
    os.utime(at, (when.timestamp(), when.timestamp()))
