"""What the pieces of a draft would say: now, grown, at their longest, with nothing yet, with a feed down, made up."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.overlays.pieces.chart import made_up
from tesoura.core.overlays.pieces.kind import THERE, ChartLine, Latest
from tesoura.core.signals.engine import Engine
from tesoura.core.signals.texts import LONG_NAME, MADE_UP_NAMES, MADE_UP_NUMBERS, Say, Shown, Texts
from tesoura.studio.drawings import Drawings, Recent, cells

SHOWN_WITH = ("live", "made_up", "longest", "empty", "down")
MADE_UP_LEVEL = "0.6400"
MORE_DIGITS = 2
"""By so many digits a number has grown at its longest, unless more room is kept for it."""

Says = Mapping[str, str]


@dataclass(frozen=True, slots=True)
class PiecePreview:
    """What a piece would say, by the state and then the part; and what keeps it from saying more, now.

    `live` is what viewers would have; `grown` the same with its reserve of digits used up; the others are for trying.
    `reads` maps each signal that it reads to the column of its first mention.
    """

    says: Mapping[str, Says]
    shown: Shown
    reads: Mapping[str, int] = field(default_factory=dict)


class Previews:
    """Looks at pieces, on air or not."""

    def __init__(self, engine: Engine, drawn: Drawings) -> None:
        self._engine, self._drawn = engine, drawn

    def of(self, overlay: Overlay, recent: Recent) -> dict[str, PiecePreview]:
        """What each piece of an overlay would say."""
        return {piece.id: self._of(piece, recent) for piece in overlay.pieces}

    def _of(self, piece: Piece, recent: Recent) -> PiecePreview:
        says: dict[str, dict[str, str]] = {state: {} for state in ("grown", "last", *SHOWN_WITH)}
        first = Shown(THERE)
        reads: dict[str, int] = {}
        for name, part in piece.parts().items():
            if isinstance(part, Say):
                shown = self._say(piece, name, part, says)
                reads = {**part.wording.names, **reads}
                if name == "" or (first.why is None and shown.why):
                    first = shown
            elif isinstance(part, ChartLine):
                self._trail(name, part, says)
                reads |= {part.signal: 0} if part.signal else {}
            else:
                self._latest(name, part, says, recent)
        for state in says.values():
            state.setdefault("", THERE)
        return PiecePreview(says, first, reads)

    def _say(self, piece: Piece, name: str, part: Say, says: Mapping[str, dict[str, str]]) -> Shown:
        texts: Texts = self._engine.texts
        shown = texts.preview(part)
        if name.startswith("level"):
            levels = {"longest": "1.0000", "empty": "0.0000", "made_up": MADE_UP_LEVEL, "down": shown.text}
            for state, told in says.items():
                told[name] = levels.get(state, shown.text)
            return shown
        ways: Mapping[str, Callable[[Say], Shown]] = {
            "empty": texts.empty,
            "made_up": texts.made_up,
            "down": texts.down,
            "last": texts.last,
        }
        grown = piece.choices.get("grow_digits", 1)
        for state, told in says.items():
            if state == "grown":
                told[name] = texts.preview(part, grown).text
            elif state == "longest":
                told[name] = texts.longest(part, max(grown, MORE_DIGITS)).text
            else:
                told[name] = shown.text if state == "live" else ways[state](part).text
        return shown

    def _trail(self, name: str, part: ChartLine, says: Mapping[str, dict[str, str]]) -> None:
        now = self._drawn.line(part)
        tried = {"made_up": made_up(part.minutes), "longest": made_up(part.minutes), "empty": ""}
        for state, told in says.items():
            told[name] = tried.get(state, now)

    def _latest(self, name: str, part: Latest, says: Mapping[str, dict[str, str]], recent: Recent) -> None:
        now = self._drawn.rows(part, list(recent.get(part.type, [])))
        tried = {
            "made_up": [self._made_up_row(part, row) for row in range(part.rows)],
            "longest": [self._longest_row(part)] * part.rows,
            "empty": [],
        }
        for state, told in says.items():
            told |= {f"{name}_{cell}": text for cell, text in cells(part, tried.get(state, now)).items()}

    def _made_up_row(self, part: Latest, row: int) -> tuple[str, ...]:
        name, number = MADE_UP_NAMES[row % len(MADE_UP_NAMES)], MADE_UP_NUMBERS[row % len(MADE_UP_NUMBERS)]
        shown = (self._engine.texts.made_up(column).text for column in part.columns)
        texts = [name if not any(map(str.isdigit, text)) else f"{number:,}" for text in shown]
        return tuple(texts)

    def _longest_row(self, part: Latest) -> tuple[str, ...]:
        texts = self._engine.texts
        shown = (texts.longest(column).text or texts.made_up(column).text for column in part.columns)
        return tuple(text if any(map(str.isdigit, text)) else max(text, LONG_NAME, key=len) for text in shown)
