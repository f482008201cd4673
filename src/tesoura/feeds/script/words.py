"""The words behind a program's name, and how a program is started: never through a shell."""

from __future__ import annotations

import os
import re
import shlex
import sys
from collections.abc import Mapping
from pathlib import Path

from tesoura.errors import InvalidField, SourceUnavailable

KEPT = ("PATH", "HOME", "LANG", "LC_ALL", "TZ", "TMPDIR", "SYSTEMROOT", "TEMP", "USERPROFILE", "APPDATA")
"""The variables that a program gets from Tesoura's own environment; everything else stays away from it."""


def checked_words(raw: object) -> str:
    """Arguments as they were typed, or InvalidField when a quote is left open."""
    typed = str(raw).strip()
    if len(typed) > 1_000:
        raise InvalidField("At most 1,000 characters.")
    try:
        shlex.split(typed)
    except ValueError:
        raise InvalidField("A quote is not closed.") from None
    return typed


def command(folder: Path, program: str, words: str) -> list[str]:
    """What to start, word by word. Raises SourceUnavailable when the program is not in the folder."""
    path = (folder / program).resolve()
    if path.parent != folder.resolve() or not path.is_file():
        raise SourceUnavailable(f"There is no {program} in the scripts folder. Put it there, or choose another.")
    given = shlex.split(words)
    if path.suffix == ".py":
        return [sys.executable, "-u", str(path), *given]
    if path.suffix == ".sh":
        return ["sh", str(path), *given]
    if os.name == "posix" and not os.access(path, os.X_OK):
        raise SourceUnavailable(f"{program} is not executable. Run chmod +x on it, or use a name ending in .py.")
    return [str(path), *given]


_VARIABLE = re.compile(r"[A-Z][A-Z0-9]{0,40}(?:_[A-Z0-9]{1,40}){0,5}_(?:KEY|TOKEN|SECRET|PASSWORD)")
"""Names that tell a program of a secret. None of them means anything to the system, a shell or an interpreter."""
_SYSTEMS = ("LD_", "DYLD_", "PYTHON", "BASH_", "GIT_", "SSH_", "NODE_", "PERL", "RUBY", "JAVA_")


def may_be_variable(name: str) -> bool:
    """Whether a secret may be given to a program under this name."""
    return _VARIABLE.fullmatch(name) is not None and not name.startswith(_SYSTEMS)


def environment(own: Mapping[str, str], variable: str, secret: str) -> dict[str, str]:
    """What a program finds in its environment: what it needs to run, and the secret it was given."""
    kept = {name: own[name] for name in KEPT if name in own}
    return {**kept, "PYTHONUNBUFFERED": "1", **({variable: secret} if secret and may_be_variable(variable) else {})}
