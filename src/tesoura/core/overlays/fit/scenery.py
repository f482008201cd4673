"""What lies behind an overlay, as the fit check sees it: the darkest and the lightest colour of each part."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from tesoura.core.overlays.fit.boxes import Box
from tesoura.core.overlays.fit.colours import Rgb, luminance


@dataclass(frozen=True, slots=True)
class Scenery:
    """A picture cut into `columns` by `rows` parts, row by row, each with its darkest and its lightest colour."""

    columns: int
    rows: int
    darkest: Sequence[Rgb]
    lightest: Sequence[Rgb]

    def behind(self, box: Box, width_px: float, height_px: float) -> tuple[Rgb, Rgb]:
        """The darkest and the lightest colour behind a box of an overlay that covers the whole picture."""
        left, right = self._span(box.x, box.right, width_px, self.columns)
        top, bottom = self._span(box.y, box.bottom, height_px, self.rows)
        parts = [row * self.columns + column for row in range(top, bottom) for column in range(left, right)]
        return (
            min((self.darkest[part] for part in parts), key=luminance),
            max((self.lightest[part] for part in parts), key=luminance),
        )

    @staticmethod
    def _span(start: float, end: float, side: float, count: int) -> tuple[int, int]:
        first = min(max(int(start / side * count), 0), count - 1)
        last = min(max(-int(-end / side * count // 1), first + 1), count)
        return first, last


ANY = Scenery(1, 1, [(0.0, 0.0, 0.0)], [(255.0, 255.0, 255.0)])
"""What may be behind an overlay of which nothing is known: black or white."""
