"""Saved games at work: kept, put back and replaced, one thing at a time for each game; mended after a crash."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Coroutine
from concurrent.futures import Future
from contextlib import asynccontextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from sqlmodel import Session

from tesoura.errors import CommandRefused, Gone, TesouraError
from tesoura.saves import keeping, putting
from tesoura.saves.keeping import Content, StillWritten, content_of
from tesoura.saves.looking import FoundFile, SaveSource, files_of, folders_of
from tesoura.saves.settling import must_be_writable, wait_until_settled
from tesoura.store import saves as stored
from tesoura.store.tables import SaveGameRow, SaveRow

if TYPE_CHECKING:
    from collections.abc import AsyncIterator

    from tesoura.runtime.facade import Runtime

log = logging.getLogger(__name__)
T = TypeVar("T")
TRIES = 5
"""So often a save that changes while it is copied is waited for anew."""
LOOK_AFTER_S = (4.0, 20.0)
"""So long after a put-back it is looked whether something put the old save back."""
SMALL = 64_000_000
"""A save up to this size is told apart by its content, not only by its time."""


@dataclass(slots=True)
class SaveWork:
    """What is being done with a game's save now: in words, bytes done and in all; whether it shall stop."""

    words: str
    total: int = 0
    done: int = 0
    stopped: bool = False


@dataclass(frozen=True, slots=True)
class PresentSave:
    """What a game has now: whether there is a save, how many files, bytes, when it changed; why it cannot be told."""

    there: bool
    files: int = 0
    size: int = 0
    changed_at: datetime | None = None
    wrong: str = ""


def source_of(game: SaveGameRow) -> SaveSource:
    """Where a game's save lies. Raises CommandRefused while that is not chosen."""
    if not game.path:
        raise CommandRefused(f"Where {game.title} keeps its save isn't set yet. Choose the folder under Settings.")
    return SaveSource(Path(game.path), game.folder)


def present(game: SaveGameRow) -> PresentSave:
    """What a game has now; nothing is read but what the system tells of the files."""
    try:
        found = files_of(source_of(game))
    except TesouraError as error:
        return PresentSave(False, wrong=str(error))
    if not found:
        return PresentSave(game.folder and Path(game.path).is_dir())
    changed = datetime.fromtimestamp(max(one.mtime_ns for one in found) / 1e9, UTC)
    return PresentSave(True, len(found), sum(one.size for one in found), changed)


class SavedGames:
    """The way to the shelves of saved games."""

    def __init__(self, runtime: Runtime, start: Callable[[Coroutine[Any, Any, Any], str], asyncio.Task[Any]]) -> None:
        self._runtime, self._start = runtime, start
        self.objects = runtime.store.folder / keeping.FOLDER
        self._turns: dict[int, asyncio.Lock] = {}
        self.working: dict[int, SaveWork] = {}
        """What is being done, by game."""
        self._known: dict[int, tuple[tuple[FoundFile, ...], str]] = {}
        """What each game had when that was last looked at, and what that has in common with entries."""
        self._looking: dict[int, asyncio.Task[Any]] = {}
        self.notices: dict[int, str] = {}
        """What somebody must know of a game's save, by game, until the next thing is done with it."""

    async def begin(self) -> None:
        """Mend what a crash left: what stood beside a game's save is kept."""

        def left(session: Session) -> list[tuple[SaveGameRow, list[SaveRow]]]:
            waits = list(stored.beside(session))
            games = [*stored.games(session), *stored.games_away(session)]
            return [(game, [row for row in waits if row.game_id == game.id]) for game in games if game.path]

        for game, rows in await asyncio.to_thread(self._runtime.store.read, left):
            try:
                for row in rows:
                    await asyncio.to_thread(putting.mend, source_of(game), row.id or 0)
                    await self._after(game, row, mending=True)
                for number in await asyncio.to_thread(putting.left_beside, source_of(game)):
                    await self._left(game, number)
            except (TesouraError, OSError) as error:
                log.error("The previous save of %s couldn't be stored yet: %s", game.title, error)

    async def _left(self, game: SaveGameRow, number: int) -> None:
        """What stands beside a game's save and no entry waits for: it is kept already, or it gets an entry now."""
        entry = await asyncio.to_thread(self._runtime.store.read, lambda session: stored.entry(session, number))
        if entry is not None and entry.game_id == game.id and entry.content is not None:
            await asyncio.to_thread(putting.let_go, putting.before_at(source_of(game), number))
            return
        now = self._runtime.settings.clock()
        row = SaveRow(
            game_id=game.id or 0, kind=stored.BEFORE, name=f"{game.title}, found next to it", beside=True, made_at=now
        )
        row = await self._write(lambda session: stored.add(session, row))
        source = source_of(game)
        await asyncio.to_thread(putting.before_at(source, number).rename, putting.before_at(source, row.id or 0))
        await self._after(game, row)

    async def sweep(self) -> None:
        """Take away what nothing needs any more. Nothing may be kept meanwhile."""
        now = self._runtime.settings.clock()
        await self._write(lambda session: stored.forget_old(session, now))
        needed = await asyncio.to_thread(self._runtime.store.read, stored.digests)
        await asyncio.to_thread(keeping.sweep, self.objects, needed)

    def end(self) -> None:
        """Look after nothing any more."""
        for looking in self._looking.values():
            looking.cancel()

    # What is done

    async def keep(self, game: SaveGameRow, name: str, parent_id: int | None, note: str = "") -> SaveRow:
        """Keep what a game has now, under a name. Raises CommandRefused."""
        async with self._turn(game, f"“{name}” is being saved") as work:
            content = await self._kept(game, source_of(game), work)
            if not content.files:
                raise CommandRefused(f"{game.title} has no save now. Save in the game first.")
            row = SaveRow(
                game_id=game.id or 0,
                parent_id=parent_id,
                name=name,
                note=note,
                content=content.plain(),
                size=content.size,
                same=content.same,
                made_at=self._runtime.settings.clock(),
            )
            return await self._write(lambda session: stored.add(session, row))

    async def put_back(self, game: SaveGameRow, save: SaveRow) -> SaveRow | None:
        """Let a kept save take the place of the game's; what that had, as it is kept under Before.

        Raises CommandRefused; then the game has what it had.
        """
        content = self._content(save)
        async with self._turn(game, f"“{save.name}” is being restored") as work:
            work.total = content.size
            found = await self._settled(game, work)
            await asyncio.to_thread(must_be_writable, source_of(game), found)
            before = await self._before(game, found, save) if found or game.folder else None
            number = before.id or 0 if before else 0

            def told(done: int) -> None:
                work.done = done

            try:
                await asyncio.to_thread(
                    putting.put,
                    self.objects,
                    content,
                    source_of(game),
                    number,
                    game.keeps_times,
                    told,
                    lambda: work.stopped,
                )
            except TesouraError:
                if before is not None:
                    await self._write(lambda session: self._never_was(session, before))
                raise
            await self._write(lambda session: stored.change_game(session, game.id or 0, last_put=save.id))
            self.notices.pop(game.id or 0, None)
        if before is not None:
            self._start(self._after(game, before), "Keeping what a save was put in the place of")
        if (looking := self._looking.pop(game.id or 0, None)) is not None:
            looking.cancel()
        self._looking[game.id or 0] = self._start(self._look_after(game, save), "Checking a restored save")
        return before

    async def replace(self, game: SaveGameRow, save: SaveRow, by: SaveRow | None) -> SaveRow:
        """Let a kept save be what the game has now, or what another entry is; what it was stays under Before."""
        async with self._turn(game, f"“{save.name}” is being replaced") as work:
            content = self._content(by) if by is not None else await self._kept(game, source_of(game), work)
            if not content.files:
                raise CommandRefused(f"{game.title} has no save now to replace “{save.name}”.")
            now = self._runtime.settings.clock()

            def job(session: Session) -> SaveRow:
                was = stored.entry(session, save.id or 0)
                if was is None or was.removed_at is not None or was.content is None:
                    raise Gone("This save no longer exists.")
                before = stored.add(
                    session,
                    SaveRow(
                        game_id=was.game_id,
                        kind=stored.BEFORE,
                        name=f"{was.name}, before",
                        content=was.content,
                        size=was.size,
                        same=was.same,
                        made_at=now,
                    ),
                )
                stored.change(
                    session, was.id or 0, content=content.plain(), size=content.size, same=content.same, made_at=now
                )
                stored.bound_befores(session, was.game_id, game.most_before, now)
                return before

            return await self._write(job)

    def stop(self, game_id: int) -> bool:
        """Stop what is being done with a game's save, if it still can be; whether there was something."""
        work = self.working.get(game_id)
        if work is not None:
            work.stopped = True
        return work is not None

    # Parts of it

    @asynccontextmanager
    async def _turn(self, game: SaveGameRow, words: str) -> AsyncIterator[SaveWork]:
        """One thing at a time for each game: the second of two waits, and finds what the first has left."""
        async with self._turns.setdefault(game.id or 0, asyncio.Lock()):
            self.working[game.id or 0] = work = SaveWork(words)
            self._runtime.touched("saves")
            try:
                yield work
            finally:
                self.working.pop(game.id or 0, None)
                self._runtime.touched("saves")

    async def _settled(self, game: SaveGameRow, work: SaveWork) -> list[FoundFile]:
        return await asyncio.to_thread(wait_until_settled, source_of(game), float(game.wait_s), lambda: work.stopped)

    async def _kept(self, game: SaveGameRow, source: SaveSource, work: SaveWork) -> Content:
        for _ in range(TRIES):
            found = await self._settled(game, work)
            work.total = sum(one.size for one in found)

            def told(done: int) -> None:
                work.done = done
                if work.stopped:
                    raise CommandRefused("Stopped. Nothing was changed.")

            try:
                return await asyncio.to_thread(keeping.keep, self.objects, source, found, told)
            except StillWritten:
                continue
        raise CommandRefused(f"{source.at.name} changed while being copied. Quit the game first.")

    async def _before(self, game: SaveGameRow, found: list[FoundFile], save: SaveRow) -> SaveRow:
        """The entry for what the game has, written before anything is changed: its content stands beside it then.

        Until that is kept, `same` is that of the save which takes its place: found there, it was a crash that left it.
        """
        changed = max((one.mtime_ns for one in found), default=0) / 1e9
        at = datetime.fromtimestamp(changed, UTC) if changed else self._runtime.settings.clock()
        row = SaveRow(
            game_id=game.id or 0,
            kind=stored.BEFORE,
            name=f"{game.title}, before",
            beside=True,
            same=save.same,
            size=sum(one.size for one in found),
            made_at=at,
        )
        return await self._write(lambda session: stored.add(session, row))

    @staticmethod
    def _never_was(session: Session, before: SaveRow) -> None:
        row = stored.entry(session, before.id or 0)
        if row is not None:
            session.delete(row)

    async def _after(self, game: SaveGameRow, before: SaveRow, mending: bool = False) -> None:
        async with self._turn(game, "Saving the previous state"):
            await self._adopt(game, before, mending)

    async def _adopt(self, game: SaveGameRow, before: SaveRow, mending: bool) -> None:
        """Store what stands beside a game's save as the content of its entry; without any there is no entry.

        After a crash it may be the save that was to take its place, and never did.
        """
        number = before.id or 0
        source = SaveSource(putting.before_at(source_of(game), number), game.folder)
        now = self._runtime.settings.clock()

        def kept() -> Content | None:
            there = source.at.exists()
            return keeping.keep(self.objects, source, files_of(source)) if there else None

        content: Content | None = None
        for _ in range(TRIES):
            try:
                content = await asyncio.to_thread(kept)
                break
            except StillWritten:
                await asyncio.sleep(1.0)
        else:
            raise CommandRefused("The previous state is still being saved.")

        def job(session: Session) -> None:
            if content is None or not (content.files or content.folders) or (mending and content.same == before.same):
                self._never_was(session, before)
                return
            stored.change(session, number, content=content.plain(), size=content.size, same=content.same, beside=False)
            stored.bound_befores(session, before.game_id, game.most_before, now)

        await self._write(job)
        await asyncio.to_thread(putting.let_go, source.at)

    async def _look_after(self, game: SaveGameRow, save: SaveRow) -> None:
        """Tell when something puts the old save back: a program that syncs the folder, or the game as it ends."""
        for wait_s in LOOK_AFTER_S:
            await asyncio.sleep(wait_s)
            there = await asyncio.to_thread(self._same_as, game)
            befores = await asyncio.to_thread(
                self._runtime.store.read, lambda session: list(stored.befores(session, game.id or 0))
            )
            last = next((one for one in befores if one.same), None)
            if there and there != save.same and last is not None and there == last.same:
                self.notices[game.id or 0] = (
                    f"Another program replaced the save after “{save.name}” was restored: a sync program, or the "
                    "game as it closed. Quit the game, stop syncing, then restore it again."
                )
                self._runtime.touched("saves")
                return

    def _same_as(self, game: SaveGameRow) -> str:
        """What the game's save has in common with entries of the same content; nothing where that takes long."""
        try:
            found = files_of(source_of(game))
            if not found or sum(one.size for one in found) > SMALL:
                return ""
            if (known := self._known.get(game.id or 0)) and known[0] == tuple(found):
                return known[1]
            told = tuple(keeping.SavedFile(one.path, one.size, 0, keeping.digest_of(one.at)) for one in found)
            same = Content(told, tuple(folders_of(source_of(game)))).same
            self._known[game.id or 0] = (tuple(found), same)
            return same
        except (TesouraError, OSError):
            return ""

    async def same_as(self, game: SaveGameRow) -> str:
        """What the game's save has in common with entries of the same content; nothing where that takes long."""
        return await asyncio.to_thread(self._same_as, game)

    @staticmethod
    def _content(save: SaveRow) -> Content:
        if save.content is None:
            raise CommandRefused("Not a save, or still being saved. Try again in a moment.")
        return content_of(save.content)

    async def _write(self, job: Callable[[Session], T]) -> T:
        written: Future[T] = self._runtime.store.writer.submit(job)
        return await asyncio.shield(asyncio.wrap_future(written))
