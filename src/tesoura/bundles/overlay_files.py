"""An overlay as one file: a zip with its document, its looks, its pictures and its typefaces, and no secret."""

from __future__ import annotations

import contextlib
import io
import json
import tempfile
import zipfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from tesoura.archives import Archive, in_own_process
from tesoura.core.forms.checks import line
from tesoura.core.overlays.document import DOCUMENT_VERSION, Overlay, from_document, size_problem, to_document, too_many
from tesoura.errors import FileRefused, InvalidField, NewerDocument
from tesoura.store import media
from tesoura.store.tables import MediaRow
from tesoura.uploads.files import MAX_BYTES

DOCUMENT = "overlay.json"
FOLDERS = {"picture": "pictures", "video": "videos", "typeface": "typefaces"}
MAX_FILES = 200
MAX_DOCUMENT = 2_000_000


@dataclass(frozen=True, slots=True)
class UnpackedOverlay:
    """What was in such a file: a name, an overlay, and its files, each with its kind and title."""

    name: str
    overlay: Overlay
    files: Sequence[tuple[str, str, Path]]


def packed(name: str, draft: Overlay, rows: Sequence[MediaRow], folder: Path) -> bytes:
    """The file for an overlay. `rows` are all files that were added; those that it shows go along."""
    worn = {one: look for one, look in draft.looks.items() if one in draft.worn()}
    faces = {piece.styled(draft.looks, draft.form)["typeface"] for piece in draft.pieces}
    shown = draft.media()
    taken = [row for row in rows if row.name in shown or (row.kind == "typeface" and row.facts.get("family") in faces)]
    document = {
        "tesoura": DOCUMENT_VERSION,
        "name": name,
        "overlay": to_document(replace(draft, looks=worn)),
        "files": [{"name": row.name, "kind": row.kind, "title": row.title} for row in taken],
    }
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(DOCUMENT, json.dumps(document, indent=1, ensure_ascii=False))
        for row in taken:
            archive.write(media.path_of(folder, row.name), f"{FOLDERS[row.kind]}/{row.name}")
    return out.getvalue()


@contextlib.contextmanager
def unpacked(data: bytes) -> Iterator[UnpackedOverlay]:
    """Yield what is in such a file; its files are there for as long.

    Raises FileRefused, or NewerDocument for one of a later version.
    """
    with tempfile.TemporaryDirectory(prefix="tesoura-overlay-") as place:
        packed = Path(place) / "overlay.zip"
        packed.write_bytes(data)
        yield in_own_process(_unpacked, packed)


def _unpacked(path: Path) -> UnpackedOverlay:
    with path.open("rb") as file, Archive(file, MAX_FILES + 1, MAX_BYTES["overlay"]) as archive:
        document = _document(archive)
        if not isinstance(document.get("overlay"), dict):
            raise FileRefused(f"The file's {DOCUMENT} contains no overlay.")
        overlay = _overlay(document["overlay"])
        try:
            name = line(60)(document.get("name", ""))
        except InvalidField:
            name = "Imported overlay"
        return UnpackedOverlay(name, overlay, list(_files(archive, document.get("files", []), path.parent)))


def _document(archive: Archive) -> dict[str, Any]:
    try:
        document = archive.document(DOCUMENT, MAX_DOCUMENT)
    except KeyError:
        raise FileRefused(f"This is not an exported overlay: it has no {DOCUMENT} in it.") from None
    except FileRefused:
        raise
    except ValueError:
        raise FileRefused(f"The file's {DOCUMENT} is damaged. Export the overlay again.") from None
    if not isinstance(document, dict):
        raise FileRefused(f"The file's {DOCUMENT} contains no overlay.")
    return document


def _overlay(document: dict[str, Any]) -> Overlay:
    if problem := size_problem(document.get("width_px"), document.get("height_px")):
        raise FileRefused(f"The overlay can't be created: {problem}")
    try:
        if much := too_many(document):
            raise FileRefused(f"The overlay in the file is too large. {much}")
        overlay = from_document(document)
    except (NewerDocument, FileRefused):
        raise
    except (TypeError, AttributeError, KeyError, ValueError, OverflowError) as error:
        raise FileRefused(f"The overlay in the file is damaged ({type(error).__name__}). Export it again.") from None
    return overlay


def _files(archive: Archive, told: object, place: Path) -> Iterator[tuple[str, str, Path]]:
    for number, one in enumerate(told[:MAX_FILES] if isinstance(told, list) else ()):
        kind, name = (str(one.get(key, "")) for key in ("kind", "name")) if isinstance(one, dict) else ("", "")
        if kind not in FOLDERS:
            continue
        part, at = f"{FOLDERS[kind]}/{name}", place / str(number)
        if part not in archive.sizes:
            raise FileRefused(f"The file {name[:60]} used by the overlay is missing. Export it again.")
        if archive.sizes[part] > MAX_BYTES[kind]:
            raise FileRefused("The files inside are too large for an overlay. Nothing was imported.")
        archive.copy(part, at)
        yield kind, str(one.get("title", name))[:80], at
