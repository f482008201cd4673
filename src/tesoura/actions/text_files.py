"""Text files: wordings that are kept in files, and the folder that they are in."""

from __future__ import annotations

import asyncio
import re
from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.roles import MACHINE, SET_UP
from tesoura.bundles.ready_made import ReadyMadeWords, definitions, files, with_needed
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.forms.checks import choice, group, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.forms.form import fill
from tesoura.core.forms.meanwhile import OPENED_WITH, merged
from tesoura.core.language.wording import compile_wording
from tesoura.errors import FormulaError, Gone, InvalidField, InvalidPiece
from tesoura.runtime.text_files import FOLDER_CHOICE, STOPPED, TEXTS, own_folder
from tesoura.store import computed as stored_computed
from tesoura.store import feeds as stored_feeds
from tesoura.store import state
from tesoura.store import text_files as stored
from tesoura.store.tables import TextFileRow

_NAME = re.compile(r"[^\\/:*?\"<>|\x00-\x1f]{1,100}")
_RESERVED = re.compile(r"(?i)(con|prn|aux|nul|com\d|lpt\d)(\..*)?")


def file_name(raw: object) -> str:
    """A bare file name that any system takes, ending in .txt unless it has an ending; or InvalidField."""
    typed = str(raw).strip()
    if not typed:
        raise InvalidField("Give the file a name, such as latest_gift.txt.")
    if not _NAME.fullmatch(typed) or typed.startswith(".") or typed.endswith((".", " ")) or _RESERVED.fullmatch(typed):
        raise InvalidField("A file's bare name, without folders and without any of \\ / : * ? \" < > |.")
    return typed if "." in typed else f"{typed}.txt"


def wording(raw: object) -> str:
    """A wording that can be read, or InvalidField."""
    source = str(raw).replace("\r\n", "\n")
    if not source.strip():
        raise InvalidField("Write what should be read, such as {reach.members:,} kite friends.")
    try:
        compile_wording(source)
    except FormulaError as error:
        raise InvalidField(str(error)) from None
    return source


FIELDS: Mapping[str, Field] = {
    "name": Field("File", file_name),
    "wording": Field("Wording", wording, kind="wording"),
    "nothing_yet": Field("Nothing yet", text(400, empty=True)),
    "when_down": Field("When a feed is down", choice(STOPPED), default="keep"),
    "down_text": Field("Other text", text(400, empty=True)),
    "newline": Field("End with a line break", choice(("yes", "no")), kind="switch", default="no"),
}
_FILE = {"file": Field("File's number", whole(1, 2**53), kind="number")}
_MADE = {"made": Field("Undo its creation", choice(("yes", "no")), kind="switch", default="no")}
"""Whether the file itself goes too, and Tesoura's own folder with the last one."""


async def _refresh(doing: Doing) -> None:
    await doing.runtime.text_files.refresh()
    doing.runtime.touched("files")


def _row(session: Session, file_id: int) -> TextFileRow:
    row = stored.get(session, file_id)
    if row is None:
        raise Gone("There is no such text file. It may have been deleted.")
    return row


def _first_folder(session: Session, folder: Path) -> None:
    if state.choice(session, FOLDER_CHOICE) is None:
        folder.mkdir(parents=True, exist_ok=True)
        state.choose(session, FOLDER_CHOICE, str(folder))


async def _keep(doing: Doing, given: Given) -> Done:
    at, file_id, folder = doing.now(), given.get("file"), doing.runtime.store.folder / TEXTS
    mine = {name: given[name] for name in FIELDS}

    def job(session: Session) -> tuple[int, dict[str, Any] | None]:
        before, choices = None, dict(mine)
        if file_id:
            row = _row(session, file_id)
            before = {name: getattr(row, name) for name in FIELDS} | {"newline": "yes" if row.newline else "no"}
            choices = merged(given["opened_with"], mine, before)
        choices["newline"] = choices["newline"] == "yes"
        others = [one for one in stored.all_files(session) if one.id != file_id]
        if any(one.name.casefold() == choices["name"].casefold() for one in others):
            raise InvalidPiece({"name": f"There is a {choices['name']} already. Choose another name."})
        kept = stored.keep(session, file_id, choices, at).id or 0
        _first_folder(session, folder)
        return kept, before

    kept, before = await doing.write(job)
    await _refresh(doing)
    was: dict[str, Any] = {"file": kept, **(before or {"made": "yes"})}
    undo = Call("file.change" if before else "file.remove", was)
    return Done(f"{given['name']} is written whenever it changes.", {"file": kept}, undo)


async def _put_away(doing: Doing, given: Given, away: bool) -> Done:
    at, file_id = doing.now() if away else None, given["file"]
    made, folder = given.get("made", "no"), doing.runtime.store.folder / TEXTS

    def job(session: Session) -> str:
        row = session.get(TextFileRow, file_id)
        if row is None:
            raise Gone("There is no such text file.")
        stored.remove(session, file_id, at)
        if not away:
            _first_folder(session, folder)
        return row.name

    name = await doing.write(job)
    await _refresh(doing)
    if away and made == "yes":
        await doing.runtime.text_files.unmake(name)
    other = Call("file.restore" if away else "file.remove", {"file": file_id, "made": made})
    words = f"{name} is written again."
    if away:
        words = f"{name} was removed." if made == "yes" else f"{name} is not written any more; what it holds stays."
    return Done(words, {}, other)


def _folder(raw: object) -> Path | None:
    typed = str(raw or "").strip().strip('"')
    path = Path(typed).expanduser() if typed else None
    if path is not None and not path.is_absolute():
        raise InvalidField("Give the full path of the folder, such as /home/mara/stream/texts.")
    return path


def _try_folder(path: Path) -> None:
    try:
        path.mkdir(parents=True, exist_ok=True)
        probe = path / ".tesoura-probe"
        probe.write_text("")
        probe.unlink()
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or "no such name"
        raise InvalidField(f"Nothing can be written there ({why}). Give another folder.") from None


async def _to_folder(doing: Doing, given: Given) -> Done:
    path = given["folder"] or doing.runtime.store.folder / TEXTS
    if await asyncio.to_thread(own_folder, path, doing.runtime.store.folder):
        raise InvalidField("This is Tesoura's own folder, where a wording could become a program. Give another folder.")
    before = doing.runtime.text_files.folder
    await asyncio.to_thread(_try_folder, path)
    await doing.write(lambda session: state.choose(session, FOLDER_CHOICE, str(path)))
    await _refresh(doing)
    undo = Call("file.folder", {"folder": str(before)}) if before else None
    return Done("The files are written there from now on. Those in the folder before stay as they are.", {}, undo)


# Ready-made ones


def words_of(raw: object) -> ReadyMadeWords:
    """The words for the types of events, where others than the usual were chosen."""
    given = {str(name): str(value).strip()[:80] for name, value in group(raw).items() if str(value).strip()}
    try:
        return ReadyMadeWords(**given)
    except TypeError:
        raise InvalidField("There is no such word to choose.") from None


async def _ready(doing: Doing, given: Given) -> Done:
    words, ticked = given["words"], given["files"]
    wanted = [(one, ticked[one.file] or one.wording) for one in files(words) if one.file in ticked]
    if not wanted:
        raise InvalidField("Tick at least one.")
    for one, said in wanted:
        try:
            wording(said)
        except InvalidField as error:
            raise InvalidField(f"{one.file}: {error}") from None
    at, in_use, folder = doing.now(), doing.runtime.names_taken(), doing.runtime.store.folder / TEXTS
    needed = with_needed({name for one, _ in wanted for name in one.needs}, words)
    known = definitions(words)

    def job(session: Session) -> list[int]:
        made = _compute(session, [(name, *known[name]) for name in needed], in_use, at)
        present = {row.name for row in stored.all_files(session)}
        for one, said in wanted:
            if one.file not in present:
                stored.keep(session, None, {"name": one.file, "wording": said, "nothing_yet": one.nothing_yet}, at)
        _first_folder(session, folder)
        return made

    for row_id in await doing.write(job):
        await doing.runtime.refresh_computed(row_id)
    await _refresh(doing)
    count = len(wanted)
    return Done(f"{count} {'file is' if count == 1 else 'files are'} written whenever something changes.")


def _compute(
    session: Session, wanted: Sequence[tuple[str, str, Mapping[str, Any]]], in_use: set[str], at: datetime
) -> list[int]:
    """Keep the computed signals that are not there yet; a name that something else has is left to it."""
    have = {row.name for row in stored_computed.all_computed(session)}
    taken = stored_feeds.names_taken(session) | in_use | have
    made = []
    for name, kind, choices in wanted:
        if name not in taken:
            filled = fill(COMPUTED[kind].fields, choices)
            made.append(stored_computed.keep(session, None, kind, name, filled.choices, at).id or 0)
    return made


_setup = partial(Action, noted=True, may=SET_UP)
ALL = (
    _setup("file.new", "Create a text file", "It is written whenever it changes.", FIELDS, _keep),
    _setup(
        "file.change", "Change a text file", "Its wording and its choices.", {**_FILE, **FIELDS, **OPENED_WITH}, _keep
    ),
    _setup(
        "file.remove", "Write a file no more", "What it holds stays.", {**_FILE, **_MADE}, partial(_put_away, away=True)
    ),
    _setup(
        "file.restore",
        "Write a file again",
        "One that was removed.",
        {**_FILE, **_MADE},
        partial(_put_away, away=False),
    ),
    Action(
        "file.folder",
        "Choose the text files' folder",
        "Empty for the one in the data folder.",
        {"folder": Field("Folder", _folder)},
        _to_folder,
        noted=True,
        may=MACHINE,
    ),
    _setup(
        "file.ready",
        "Make ready-made files",
        "`files` by name, each with its wording, or empty for the usual one.",
        {"files": Field("Files", group, kind="data"), "words": Field("Words", words_of, kind="data")},
        _ready,
    ),
)
