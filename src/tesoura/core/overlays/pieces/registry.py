"""The kinds of piece: one module beside this one each, which names a `PieceKind` as `KIND`; and instruments' own."""

from __future__ import annotations

from tesoura.core.kinds import Kinds
from tesoura.core.overlays.pieces.kind import PieceKind

_HERE = "tesoura.core.overlays.pieces"
_INSTRUMENTS = "tesoura.core.instruments"

KINDS: Kinds[PieceKind] = Kinds(
    {
        "text": f"{_HERE}.text",
        "slots": f"{_HERE}.slots",
        "bar": f"{_HERE}.bar",
        "ring": f"{_HERE}.ring",
        "chart": f"{_HERE}.chart",
        "ranking": f"{_HERE}.ranking",
        "latest": f"{_HERE}.latest",
        "picture": f"{_HERE}.picture",
        "video": f"{_HERE}.video",
        "backing": f"{_HERE}.backing",
        "countdown": f"{_INSTRUMENTS}.countdown.piece:PIECE",
        "match_card": f"{_INSTRUMENTS}.statistics.pieces:CARD",
        "vitals": f"{_INSTRUMENTS}.statistics.pieces:VITALS",
        "map": f"{_INSTRUMENTS}.map:PIECE",
        "song_card": f"{_INSTRUMENTS}.now_playing.piece:PIECE",
        "scoreboard": f"{_INSTRUMENTS}.scoreboard.piece:PIECE",
        "wheel": f"{_INSTRUMENTS}.wheel.piece:PIECE",
        "sponsor": f"{_INSTRUMENTS}.rotation.piece:PIECE",
        "read_card": f"{_INSTRUMENTS}.campaign.piece:PIECE",
        "replay": f"{_INSTRUMENTS}.replay.piece:PIECE",
        "run": f"{_INSTRUMENTS}.run.piece:PIECE",
    }
)
"""Every kind by name, in the order in which they are offered."""
