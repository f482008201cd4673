"""A shelf of saved games as one file: a zip with a list of what is in it, and each content once by its hash."""

from __future__ import annotations

import hashlib
import json
import pickle
import re
import zipfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePosixPath
from typing import IO, Any

from tesoura.archives import Archive, in_own_process
from tesoura.errors import FileRefused, NewerDocument
from tesoura.saves.keeping import Content, SavedFile, folder_synced, object_at, room_for, synced
from tesoura.saves.looking import MOST_BYTES, MOST_FILES

KIND, VERSION = "tesoura.shelf", 1
LIST = "shelf.json"
MOST_LIST, MOST_ENTRIES, MOST_NAME, MOST_NOTE, MOST_PATH = 60_000_000, 20_000, 200, 2_000, 4_096
MOST_PARTS = 500_000
"""The most contents that one file can have."""
MOST_UNPACKED = 200_000_000_000
"""The most bytes that its contents can have together."""
_DIGEST = re.compile(r"[0-9a-f]{64}")


@dataclass(frozen=True, slots=True)
class CarriedSave:
    """An entry of a carried shelf: its number in the file, that of the folder it is in (0: none), what it is."""

    number: int
    parent: int
    folder: bool
    name: str
    note: str = ""
    made_at: str = ""
    content: Content | None = None


@dataclass(frozen=True, slots=True)
class CarriedShelf:
    """A shelf in a file: the game's name, whether its save is a folder, what that is called, and its entries."""

    game: str
    folder: bool
    called: str
    entries: tuple[CarriedSave, ...] = field(default=())

    @property
    def saves(self) -> int:
        """How many saves there are."""
        return sum(one.content is not None for one in self.entries)

    @property
    def digests(self) -> set[str]:
        """The contents that they need."""
        return {file.digest for one in self.entries if one.content for file in one.content.files}

    @property
    def size(self) -> int:
        """Bytes of the contents, each once."""
        found = {file.digest: file.size for one in self.entries if one.content for file in one.content.files}
        return sum(found.values())


def write(to: IO[bytes], shelf: CarriedShelf, objects: Path) -> None:
    """Write a shelf into a file. Raises FileRefused when a content of it is missing, or it is too much for one file."""
    told = {
        "kind": KIND,
        "version": VERSION,
        "game": shelf.game,
        "folder": shelf.folder,
        "called": shelf.called,
        "entries": [
            {
                "number": one.number,
                "parent": one.parent,
                "name": one.name,
                "note": one.note,
                "made_at": one.made_at,
                **({"content": one.content.plain()} if one.content else {}),
            }
            for one in shelf.entries
        ],
    }
    listed = json.dumps(told)
    if len(shelf.entries) > MOST_ENTRIES or len(shelf.digests) > MOST_PARTS or len(listed) > MOST_LIST:
        raise FileRefused("These saves are too many for one file. Delete some first.")
    with zipfile.ZipFile(to, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as packed:
        packed.writestr(LIST, listed)
        for digest in sorted(shelf.digests):
            at = object_at(objects, digest)
            if not at.is_file():
                raise FileRefused("A file of these saves is missing on the disk. Delete the save that uses it.")
            packed.write(at, f"files/{digest}")


def read(path: Path, objects: Path | None = None) -> CarriedShelf:
    """Return what is in a shelf's file, each name and path checked. Raises FileRefused, CommandRefused, and OSError.

    With a folder for them, its contents are stored there, too, each checked by its hash.
    """
    head, entries = in_own_process(_read_apart, path, objects)
    # One by one: a list as long as a shelf's, taken over at once, would hold up everything else.
    return replace(head, entries=tuple(pickle.loads(one) for one in entries))  # noqa: S301 - from our own process


def _read_apart(path: Path, objects: Path | None) -> tuple[CarriedShelf, list[bytes]]:
    with path.open("rb") as file, Archive(file, MOST_PARTS + 1, MOST_UNPACKED) as packed:
        shelf = listed(packed)
        if objects is not None:
            unpack(packed, shelf, objects)
        return replace(shelf, entries=()), [pickle.dumps(one) for one in shelf.entries]


def listed(packed: Archive) -> CarriedShelf:
    """Return what is in an open archive, each name and path checked. Raises FileRefused."""
    try:
        shelf = _shelf(packed.read(LIST, MOST_LIST))
    except KeyError:
        raise FileRefused("This is not a saves file: it has no list.") from None
    for entry in shelf.entries:
        for each in entry.content.files if entry.content else ():
            if packed.sizes.get(f"files/{each.digest}") != each.size:
                raise FileRefused(
                    f"“{entry.name[:60]}” is damaged in the file: {each.path or 'its content'} "
                    "is missing or has a different size."
                )
    return shelf


def unpack(packed: Archive, shelf: CarriedShelf, objects: Path) -> None:
    """Store its contents, each checked by its hash. Raises FileRefused, CommandRefused, and OSError."""
    objects.mkdir(parents=True, exist_ok=True)
    room_for(objects, shelf.size)
    sizes = {one.digest: one.size for entry in shelf.entries if entry.content for one in entry.content.files}
    for digest, size in sorted(sizes.items()):
        at = object_at(objects, digest)
        if not (at.is_file() and at.stat().st_size == size):
            _unpacked(packed, digest, size, at)


def _unpacked(packed: Archive, digest: str, size: int, at: Path) -> None:
    at.parent.mkdir(exist_ok=True)
    part, found, left = at.with_name(f".{digest}.part"), hashlib.blake2b(digest_size=32), size
    try:
        with part.open("wb") as to:
            for block in packed.blocks(f"files/{digest}"):
                left -= len(block)
                found.update(block)
                to.write(block)
        if left or found.hexdigest() != digest:
            raise FileRefused("A file doesn't match the list: it was changed or is damaged.")
        synced(part)
        part.replace(at)
        folder_synced(at.parent)
    finally:
        part.unlink(missing_ok=True)


# What the list says


def _shelf(raw: bytes) -> CarriedShelf:
    try:
        # Not by `from_json`: the bytes of a file name that are no UTF-8 are written as halves of pairs.
        told = json.loads(raw)
    except (ValueError, RecursionError):
        raise FileRefused("The list in the file is not valid JSON.") from None
    if not isinstance(told, Mapping) or told.get("kind") != KIND:
        raise FileRefused("This is not a saves file.")
    if not isinstance(told.get("version"), int) or told["version"] > VERSION:
        raise NewerDocument("This file was made by a newer Tesoura. Update Tesoura, then import it.")
    rows = told.get("entries")
    if not isinstance(rows, list) or len(rows) > MOST_ENTRIES:
        raise FileRefused(f"The list has no entries, or more than {MOST_ENTRIES:,}.")
    folder = told.get("folder") is True
    entries = tuple(_entry(one, folder) for one in rows)
    _whole(entries)
    game, called = _words(told.get("game"), MOST_NAME) or "A game", _words(told.get("called"), 255)
    return CarriedShelf(game, folder, called, entries)


def _entry(told: Any, folder: bool) -> CarriedSave:
    if not isinstance(told, Mapping):
        raise FileRefused("An entry in the list is invalid.")
    number, parent = told.get("number"), told.get("parent")
    if not isinstance(number, int) or not isinstance(parent, int) or not 0 < number < 10**9:
        raise FileRefused("An entry in the list has no number.")
    content = _content(told["content"], folder) if told.get("content") is not None else None
    return CarriedSave(
        number,
        parent,
        content is None,
        _words(told.get("name"), MOST_NAME) or "No name",
        _words(told.get("note"), MOST_NOTE, "\n"),
        _words(told.get("made_at"), 40),
        content,
    )


def _whole(entries: Sequence[CarriedSave]) -> None:
    parents = {one.number: one.parent for one in entries}
    folders = {one.number for one in entries if one.folder}
    if len(parents) != len(entries) or any(one.parent and one.parent not in folders for one in entries):
        raise FileRefused("The list is damaged: two entries share a number, or an entry's folder is missing.")
    for number in parents:
        at, steps = number, 0
        while at and steps <= len(parents):
            at, steps = parents[at], steps + 1
        if at:
            raise FileRefused("The list is damaged: a folder contains itself.")


def _words(raw: object, most: int, lines: str = "") -> str:
    return "".join(one if one.isprintable() or one in lines else " " for one in str(raw or ""))[:most].strip()


def _content(told: Any, folder: bool) -> Content:
    if not isinstance(told, Mapping) or not isinstance(told.get("files"), list):
        raise FileRefused("An entry in the list has no files.")
    files, empty = told["files"], told.get("folders", [])
    if len(files) > MOST_FILES or not isinstance(empty, list) or len(empty) > MOST_FILES:
        raise FileRefused("An entry in the list has too many files.")
    found = []
    for one in files:
        try:
            path, size, mtime_ns, digest = one
        except (TypeError, ValueError):
            raise FileRefused("A file in the list is incomplete.") from None
        whole = isinstance(size, int) and isinstance(mtime_ns, int) and 0 <= size <= MOST_BYTES
        if not (whole and isinstance(digest, str) and _DIGEST.fullmatch(digest) and abs(mtime_ns) < 2**62):
            raise FileRefused("A file in the list is incomplete.")
        found.append(SavedFile(safe_path(path) if folder else "", size, mtime_ns, digest))
    if not folder and len(found) != 1:
        raise FileRefused("This game's save is one file, but an entry has a different number of files.")
    if len({one.path for one in found}) != len(found):
        raise FileRefused("Two files in an entry have the same path.")
    folders = tuple(sorted(safe_path(one) for one in empty)) if folder else ()
    return Content(tuple(sorted(found)), folders, _modes(told.get("modes")))


def _modes(told: Any) -> tuple[tuple[str, int], ...] | None:
    if told is None:
        return None
    if not isinstance(told, Mapping) or any(not isinstance(one, int) or one & ~0o777 for one in told.values()):
        raise FileRefused("The permissions in the list are incomplete.")
    return tuple(sorted((path if path == "." else safe_path(path), mode) for path, mode in told.items()))


def _writable(path: str) -> bool:
    try:
        path.encode("utf-8", "surrogateescape")
    except UnicodeEncodeError:
        return False
    return True


def safe_path(raw: object) -> str:
    """A path below a save. Raises FileRefused for one that leads out of it.

    Names that some system cannot write are refused where a save is put back, and only there.
    """
    told = str(raw)
    parts = told.split("/")
    bad = (
        not told
        or len(told) > MOST_PATH
        or "\0" in told
        or PurePosixPath(told).is_absolute()
        or any(one in ("", ".", "..") for one in parts)
        or not _writable(told)
    )
    if bad:
        raise FileRefused(f"{told[:60]!a} in the list is not a path inside the save. Nothing was imported.")
    return told
