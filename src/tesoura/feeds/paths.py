"""Which files a feed may read: those in folders that the user named, wherever links lead."""

from __future__ import annotations

import stat
from pathlib import Path

from tesoura.errors import InvalidField, SourceUnavailable
from tesoura.feeds.api import Folders
from tesoura.plain_files import NOT_PLAIN


class FolderNotNamed(SourceUnavailable):
    """The file lies outside the folders that the user named; `folder` is the one it lies in."""

    def __init__(self, folder: Path) -> None:
        super().__init__(f"This file is outside the folders Tesoura may read. Add {folder} under Preferences first.")
        self.folder = folder


def checked_path(raw: object) -> str:
    """A whole path to a file, or InvalidField. Quotes around it, as file managers copy it, fall away."""
    typed = str(raw).strip().strip('"').strip()
    if not typed:
        raise InvalidField("Give the full path, such as /home/mara/stats/match.json.")
    if len(typed) > 1_000 or "\0" in typed:
        raise InvalidField("Not a file path.")
    path = Path(typed).expanduser()
    if not path.is_absolute():
        raise InvalidField("Give the full path, such as /home/mara/stats/match.json.")
    return str(path)


def allowed(typed: str, folders: Folders) -> Path:
    """The file, when it may be read. Raises FolderNotNamed."""
    path = Path(typed)
    try:
        real = path.resolve()
        inside = any(real.is_relative_to(folder.resolve()) for folder in folders.files)
    except (RuntimeError, OSError, ValueError):
        raise SourceUnavailable("This path loops or leads nowhere. Choose another.") from None
    if not inside:
        raise FolderNotNamed(real.parent)
    return is_file(real)


def is_file(path: Path) -> Path:
    """The path, unless no file stands there: a pipe or a device would keep whoever reads it for good."""
    try:
        mode = path.stat().st_mode
    except OSError:
        return path
    if not (stat.S_ISREG(mode) or stat.S_ISDIR(mode)):
        raise SourceUnavailable(f"{path.name} is a pipe or device, not a file. Choose a file.")
    return path


def short(typed: str) -> str:
    """A file's name with the folder it is in, without the rest of the way there."""
    path = Path(typed)
    return f"{path.parent.name}/{path.name}" if path.parent.name else path.name


def unreadable(path: Path, error: OSError) -> SourceUnavailable:
    """Why a file cannot be read, in a sentence."""
    name = path.name
    if isinstance(error, FileNotFoundError):
        return SourceUnavailable(f"There is no {name} in its folder. Check that the program that writes it is running.")
    if isinstance(error, IsADirectoryError):
        return SourceUnavailable(f"{name} is a folder. Give a file in it.")
    if isinstance(error, PermissionError):
        return SourceUnavailable(f"{name} can't be read. Check its permissions.")
    if error.strerror == NOT_PLAIN:
        return SourceUnavailable(f"{name} is a pipe or a device, not a file. Choose a file.")
    return SourceUnavailable(f"{name} couldn't be read ({error.strerror or error}).")
