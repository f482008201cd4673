"""An overlay as one file: a zip with its document, its looks, its pictures and its typefaces, and no secret."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from tesoura.core.forms.checks import line
from tesoura.core.overlays.document import (
    DOCUMENT_VERSION,
    Overlay,
    from_document,
    size_problem,
    to_document,
    too_many,
)
from tesoura.core.values import from_json
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
    files: Sequence[tuple[str, str, bytes]]


def packed(name: str, draft: Overlay, rows: Sequence[MediaRow], folder: Path) -> bytes:
    """The file for an overlay. `rows` are all files that were added; those that it shows go along."""
    worn = {one: look for one, look in draft.looks.items() if one in draft.worn()}
    faces = {piece.styled(draft.looks, draft.form)["typeface"] for piece in draft.pieces}
    shown = draft.media()
    taken = [
        row for row in rows
        if row.name in shown or (row.kind == "typeface" and row.facts.get("family") in faces)
    ]  # fmt: skip
    document = {
        "tesoura": DOCUMENT_VERSION, "name": name, "overlay": to_document(replace(draft, looks=worn)),
        "files": [{"name": row.name, "kind": row.kind, "title": row.title} for row in taken],
    }  # fmt: skip
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(DOCUMENT, json.dumps(document, indent=1, ensure_ascii=False))
        for row in taken:
            archive.write(media.path_of(folder, row.name), f"{FOLDERS[row.kind]}/{row.name}")
    return out.getvalue()


def unpacked(data: bytes) -> UnpackedOverlay:
    """What is in such a file. Raises FileRefused, or NewerDocument for one of a later version."""
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except zipfile.BadZipFile:
        raise FileRefused("This is no overlay that was exported: it is not a zip file.") from None
    with archive:
        document = _document(archive)
        if not isinstance(document.get("overlay"), dict):
            raise FileRefused(f"The file's {DOCUMENT} describes no overlay.")
        overlay = _overlay(document["overlay"])
        try:
            name = line(60)(document.get("name", ""))
        except InvalidField:
            name = "Imported overlay"
        return UnpackedOverlay(name, overlay, list(_files(archive, document.get("files", []))))


def _document(archive: zipfile.ZipFile) -> dict[str, Any]:
    try:
        if archive.getinfo(DOCUMENT).file_size > MAX_DOCUMENT:
            raise FileRefused(f"The file's {DOCUMENT} is too large to be one.")
        document = from_json(archive.read(DOCUMENT))
    except KeyError:
        raise FileRefused(f"This is no overlay that was exported: there is no {DOCUMENT} in it.") from None
    except (ValueError, zipfile.BadZipFile, zlib.error, OSError, RuntimeError):
        raise FileRefused(f"The file's {DOCUMENT} is damaged. Export the overlay again.") from None
    if not isinstance(document, dict):
        raise FileRefused(f"The file's {DOCUMENT} describes no overlay.")
    return document


def _overlay(document: dict[str, Any]) -> Overlay:
    if problem := size_problem(document.get("width_px"), document.get("height_px")):
        raise FileRefused(f"The overlay cannot be made: {problem}")
    try:
        if much := too_many(document):
            raise FileRefused(f"The overlay in the file is larger than one can be. {much}")
        overlay = from_document(document)
    except (NewerDocument, FileRefused):
        raise
    except (TypeError, AttributeError, KeyError, ValueError, OverflowError) as error:
        raise FileRefused(f"The overlay in the file is damaged ({type(error).__name__}). Export it again.") from None
    return overlay


def _files(archive: zipfile.ZipFile, told: object) -> Iterator[tuple[str, str, bytes]]:
    total = 0
    for one in told[:MAX_FILES] if isinstance(told, list) else ():
        kind, name = (str(one.get(key, "")) for key in ("kind", "name")) if isinstance(one, dict) else ("", "")
        if kind not in FOLDERS:
            continue
        try:
            info = archive.getinfo(f"{FOLDERS[kind]}/{name}")
        except KeyError:
            raise FileRefused(f"The file {name[:60]} that the overlay shows is missing. Export it again.") from None
        total += info.file_size
        if info.file_size > MAX_BYTES[kind] or total > MAX_BYTES["overlay"]:
            raise FileRefused("The files inside unpack to more than an overlay may have. They were not unpacked.")
        try:
            yield kind, str(one.get("title", name))[:80], archive.read(info)
        except (zipfile.BadZipFile, zlib.error, OSError, RuntimeError):
            raise FileRefused(f"The file {name[:60]} inside is damaged. Export the overlay again.") from None
