"""A game that writes files: its statistics as JSON, whole each time, and a log that grows and is rotated."""

from __future__ import annotations

import json
import os
from datetime import UTC, datetime
from pathlib import Path

from tesoura.standins.evening import Beat


class GameFiles:
    """The files of a game in one folder: `match.json` and `match.log`."""

    def __init__(self, folder: Path, rotate_bytes: int = 200_000) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self.stats, self.log = folder / "match.json", folder / "match.log"
        self._rotate_bytes = rotate_bytes
        self._figures = {"kills": 0, "deaths": 0, "assists": 0, "match": 0}
        self.log.touch()
        self.write()

    def beat(self, beat: Beat) -> None:
        """Something of the evening happens in the game."""
        data = beat.data
        if beat.type == "match.start":
            self._figures |= {"kills": 0, "deaths": 0, "assists": 0, "match": data["match"]}
        elif beat.type == "kill":
            self._figures["kills"] += 1
            self.line(f"{data['actor']} cut {data['target']} with {data['means']}")
        elif beat.type == "death":
            self._figures["deaths"] += 1
            self.line(f"{data['actor']} cut {data['target']} with {data['means']}")
        else:
            return
        self.write()

    def line(self, words: str) -> None:
        """Write a line to the log."""
        if self.log.stat().st_size > self._rotate_bytes:
            self.rotate()
        with self.log.open("a", encoding="utf-8") as file:
            file.write(f"{datetime.now(UTC).isoformat(timespec='milliseconds')} {words}\n")

    def rotate(self) -> None:
        """Put the log away and begin a new one."""
        os.replace(self.log, self.log.with_name("match.log.1"))
        self.log.touch()

    def write(self) -> None:
        """Write the statistics, whole."""
        temporary = self.stats.with_suffix(".part")
        temporary.write_text(json.dumps(self._figures), encoding="utf-8")
        os.replace(temporary, self.stats)
