"""The studio's workshop: typefaces, files, scene pictures and looks together, so that an overlay can be measured."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

from tesoura.core.names import snake
from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.overlays.fit.boxes import Box, box_of
from tesoura.core.overlays.fit.check import check
from tesoura.core.overlays.fit.findings import Finding
from tesoura.core.overlays.fit.placement import Surroundings
from tesoura.core.overlays.fit.scenery import ANY, Scenery
from tesoura.core.overlays.typefaces import TYPEFACES, Typeface
from tesoura.settings import STATIC
from tesoura.store import media
from tesoura.store.store import Store
from tesoura.store.tables import MediaRow
from tesoura.studio.font_metrics import Faces
from tesoura.studio.previews import PiecePreview

SCENES = STATIC / "scenes"


@lru_cache(maxsize=1)
def shipped_scenes() -> Mapping[str, Mapping[str, Any]]:
    """The scene pictures that ship: a title each, and what is darkest and lightest in each part."""
    return dict(json.loads((SCENES / "scenes.json").read_text("utf-8")))


def _scenery(grid: Mapping[str, Any]) -> Scenery:
    columns, rows, darkest, lightest = (grid[name] for name in ("columns", "rows", "darkest", "lightest"))
    return Scenery(columns, rows, [(r, g, b) for r, g, b in darkest], [(r, g, b) for r, g, b in lightest])


@dataclass(frozen=True, slots=True)
class KnownThings:
    """What pieces can show: the signals there are, the halves of names that were ever used, instruments, and events."""

    signals: frozenset[str]
    halves: frozenset[str]
    instruments: Mapping[str, tuple[str, str]]
    events: frozenset[str]
    aging: frozenset[str] = frozenset()
    """The signals that should come at an interval."""

    def is_gone(self, name: str) -> bool:
        """Whether there was such a signal, or might have been, and is none any more."""
        return name not in self.signals and name.partition(".")[0] in self.halves

    def is_unheard(self, name: str) -> bool:
        """Whether nothing was ever heard under its first half, and no feed brings such events."""
        half = name.partition(".")[0]
        return not (name in self.signals or half in self.halves or half in {snake(one) for one in self.events})


class Studio:
    """What measuring an overlay needs, for one data folder."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self.faces = Faces(self._files)

    # Typefaces

    def _rows(self) -> list[MediaRow]:
        return list(self._store.read(lambda session: media.all_media(session, "typeface")))

    def _files(self) -> dict[str, list[tuple[Path, int]]]:
        found: dict[str, list[tuple[Path, int]]] = {}
        for row in self._rows():
            path = media.path_of(self._store.folder, row.name)
            if path.exists():
                found.setdefault(row.facts["family"], []).extend((path, weight) for weight in row.facts["weights"])
        return found

    def typefaces(self) -> list[Typeface]:
        """The families to choose from: those that ship, then the user's own."""
        own: dict[str, set[int]] = {}
        for row in self._rows():
            own.setdefault(row.facts["family"], set()).update(row.facts["weights"])
        return [
            *TYPEFACES,
            *(Typeface(family, tuple(sorted(weights)), True) for family, weights in sorted(own.items())),
        ]

    def face_rules(self) -> str:
        """The style sheet by which a page carries the user's own typefaces."""
        return "\n".join(
            f"@font-face{{font-family:'{row.facts['family']}';font-weight:{_span(row.facts['weights'])};"
            f"font-display:block;src:url('/media/{row.name}') format('woff2')}}"
            for row in self._rows()
        )

    # Measuring

    def box(self, piece: Piece, overlay: Overlay, text: str) -> Box:
        """Where a piece lies when it says this."""
        return box_of(piece, piece.styled(overlay.looks, overlay.form), text, self.faces)

    def scenery(self, name: str) -> Scenery:
        """What is darkest and lightest in a scene picture; black or white when there is no such picture."""
        shipped = shipped_scenes().get(name)
        if shipped is not None:
            return _shipped_scenery(name)
        row = self._store.read(partial(media.get, name=name))
        return _scenery(row.facts["grid"]) if row and "grid" in row.facts else ANY

    def findings(
        self, overlay: Overlay, sights: Mapping[str, PiecePreview], scenes: Iterable[str], there: KnownThings
    ) -> list[Finding]:
        """What does not fit, cannot be read, is covered, or is not there."""
        rows = self._store.read(lambda session: media.all_media(session, "picture", "video"))
        texts = {
            name: {
                "now": sight.says["live"],
                "grown": sight.says["grown"],
                "longest": sight.says["longest"],
                "empty": sight.says["empty"],
                "last": sight.says["last"],
            }
            for name, sight in sights.items()
        }
        return check(
            overlay,
            Surroundings(
                texts,
                self.faces,
                overlay.looks,
                # A drawing of lines can be enlarged as far as one likes.
                {row.name: (0, 0) if row.type == "image/svg+xml" else (row.width_px, row.height_px) for row in rows},
                self.scenery(overlay.scenery),
                {name: [one for one in sorted(sight.reads) if there.is_gone(one)] for name, sight in sights.items()},
                tuple(scenes),
                frozenset(face.family for face in self.typefaces()),
                {name: [one for one in sorted(sight.reads) if there.is_unheard(one)] for name, sight in sights.items()},
                there.instruments,
                there.events,
                {name: [one for one in sorted(sight.reads) if one in there.aging] for name, sight in sights.items()},
            ),
        )


@lru_cache(maxsize=8)
def _shipped_scenery(name: str) -> Scenery:
    return _scenery(shipped_scenes()[name]["grid"])


def _span(weights: list[int]) -> str:
    return f"{weights[0]} {weights[-1]}" if len(weights) > 1 else str(weights[0])
