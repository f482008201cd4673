"""Saved games under kill -9: a program that keeps and puts back is killed at random moments, and nothing is ever lost.

`python -m benchmarks.kills FOLDER SEED` is the program: it goes on where the last one was killed, says what it has done
once that is done, and never ends by itself.
"""

from __future__ import annotations

import asyncio
import contextlib
import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from functools import partial
from pathlib import Path
from types import SimpleNamespace
from typing import Any

from tesoura.runtime.saves import SavedGames, source_of
from tesoura.saves import putting
from tesoura.saves.keeping import content_of, digest_of, object_at
from tesoura.settings import wall_clock
from tesoura.store import saves as stored
from tesoura.store.store import Store, open_store
from tesoura.store.tables import SaveGameRow, SaveRow

SIZE = 400_000
"""So large is what the game writes: copying it takes long enough to be killed in the middle of it."""
ROUNDS = 200


def opened(folder: Path) -> tuple[Store, SavedGames, list[Any]]:
    """A data folder, and the shelves over it without anything else of Tesoura; and the tasks that were started."""
    store, tasks = open_store(folder / "data"), list[Any]()

    def start(job: Any, name: str) -> Any:
        tasks.append(asyncio.create_task(job, name=name))
        return tasks[-1]

    runtime: Any = SimpleNamespace(store=store, settings=SimpleNamespace(clock=wall_clock), touched=lambda *what: None)
    return store, SavedGames(runtime, start), tasks


def plays(game: SaveGameRow, number: int) -> str:
    """The game writes a save of its own, whole, some time ago; the hash of it."""
    at = Path(game.path) / "one.sav" if game.folder else Path(game.path)
    at.parent.mkdir(parents=True, exist_ok=True)
    new = at.parent.with_name("written")
    new.write_bytes(number.to_bytes(8, "big") * (SIZE // 8))
    os.utime(new, (1_790_000_000, 1_790_000_000))
    new.replace(at)
    return digest_of(at)


async def work(folder: Path, seed: int) -> None:
    """Keep, put back and replace, at random, for good."""
    draw, (store, saves, tasks) = random.Random(seed), opened(folder)
    await saves.sweep()
    await saves.begin()
    games = store.read(lambda session: list(stored.games(session)))
    print("begun", flush=True)
    while True:
        game = draw.choice(games)
        if draw.random() < 0.6:
            number = draw.randrange(2**60)
            # What the game writes over is its own doing: from here on it may be the one or the other.
            print("writes", game.id, flush=True)
            print("plays", game.id, plays(game, number), flush=True)
        rows = [one for one in store.read(partial(stored.entries, game_id=game.id or 0)) if one.content]
        if not rows or draw.random() < 0.3:
            row = await saves.keep(game, f"save {draw.randrange(10**6)}", None)
            print("kept", row.id, content_of(row.content or {}).files[0].digest, flush=True)
        elif draw.random() < 0.8:
            row = draw.choice(rows)
            await saves.put_back(game, row)
            print("put", game.id, content_of(row.content or {}).files[0].digest, flush=True)
        else:
            row = draw.choice(rows)
            await saves.replace(game, row, None)
            print("replaced", row.id, flush=True)
        if len(tasks) > 200:
            tasks[:] = [one for one in tasks if not one.done()]


class Truth:
    """What must be there, as the programs that were killed told it."""

    def __init__(self, folder: Path, games: list[SaveGameRow]) -> None:
        self.folder, self.games = folder, games
        self.kept: dict[int, str] = {}
        """The acknowledged saves, each with the hash it must have; none for one that was replaced."""
        self._read: dict[str, tuple[int, int, int]] = {}
        self.has: dict[int, str] = {}
        """What each game had last, as far as it was told."""

    def hear(self, line: str) -> None:
        """One line of the program."""
        what, *told = line.split()
        if what in ("plays", "put"):
            self.has[int(told[0])] = told[1]
        elif what == "writes":
            self.has.pop(int(told[0]), None)
        elif what == "kept":
            self.kept[int(told[0])] = told[1]
        elif what == "replaced":
            self.kept[int(told[0])] = ""

    def problems(self) -> list[str]:
        """What is not as it must be, once all was mended."""
        store, saves, _ = opened(self.folder)
        found = list[str]()

        async def mended() -> None:
            await saves.sweep()
            await saves.begin()

        asyncio.run(mended())
        try:
            anywhere = self._anywhere(store)
            for game in self.games:
                found += self._of_game(store, saves, game, anywhere)
            rows = store.read(lambda session: {one: stored.entry(session, one) for one in self.kept})
            for number, digest in self.kept.items():
                row = rows[number]
                if row is None or row.content is None:
                    found.append(f"save {number} is not on the shelf")
                elif digest and digest not in anywhere:
                    # A replacement that was done and not told has what it was under Before.
                    found.append(f"what save {number} was is nowhere")
        finally:
            store.close()
        return found

    def _of_game(self, store: Store, saves: SavedGames, game: SaveGameRow, anywhere: set[str]) -> list[str]:
        at = Path(game.path) / "one.sav" if game.folder else Path(game.path)
        found = list[str]()
        if not at.is_file():
            return [f"game {game.id} has no save"]
        if at.stat().st_size != SIZE:
            found.append(f"game {game.id} has {at.stat().st_size} bytes: half a save")
        whole = at.read_bytes()
        if whole[:8] * (SIZE // 8) != whole:
            found.append(f"the save of game {game.id} is mixed")
        last = self.has.get(game.id or 0)
        if last and digest_of(at) != last and last not in anywhere:
            found.append(f"what game {game.id} had is nowhere")
        for row in self._rows(store, game):
            if row.beside and not putting.before_at(source_of(game), row.id or 0).exists():
                found.append(f"entry {row.id} stands nowhere")
            for file in content_of(row.content).files if row.content else ():
                kept = object_at(saves.objects, file.digest)
                if not kept.is_file() or not self._as_it_was(kept, file.digest):
                    found.append(f"a content of entry {row.id} is gone or changed")
        left = [one.name for one in source_of(game).at.parent.iterdir() if "tesoura" in one.name]
        return [*found, *(f"{one} was left beside the save of game {game.id}" for one in left)]

    def _as_it_was(self, kept: Path, digest: str) -> bool:
        """Whether a content is what it was; one that was looked at is read again only if it was written since."""
        told = kept.stat()
        stamp = (told.st_ino, told.st_size, told.st_mtime_ns)
        if self._read.get(digest) != stamp and digest_of(kept) != digest:
            return False
        self._read[digest] = stamp
        return True

    @staticmethod
    def _rows(store: Store, game: SaveGameRow) -> list[SaveRow]:
        of = game.id or 0
        return store.read(lambda session: [*stored.entries(session, of), *stored.befores(session, of)])

    def _anywhere(self, store: Store) -> set[str]:
        """The contents of all entries."""
        rows = [row for game in self.games for row in self._rows(store, game)]
        return {one.digest for row in rows if row.content for one in content_of(row.content).files}


def prepared(folder: Path) -> list[SaveGameRow]:
    """Two games with shelves: one whose save is a file, one whose save is a folder."""
    store = open_store(folder / "data")
    at = folder / "games"

    def job(session: Any) -> None:
        for title, path, whole in (("File", at / "mile.sav", False), ("Folder", at / "slots", True)):
            session.add(
                SaveGameRow(
                    title=title, path=str(path), folder=whole, most_before=100_000, wait_s=5, added_at=wall_clock()
                )
            )

    store.write(job)
    games = store.read(lambda session: list(stored.games(session)))
    for game in games:
        plays(game, game.id or 0)
    store.close()
    return games


def killed(rounds: int, seed: int) -> dict[str, Any]:
    """Kill the program so often, at random moments; what was done, and what was lost."""
    draw, problems, acts = random.Random(seed), list[str](), 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        truth = Truth(folder, prepared(folder))
        for number in range(rounds):
            words = [sys.executable, "-m", "benchmarks.kills", str(folder), str(draw.randrange(2**30))]
            with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as program:
                assert program.stdout
                for line in program.stdout:
                    if line.startswith("begun"):
                        break
                time.sleep(draw.random() * 0.6)
                program.send_signal(signal.SIGKILL)
                rest = program.stdout.read()
            lines = [line for line in rest.splitlines(keepends=True) if line.endswith("\n")]
            acts += len(lines)
            for line in lines:
                truth.hear(line)
            problems += [f"after kill {number + 1}: {one}" for one in truth.problems()]
    return {"kills": rounds, "acts": acts, "lost": len(problems), "problems": problems[:20], "goal_lost": 0}


if __name__ == "__main__":
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(work(Path(sys.argv[1]), int(sys.argv[2])))
