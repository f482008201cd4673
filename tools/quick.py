"""The tests to run while working: the core's, the house's, and those of the rooms in which something has changed."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
ALWAYS = ("tests/core", "tests/test_house.py")


def changed() -> list[Path]:
    """The files that differ from the last commit, new ones included."""
    found = []
    for words in (("diff", "--name-only", "HEAD"), ("ls-files", "--others", "--exclude-standard")):
        said = subprocess.run(["git", *words], cwd=ROOT, capture_output=True, text=True, check=True).stdout
        found += [Path(line) for line in said.splitlines()]
    return found


def tests_for(paths: list[Path]) -> list[str]:
    """The tests of these files: a test file itself, or those of the room that a source file lies in."""
    wanted = dict.fromkeys(ALWAYS)
    for path in paths:
        parts = path.parts
        if parts[0] == "tests" and path.name.startswith("test_"):
            wanted[path.as_posix()] = None
        elif parts[:2] == ("src", "tesoura") and len(parts) > 3 and (ROOT / "tests" / parts[2]).is_dir():
            wanted[f"tests/{parts[2]}"] = None
    return [one for one in wanted if not any(one.startswith(f"{other}/") for other in wanted)]


if __name__ == "__main__":
    there = [one for one in tests_for(changed()) if (ROOT / one).exists()]
    sys.exit(subprocess.call([sys.executable, "-m", "pytest", "-n", "2", *there, *sys.argv[1:]], cwd=ROOT))
