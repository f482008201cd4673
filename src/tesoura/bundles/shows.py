"""A show as one file: feeds, what is computed, instruments, overlays, looks, buttons, text files and what they show.

A zip with `show.json` and the files that were added. No secret is in it: what looks like one is left out, and named.
What happened (the log, clips, saved games) stays; `tesoura backup` takes that along.
"""

from __future__ import annotations

import contextlib
import json
import tempfile
import zipfile
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import IO, Any

from tesoura.archives import INCOMING, Archive, in_own_process
from tesoura.bundles.private_parts import private_parts
from tesoura.core.computed.definitions import COMPUTED
from tesoura.core.instruments.registry import KINDS as INSTRUMENTS
from tesoura.core.names import is_part
from tesoura.errors import FileRefused, Invalid
from tesoura.store import media
from tesoura.store.tables import ComputedRow, FeedRow, MediaRow, RuleRow, SignalRow, TextFileRow
from tesoura.uploads.files import MAX_BYTES

KIND, VERSION, DOCUMENT = "tesoura.show", 1, "show.json"
MOST_FILES, MOST_BYTES, MOST_DOCUMENT, MOST_OF_EACH = 1_000, 2_000_000_000, 20_000_000, 500
CARRIED = ("picture", "video", "sound", "typeface", "scenery")
"""The kinds of added files that go along."""
Row = dict[str, Any]
OF_ODD_SHAPES = (TypeError, ValueError, KeyError, AttributeError, LookupError, Invalid)
"""What a document raises whose parts have another shape than a show's."""
DAMAGED = "The show in the file is damaged, and nothing of it was imported. Save it again."


@dataclass(frozen=True, slots=True)
class CarriedShow:
    """A show as a file has it: rows as they are stored, without ids, times, links and secrets."""

    made_at: str = ""
    feeds: Sequence[Row] = ()
    computed: Sequence[Row] = ()
    instruments: Sequence[Row] = ()
    overlays: Sequence[Row] = ()
    looks: Mapping[str, Row] = field(default_factory=dict)
    leaves: Row = field(default_factory=dict)
    files: Sequence[Row] = ()
    scenes: Sequence[str] = ()
    media: Sequence[Row] = ()
    left_here: Row = field(default_factory=dict)
    """What stays on the machine it was saved on, by name or number: API keys, devices, folders."""

    def counts(self) -> list[tuple[int, str]]:
        """How much there is of each: the number, and the words for one and for several."""
        found = (
            (len(self.feeds), "feed"),
            (len(self.computed), "computed signal"),
            (len(self.instruments), "instrument"),
            (len(self.overlays), "overlay"),
            (len(self.looks), "look"),
            (len(self.leaves.get("leaves", ())), "leaf"),
            (len(self.files), "text file"),
            (len(self.media), "added file"),
        )
        return [(count, one if count == 1 else _MANY.get(one, f"{one}s")) for count, one in found if count]


_MANY = {"leaf": "leaves"}


def feed_told(
    row: FeedRow,
    signals: Sequence[SignalRow],
    rules: Sequence[RuleRow],
    secret: Collection[str],
    known: Sequence[str],
    had: Collection[str] = (),
) -> Row:
    """A feed as the file has it; what is a key in its choices is left out."""
    choices = {name: value for name, value in row.choices.items() if name not in secret}
    sure = {one.path for one in private_parts({"feed": {"choices": choices}}, (), known) if one.sure}
    kept = {name: value for name, value in choices.items() if f"feed.choices.{name}" not in sure}
    return {
        "name": row.name,
        "title": row.title,
        "kind": row.kind,
        "choices": kept,
        "had": sorted(had),
        "left_out": sorted({name.rpartition(".")[2] for name in sure}),
        "secrets": sorted(secret),
        "signals": [
            {"name": one.name.partition(".")[2], "path": one.path, "unit": one.unit, "wanted": one.wanted}
            for one in signals
        ],
        "rules": [
            {
                "type": one.type,
                "items": one.items,
                "id_path": one.id_path,
                "time_path": one.time_path,
                "fields": dict(one.fields),
            }
            for one in rules
        ],
    }


def computed_told(row: ComputedRow) -> Row:
    """What is computed, or an instrument, as the file has it."""
    return {"name": row.name, "kind": row.kind, "choices": dict(row.choices)}


def file_told(row: TextFileRow) -> Row:
    """A text file as the file has it."""
    return {
        "name": row.name,
        "wording": row.wording,
        "nothing_yet": row.nothing_yet,
        "when_down": row.when_down,
        "down_text": row.down_text,
        "newline": row.newline,
    }


def write_out(out: IO[bytes], show: CarriedShow, rows: Sequence[MediaRow], folder: Path, now: datetime) -> None:
    """Write a show with its added files. Raises FileRefused when there is no room."""
    document = {
        "kind": KIND,
        "version": VERSION,
        "made_at": now.isoformat(),
        "feeds": show.feeds,
        "computed": show.computed,
        "instruments": show.instruments,
        "overlays": show.overlays,
        "looks": show.looks,
        "leaves": show.leaves,
        "files": show.files,
        "scenes": list(show.scenes),
        "left_here": dict(show.left_here),
        "media": [{"name": one.name, "kind": one.kind, "title": one.title} for one in rows],
    }
    try:
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr(DOCUMENT, json.dumps(document, indent=1, ensure_ascii=False))
            for row in rows:
                archive.write(media.path_of(folder, row.name), f"media/{row.name}")
    except OSError as error:
        raise FileRefused(f"The show couldn't be written: {error.strerror or error}. Is the disk full?") from None


def read(path: Path) -> CarriedShow:
    """The show in a file. Raises FileRefused, and OSError."""
    return in_own_process(_read, path)


def _read(path: Path) -> CarriedShow:
    try:
        with path.open("rb") as file, Archive(file, MOST_FILES + 1, MOST_BYTES + MOST_DOCUMENT) as archive:
            document, names = archive.document(DOCUMENT, MOST_DOCUMENT), archive.sizes
    except KeyError:
        raise FileRefused(f"This is not a saved show: it has no {DOCUMENT} in it.") from None
    except FileRefused:
        raise
    except ValueError:
        raise FileRefused("The show in the file is damaged: not valid JSON. Export it again.") from None
    if not isinstance(document, dict) or document.get("kind") != KIND:
        raise FileRefused("This file contains no show.")
    version = document.get("version")
    if not isinstance(version, int) or version > VERSION:
        raise FileRefused("This show was saved by a newer Tesoura. Update Tesoura, then import it.")
    try:
        show = CarriedShow(
            str(document.get("made_at", ""))[:40],
            _rows(document, "feeds"),
            _rows(document, "computed"),
            _rows(document, "instruments"),
            _rows(document, "overlays", named=False),
            dict(document.get("looks", {})),
            dict(document.get("leaves", {})),
            _rows(document, "files", named=False),
            [str(one)[:60] for one in document.get("scenes", ())][:60],
            _rows(document, "media", named=False),
            dict(document.get("left_here", {})),
        )
    except FileRefused:
        raise
    except (TypeError, ValueError, AttributeError) as error:
        raise FileRefused(f"The show in the file is damaged ({type(error).__name__}). Save it again.") from None
    _whole(show, names)
    return show


def _rows(document: Mapping[str, Any], name: str, named: bool = True) -> list[Row]:
    rows = document.get(name, [])
    if not isinstance(rows, list) or not all(isinstance(one, dict) for one in rows):
        raise ValueError(name)
    if len(rows) > (MOST_FILES if name == "media" else MOST_OF_EACH):
        raise FileRefused(f"The show has {len(rows):,} {name}; at most {MOST_OF_EACH} fit.")
    if named and not all(is_part(str(one.get("name"))) for one in rows):
        raise ValueError(name)
    if named and not all(isinstance(one.get("choices", {}), dict) and isinstance(one.get("kind"), str) for one in rows):
        raise ValueError(name)
    return rows


def _whole(show: CarriedShow, names: Mapping[str, int]) -> None:
    sizes = []
    for one in show.media:
        size = names.get(f"media/{one.get('name')}")
        if size is None or one.get("kind") not in CARRIED:
            raise FileRefused(f"The file {str(one.get('title'))[:60]} used by the show is missing. Export it again.")
        if size > MAX_BYTES.get(str(one["kind"]), 0):
            raise FileRefused(f"The file {str(one.get('title'))[:60]} in it is too large.")
        sizes.append(size)
    if sum(sizes) > MOST_BYTES:
        raise FileRefused("The files inside are too large for a show. Nothing was imported.")


@contextlib.contextmanager
def added_files(path: Path) -> Iterator[Path]:
    """Unpack the added files of a show that was read, into a folder that is there for as long. Raises FileRefused."""
    with tempfile.TemporaryDirectory(prefix=INCOMING, dir=path.parent) as place:
        in_own_process(_unpack, path, Path(place))
        yield Path(place)


def _unpack(path: Path, to: Path) -> None:
    with path.open("rb") as file, Archive(file, MOST_FILES + 1, MOST_BYTES + MOST_DOCUMENT) as archive:
        archive.must_fit(to)
        for name in archive.sizes:
            folder, _, last = name.rpartition("/")
            if folder == "media":
                archive.copy(name, to / last)


def unknown(show: CarriedShow, feeds: Collection[str]) -> list[str]:
    """What this version knows no kind of: it is left out, and named."""
    found = [
        f"{one.get('title', one['name'])}: an unknown kind of feed"
        for one in show.feeds
        if one.get("kind") not in feeds
    ]
    for rows, kinds, what in (
        (show.computed, COMPUTED, "a computed signal"),
        (show.instruments, INSTRUMENTS, "an instrument"),
    ):
        found += [f"{one['name']}: {what} of an unknown kind" for one in rows if one.get("kind") not in kinds]
    return found
