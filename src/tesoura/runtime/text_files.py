"""The wordings kept in text files: the bridge between the store, the engine's texts, and what writes the files."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from tesoura.core.language.wording import compile_wording
from tesoura.core.signals.engine import Engine
from tesoura.core.signals.texts import Say, Shown
from tesoura.errors import FormulaError
from tesoura.outputs.text_files import FileWriter, Written, sweep
from tesoura.store import state
from tesoura.store import text_files as stored
from tesoura.store.store import Store
from tesoura.store.tables import TextFileRow

log = logging.getLogger(__name__)
FOLDER_CHOICE = "text_folder"
PREFIX = "file/"
TEXTS = "texts"
"""The folder within the data folder that is for text files, and nothing else."""
STOPPED = ("keep", "empty", "text")


@dataclass(frozen=True, slots=True)
class FileReport:
    """A text file as its page shows it."""

    row: TextFileRow
    path: Path | None
    shown: Shown
    written: Written | None


def say_of(wording: str, nothing_yet: str, when_down: str, down_text: str) -> Say:
    """A file's wording, ready to render. Raises FormulaError.

    Who reads a file sees no age: what is late is no better than what is down, and after a start it is late until new.
    """
    down = {"keep": "keep", "empty": "hide", "text": "instead"}[when_down]
    return Say(compile_wording(wording), nothing_yet, down, down, down_text)


def own_folder(path: Path, data: Path) -> bool:
    """Whether a folder is one of Tesoura's own: its data folder and all in it, but the one for texts."""
    try:
        path, data = path.resolve(), data.resolve()
    except (OSError, RuntimeError, ValueError):
        return True
    return path.is_relative_to(data) and not path.is_relative_to(data / TEXTS)


class TextFiles:
    """All text files of the data folder."""

    def __init__(
        self, store: Store, engine: Engine, clock: Callable[[], datetime], touch: Callable[[str], None]
    ) -> None:
        self._store, self._engine = store, engine
        self._files = FileWriter(clock, lambda: touch("files"))
        self._rows: dict[int, TextFileRow] = {}
        self.folder: Path | None = None

    async def start(self) -> None:
        """Write every file as it stands now."""
        await self.refresh()

    async def refresh(self) -> None:
        """Bring all files to what the store says."""
        rows, folder = await asyncio.to_thread(
            self._store.read, lambda session: (list(stored.all_files(session)), state.choice(session, FOLDER_CHOICE))
        )
        for row_id in list(self._rows):
            self._engine.texts.hide(f"{PREFIX}{row_id}")
        before = {self._path(row) for row in self._rows.values()}
        self.folder = Path(folder) if folder else None
        if self.folder is not None and own_folder(self.folder, self._store.folder):
            log.error("Text files can't be written to %s, Tesoura's own folder. Choose another one.", self.folder)
            self.folder = None
        self._rows = {row.id or 0: row for row in rows}
        for path in before - {self._path(row) for row in rows}:
            if path is not None:
                self._files.forget(path)
        if self.folder is not None:
            await asyncio.to_thread(sweep, self.folder)
        for row_id, row in self._rows.items():
            try:
                say = say_of(row.wording, row.nothing_yet, row.when_down, row.down_text)
            except (FormulaError, KeyError):
                continue
            self._put(row, self._engine.texts.show(f"{PREFIX}{row_id}", say))

    async def unmake(self, name: str) -> None:
        """Take away a file whose making was undone, and with the last one the folder that was made for it."""
        folder = self.folder
        if folder is None:
            return
        await self._files.remove(folder / name)
        if self._rows or folder != self._store.folder / TEXTS:
            return
        with contextlib.suppress(OSError):
            # What somebody else put there keeps it.
            await asyncio.to_thread(folder.rmdir)
            await asyncio.wrap_future(self._store.writer.submit(lambda session: state.unchoose(session, FOLDER_CHOICE)))
            await self.refresh()

    def _path(self, row: TextFileRow) -> Path | None:
        return self.folder / row.name if self.folder is not None else None

    def _put(self, row: TextFileRow, shown: Shown) -> None:
        path = self._path(row)
        if path is not None:
            self._files.put(path, shown.text + ("\n" if row.newline else ""))

    def tell(self, texts: Mapping[str, Shown]) -> None:
        """Write the files whose text changed; keys are `file/number`, others are passed over."""
        for key, shown in texts.items():
            if key.startswith(PREFIX) and (row := self._rows.get(int(key.removeprefix(PREFIX)))):
                self._put(row, shown)

    def reports(self) -> Sequence[FileReport]:
        """All files, by name."""
        found = []
        for row_id, row in self._rows.items():
            path = self._path(row)
            shown = self._engine.texts.shown(f"{PREFIX}{row_id}") or Shown("")
            found.append(FileReport(row, path, shown, self._files.state(path) if path else None))
        return found

    async def stop(self) -> None:
        """Leave each file as its choice for this says."""
        for row in self._rows.values():
            if row.when_down != "keep":
                self._put(row, Shown(row.down_text if row.when_down == "text" else ""))
        await self._files.stop()
