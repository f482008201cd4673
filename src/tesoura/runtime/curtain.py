"""What stands between the pieces on air and the viewers: pieces that wait, that somebody has hidden, or all of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from tesoura.core.overlays.claims import Claims
from tesoura.core.overlays.document import Piece
from tesoura.core.overlays.pieces.kind import THERE, Part, instruments_in
from tesoura.core.values import Json
from tesoura.outputs.broadcaster import Broadcaster


@dataclass(frozen=True, slots=True)
class PlacedPiece:
    """A piece on air, compiled when it was put there: what is asked for at every event is not worked out again."""

    overlay_id: int
    piece: Piece
    parts: Mapping[str, Part]
    hides: bool
    """Whether it says nothing itself, so that it may hide for what its values are."""

    @property
    def instruments(self) -> set[str]:
        """The first halves of the names of the signals that it shows."""
        return instruments_in(self.parts)

    @property
    def key(self) -> str:
        """Under which it stands among moments."""
        return f"{self.overlay_id}/{self.piece.id}"


class Curtain:
    """Which pieces viewers see; what the others would say is kept for them.

    `placed` are the pieces on air by their keys, as the stage has them; `names` gives the names behind a key.
    """

    def __init__(
        self, hub: Broadcaster, placed: Mapping[str, PlacedPiece], names: Callable[[str], tuple[str, str]]
    ) -> None:
        self._hub, self._placed, self._names = hub, placed, names
        self._kept: dict[str, Json] = {}
        self.claims = Claims()
        self.cleared = False
        """Whether the air is cleared: nothing of any overlay is seen."""

    # What the pages are told

    def is_away(self, placed: PlacedPiece) -> bool:
        """Whether viewers do not see a piece, whatever it says."""
        if self.cleared:
            return True
        return not placed.piece.is_moment and not self.claims.shown(placed.key, not placed.piece.waits)

    def told(self, overlay_id: int, values: Mapping[str, Json]) -> dict[str, Json]:
        """What the pages are told: a piece that is away says nothing, and what it would say is kept."""
        told = dict(values)
        for own, said in values.items():
            placed = self._placed.get(key := f"{overlay_id}/{own}")
            if placed is not None and self.is_away(placed):
                self._kept[key], told[own] = said, ""
        return told

    def change(self, overlay_id: int, values: Mapping[str, Json]) -> None:
        """Tell an overlay's pages what some of its pieces say now."""
        self._hub.change(overlay_id, self.told(overlay_id, values))

    def forget(self, overlay_id: int) -> None:
        """An overlay is put on air anew: what its pieces would have said is said again."""
        self._kept = {key: said for key, said in self._kept.items() if not key.startswith(f"{overlay_id}/")}

    # Drawing it

    def claim(self, claims: Claims) -> None:
        """From now on these pieces are shown and hidden."""
        self._draw(claims, self.cleared)

    def clear(self, cleared: bool) -> None:
        """Let nothing be seen on any overlay, or all that was."""
        self._draw(self.claims, cleared)

    def _draw(self, claims: Claims, cleared: bool) -> None:
        before = {key: self.is_away(placed) for key, placed in self._placed.items()}
        self.claims, self.cleared = claims, cleared
        for key, was_away in before.items():
            placed = self._placed[key]
            if self.is_away(placed) is was_away:
                continue
            overlay, _, own = key.partition("/")
            if was_away:
                self._hub.change(int(overlay), {own: self._kept.pop(key, "" if placed.piece.is_moment else THERE)})
            else:
                self.change(int(overlay), {own: self._hub.said(int(overlay), own)})

    # Asked by name

    def keys_of(self, piece: str) -> list[str]:
        """The pieces on air of this name, `overlay / piece`, whatever its case."""
        wanted = " ".join(piece.split()).casefold()
        return [key for key in self._placed if " / ".join(self._names(key)).casefold() == wanted]

    def names(self) -> list[str]:
        """The pieces on air that can be shown and hidden: their overlays' names and their own."""
        return [" / ".join(self._names(key)) for key, one in self._placed.items() if not one.piece.is_moment]

    def can_be_hidden(self, key: str) -> bool:
        """Whether a piece on air can be shown and hidden; one that shows moments comes and goes with them."""
        return not self._placed[key].piece.is_moment

    def is_shown(self, key: str) -> bool:
        """Whether nobody keeps a piece from being seen."""
        return (placed := self._placed.get(key)) is not None and not self.is_away(placed)

    def all_keys(self) -> set[str]:
        """The keys of all pieces on air."""
        return set(self._placed)

    def not_seen(self, overlay_id: int) -> list[tuple[str, bool]]:
        """The pieces of an overlay that somebody keeps from being seen, or that wait to be shown: each name, and which.

        True is for one that waits and that nobody has spoken of. What is away with all the others is not told.
        """
        placed = [
            one
            for one in self._placed.values()
            if one.overlay_id == overlay_id
            and not one.piece.is_moment
            and not self.claims.shown(one.key, not one.piece.waits)
        ]
        return [(one.piece.name, one.piece.waits and not self.claims.speaks_of(one.key)) for one in placed]
