"""What a game has: the files of a save, where saves usually are, and folders to look through."""

from __future__ import annotations

import os
import re
import stat
import sys
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import NamedTuple

from tesoura.errors import CommandRefused, InvalidField

MOST_FILES, MOST_BYTES = 50_000, 50_000_000_000
MOST_LISTED = 400
OWN = ".tesoura-"
"""What the names of files begin with that stand beside a game's own for a moment, behind its name."""
_VARIABLE = re.compile(r"%([A-Za-z_][A-Za-z0-9_()]*)%")


class FoundFile(NamedTuple):
    """A file of a save: its path below the save, empty for the save itself; where it lies; bytes; when it changed."""

    path: str
    at: Path
    size: int
    mtime_ns: int


class FolderEntry(NamedTuple):
    """An entry of a folder that is looked through."""

    name: str
    at: Path
    folder: bool
    size: int
    mtime_ns: int


@dataclass(frozen=True, slots=True)
class SaveSource:
    """Where a game's save lies: a file, or a folder with all in it."""

    at: Path
    folder: bool

    def beside(self, what: str) -> Path:
        """A place beside it, in the same folder and so on the same disk."""
        return self.at.with_name(f".{self.at.name}{OWN}{what}")


def files_of(source: SaveSource) -> list[FoundFile]:
    """The files of a save, by their paths; none when it is gone.

    Raises CommandRefused for links, for what is no plain file, and for more than can be kept.
    """
    try:
        told = source.at.lstat()
    except FileNotFoundError:
        return []
    except OSError as error:
        raise CommandRefused(f"{source.at.name} can't be read: {reason(error)}.") from error
    _no_link(source.at, told.st_mode)
    if not source.folder:
        if not stat.S_ISREG(told.st_mode):
            raise CommandRefused(f"{source.at.name} is a folder now. Choose the game's save again.")
        return [FoundFile("", source.at, told.st_size, told.st_mtime_ns)]
    if not stat.S_ISDIR(told.st_mode):
        raise CommandRefused(f"{source.at.name} is a file now. Choose the game's save again.")
    found, size = list[FoundFile](), 0
    for at in _walk(source.at):
        one = at.lstat()
        _no_link(at, one.st_mode)
        if not stat.S_ISREG(one.st_mode):
            raise CommandRefused(f"{at.name} is not a regular file, so the save can't be copied completely.")
        size += one.st_size
        found.append(FoundFile(at.relative_to(source.at).as_posix(), at, one.st_size, one.st_mtime_ns))
        if len(found) > MOST_FILES or size > MOST_BYTES:
            raise CommandRefused(
                f"{source.at.name} has more than {MOST_FILES:,} files or {MOST_BYTES // 10**9} GB. "
                "Choose the folder that contains only the saves."
            )
    return sorted(found)


def folders_of(source: SaveSource) -> list[str]:
    """The folders below a save that have nothing in them: they belong to it too."""
    if not source.folder or not source.at.is_dir():
        return []
    return sorted(
        Path(place).relative_to(source.at).as_posix()
        for place, folders, files in os.walk(source.at)
        if not folders and not files and Path(place) != source.at
    )


def usual_mode(folder: bool) -> int:
    """The permissions that are not noted: those that files and folders usually have."""
    return 0o755 if folder else 0o644


def modes_of(source: SaveSource, found: Sequence[FoundFile]) -> tuple[tuple[str, int], ...] | None:
    """The permissions of a save's files and folders that are not the usual ones, by path; `.` is the save itself.

    None where the system has no such permissions.
    """
    if os.name == "nt":
        return None
    places = [(one.path or ".", one.at, False) for one in found]
    if source.folder:
        folders = [Path(place) for place, _, _ in os.walk(source.at)]
        places += [(at.relative_to(source.at).as_posix(), at, True) for at in folders]
    told = ((path, mode_of(at), usual_mode(folder)) for path, at, folder in places)
    return tuple(sorted((path, mode) for path, mode, usual in told if mode != usual))


def mode_of(at: Path) -> int:
    """A file's or folder's permissions."""
    return stat.S_IMODE(at.lstat().st_mode) & 0o777


def _walk(folder: Path) -> list[Path]:
    found = []

    def fails(error: OSError) -> None:
        raise CommandRefused(f"{error.filename} can't be read: {reason(error)}.") from error

    for place, folders, names in os.walk(folder, onerror=fails):
        for name in folders:
            at = Path(place, name)
            _no_link(at, at.lstat().st_mode)
        found += [Path(place, name) for name in names]
        if len(found) > MOST_FILES:
            break
    return found


def _no_link(at: Path, mode: int) -> None:
    if stat.S_ISLNK(mode):
        raise CommandRefused(f"{at.name} is a link. Choose the folder it points to.")


def reason(error: OSError) -> str:
    """Why something could not be done, in a few words."""
    if isinstance(error, PermissionError):
        return "you don't have permission to read or write it"
    return str(error.strerror or error)[:80].lower()


# Looking for it


def expanded(typed: str, variables: Mapping[str, str] | None = None) -> Path:
    """A path as it was typed, with the system's variables: `~`, `$HOME`, `%APPDATA%`. Raises InvalidField."""
    known = dict(os.environ if variables is None else variables)
    told = _VARIABLE.sub(
        lambda found: known.get(found[1], known.get(found[1].upper(), found[0])), typed.strip().strip('"')
    )
    told = re.sub(r"\$(\w+|\{\w+\})", lambda found: known.get(found[1].strip("{}"), found[0]), told)
    path = Path(told).expanduser()
    if (left := _VARIABLE.search(told)) or (left := re.search(r"\$\w+", told)):
        raise InvalidField(f"This system doesn't know {left[0]}. Start from a place below.")
    if not path.is_absolute():
        raise InvalidField("Give a full path, or start from a place below.")
    return path


def usual_places() -> list[tuple[str, Path]]:
    """Where games usually keep their saves, as far as it is there; each with words for it."""
    home, known = Path.home(), os.environ
    if sys.platform == "win32":
        told = [
            ("Saved Games", home / "Saved Games"),
            ("Documents, My Games", home / "Documents" / "My Games"),
            ("Documents", home / "Documents"),
            ("AppData, Roaming", known.get("APPDATA", "")),
            ("AppData, Local", known.get("LOCALAPPDATA", "")),
            ("AppData, LocalLow", home / "AppData" / "LocalLow"),
            ("Home", home),
        ]
    elif sys.platform == "darwin":
        library = home / "Library"
        told = [
            ("Application Support", library / "Application Support"),
            ("Containers", library / "Containers"),
            ("Documents", home / "Documents"),
            ("Home", home),
        ]
    else:
        told = [
            ("Program data", known.get("XDG_DATA_HOME") or home / ".local" / "share"),
            ("Program settings", known.get("XDG_CONFIG_HOME") or home / ".config"),
            ("Documents", home / "Documents"),
            ("Home", home),
        ]
    return [(words, Path(at)) for words, at in told if str(at) and Path(at).is_dir()]


def listed(folder: Path) -> tuple[list[FolderEntry], int]:
    """What is in a folder, what changed last first, and how many entries were left out. Raises CommandRefused.

    Links are left out: they are not followed.
    """
    found = []
    try:
        with os.scandir(folder) as entries:
            for one in entries:
                try:
                    told = one.stat(follow_symlinks=False)
                except OSError:
                    continue
                if one.is_symlink() or OWN in one.name or not (one.is_dir() or stat.S_ISREG(told.st_mode)):
                    continue
                found.append(FolderEntry(one.name, Path(one.path), one.is_dir(), told.st_size, told.st_mtime_ns))
    except OSError as error:
        raise CommandRefused(f"{folder} can't be read: {reason(error)}.") from error
    found.sort(key=lambda one: -one.mtime_ns)
    return found[:MOST_LISTED], max(len(found) - MOST_LISTED, 0)
