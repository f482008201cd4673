"""What a process for clips runs: jobs come in as lines of JSON, and how far they are, and what came of them, go out.

`python -m tesoura.clips.work` is such a process; nobody but `workers.py` starts it.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import sys
import threading
import time
import traceback
from collections.abc import Callable, Iterator, Mapping
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from av.error import FFmpegError

from tesoura.clips.cutting import TYPES, cut, ending_of
from tesoura.clips.encoding import encode
from tesoura.clips.probing import MICRO, probe
from tesoura.clips.stills import keep_still, keep_strip
from tesoura.clips.tail import excerpt
from tesoura.errors import FileRefused

Told = Mapping[str, Any]
Tell = Callable[[float], None]
MEMORY_BYTES = 4_000_000_000
TELL_EVERY_S, PARENT_EVERY_S = 0.25, 0.5
MOST_LENGTH = 10 * 60 * MICRO
"""A clip is at most so long; of a longer one a part is named."""


def look(given: Told, tell: Tell) -> Told:
    """What a file is."""
    facts = probe(Path(given["path"]))
    return {**asdict(facts), "words": facts.words}


def take(given: Told, tell: Tell) -> Told:
    """Take a part of a file into the folder: cut on packets where that plays, and else `anew`, which says why.

    With `may_encode` it is made anew here. `begin` and `end` are µs after the first picture, or, `from_end`, before the
    last one is over; with neither it is all of it, which is at most so long. Of a recording that goes on only the last
    `tail_bytes` are looked at.
    """
    folder = Path(given["folder"])
    with _whole(Path(given["path"]), folder, int(given.get("tail_bytes", 0))) as source:
        return _taken(source, folder, given, tell)


@contextlib.contextmanager
def _whole(path: Path, folder: Path, tail_bytes: int) -> Iterator[Path]:
    """The file to be cut: itself, or the end of one that still grows."""
    if not tail_bytes:
        yield path
        return
    with _part(folder, path.suffix.lstrip(".") or "mkv") as part:
        excerpt(path, part, tail_bytes)
        yield part


def _taken(source: Path, folder: Path, given: Told, tell: Tell) -> Told:
    facts = probe(source)
    if "from_end" in given:
        begin, end = (facts.length - int(one) for one in given["from_end"])
    else:
        begin, end = int(given.get("begin", 0)), int(given.get("end", facts.length))
    apart = _apart(begin, end, facts.length)
    begin, end = max(begin, 0), min(end, facts.length)
    if end - begin > MOST_LENGTH:
        minutes, long = MOST_LENGTH // (60 * MICRO), facts.words.partition(",")[0]
        raise FileRefused(f"The clip is {long} long; at most {minutes} minutes are allowed. Trim it first.")
    if end - begin < MICRO // 10:
        raise FileRefused(f"The clip contains none of the requested seconds{apart}")
    if facts.made_anew and not given.get("may_encode"):
        return {"anew": facts.made_anew}
    ending = "webm" if facts.made_anew else ending_of(facts)
    with _part(folder, ending) as part:
        if facts.made_anew:
            kept = encode(source, part, facts, begin, end, tell)
            offset = 0
        else:
            made = cut(source, part, begin, end)
            offset, kept = made.offset, replace(facts, length=made.length, size=part.stat().st_size)
        name = _into(folder, part, ending)
        return {
            "file": name,
            "type": TYPES[ending],
            "offset": offset,
            "begin": begin,
            "end": end,
            "length": kept.length,
            "width_px": kept.width_px,
            "height_px": kept.height_px,
            "codec": kept.codec,
            "sound": kept.sound,
            "size": kept.size,
            "frames_per_s": kept.frames_per_s,
            "anew": facts.made_anew,
            "whole": facts.length,
            "words": facts.words,
        }


def _apart(begin: int, end: int, length: int) -> str:
    """How far the wished seconds are from a clip, and what to look at."""
    if begin >= length:
        return f": it ends {_long(begin - length)} before them. Was it written too early, or is a clock wrong?"
    if end <= 0:
        return f": it begins {_long(-end)} after them. Does its source keep enough, or is a clock wrong?"
    return "."


def _long(us: int) -> str:
    seconds = us / MICRO
    return f"{seconds:.1f} s" if seconds < 120 else f"{seconds / 60:.0f} min"


def pictures(given: Told, tell: Tell) -> Told:
    """A picture of a clip that is kept, and its filmstrip."""
    folder = Path(given["folder"])
    source = folder / given["file"]
    strip = _picture(folder, lambda target: keep_strip(source, target, given["begin"], given["end"]))
    return {**still(given, tell), "strip": strip}


def still(given: Told, tell: Tell) -> Told:
    """A picture of a clip that is kept."""
    folder = Path(given["folder"])
    return {"still": _picture(folder, lambda target: keep_still(folder / given["file"], target, given["at"]))}


def reel(given: Told, tell: Tell) -> Told:
    """Several clips in one file."""
    from tesoura.clips.reel import make

    folder = Path(given["folder"])
    with _part(folder, "webm") as part:
        length = make(folder, given["plan"], part, tell)
        size = part.stat().st_size
        return {"file": _into(folder, part, "webm"), "length": length, "size": size}


JOBS: Mapping[str, Callable[[Told, Tell], Told]] = {
    "look": look,
    "take": take,
    "pictures": pictures,
    "still": still,
    "reel": reel,
}


@contextlib.contextmanager
def _part(folder: Path, ending: str) -> Iterator[Path]:
    """A file to write that is gone afterwards, unless it was moved to its place."""
    folder.mkdir(parents=True, exist_ok=True)
    part = folder / f".{os.getpid()}.{time.monotonic_ns()}.part.{ending}"
    try:
        yield part
    finally:
        part.unlink(missing_ok=True)


def _name(path: Path, ending: str) -> str:
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while data := file.read(1 << 20):
            digest.update(data)
    return f"{digest.hexdigest()[:32]}.{ending}"


def _into(folder: Path, part: Path, ending: str) -> str:
    """Move what was written to its place, whole; its name."""
    name = _name(part, ending)
    part.replace(folder / name)
    return name


def _picture(folder: Path, write: Callable[[Path], None]) -> str:
    with _part(folder, "webp") as part:
        try:
            write(part)
        except FileRefused:
            return ""
        return _into(folder, part, "webp")


def main() -> None:
    """Do one job after the other, until nobody is there to give one."""
    _be_modest(int(sys.argv[1]) if len(sys.argv) > 1 else 0)
    _end_with_whom_it_works_for()
    out = sys.stdout
    print(json.dumps({"ready": True}), file=out, flush=True)
    for line in sys.stdin:
        job = json.loads(line)
        last = [0.0]

        def tell(share: float, last: list[float] = last) -> None:
            if time.monotonic() - last[0] >= TELL_EVERY_S:
                last[0] = time.monotonic()
                print(json.dumps({"progress": round(share, 4)}), file=out, flush=True)

        try:
            answer: Told = {"done": JOBS[job["do"]](job, tell)}
        except FileRefused as error:
            answer = {"refused": str(error)}
        except FFmpegError as error:
            answer = {"refused": f"The clip can't be read ({error})"[:300]}
        except OSError as error:
            answer = {"refused": f"The clip couldn't be written: {error.strerror or error}. Is the disk full?"}
        except MemoryError:
            return
        except Exception as error:
            # Our own error: the traceback goes to the terminal that Tesoura runs in.
            traceback.print_exc()
            answer = {"failed": f"{type(error).__name__}: {error}"[:300]}
        print(json.dumps(answer), file=out, flush=True)


def _end_with_whom_it_works_for() -> None:
    """End at once when who gave the job has ended, however that came; where the system has no such thing, with it."""
    if sys.platform == "win32":
        return
    parent = os.getppid()

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(PARENT_EVERY_S)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def _be_modest(nice: int) -> None:
    """Take less of the processor than all else does, where the system can be told; and not all of the memory."""
    with contextlib.suppress(AttributeError, OSError):
        os.nice(nice)
    with contextlib.suppress(ImportError, ValueError, OSError):
        import resource

        resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))


if __name__ == "__main__":
    main()
