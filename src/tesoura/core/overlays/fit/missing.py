"""What a piece shows that is not there yet: its own words, a signal, an instrument, an event."""

from __future__ import annotations

from collections.abc import Iterator

from tesoura.core.overlays.fit.findings import Finding, mend
from tesoura.core.overlays.fit.placement import Placed, Surroundings
from tesoura.core.overlays.pieces.registry import KINDS

MISSING = "missing"
FEED, EVENT, INSTRUMENT = "feed", "event", "instrument"
"""What is to be made for it: a feed, an event tried with made-up data, or an instrument, whose kind follows."""


def missing(around: Surroundings, placed: Placed) -> Iterator[Finding]:
    """All that a piece shows and that is not there."""
    yield from _words(placed)
    gone = list(_instruments(around, placed))
    yield from gone
    if not gone:
        yield from _signals(around, placed)
    yield from _events(around, placed)


def _found(placed: Placed, words: str, part: str, makes: str = "", mends: tuple[object, ...] = ()) -> Finding:
    piece = placed.piece
    return Finding(MISSING, piece.id, piece.name, words, placed.box, mends, (placed.scene,), part, makes)  # type: ignore[arg-type]


def _words(placed: Placed) -> Iterator[Finding]:
    piece = placed.piece
    field = piece.kind_of.fields.get("wording")
    if field is not None and piece["wording"] == KINDS[piece.kind].defaults["wording"]:
        yield _found(placed, f"still says “{piece['wording']}”. Enter the text viewers should read.", "wording")


def _instruments(around: Surroundings, placed: Placed) -> Iterator[Finding]:
    piece = placed.piece
    if around.instruments is None:
        return
    for name, field in piece.kind_of.fields.items():
        if field.kind != "instrument" or not field.plays(piece.choices):
            continue
        wanted = str(piece[name])
        there = {one: title for one, (kind, title) in around.instruments.items() if kind == field.of}
        if wanted in there:
            continue
        words = f"draws {wanted}, which doesn't exist." if wanted else "shows nothing yet. Choose what it shows."
        mends = tuple(mend(f"Let it draw “{title}”", piece.id, **{name: one}) for one, title in list(there.items())[:3])
        yield _found(placed, words, name, "" if mends else f"{INSTRUMENT}:{field.of}", mends)


def _signals(around: Surroundings, placed: Placed) -> Iterator[Finding]:
    piece = placed.piece
    for name in around.unheard.get(piece.id, ()):
        if piece.is_moment and name.partition(".")[0] == piece.moment_type:
            continue
        yield _found(placed, f"reads {name}, which has no value yet.", name, FEED)


def _events(around: Surroundings, placed: Placed) -> Iterator[Finding]:
    piece = placed.piece
    if around.events is None or not piece.is_moment:
        return
    kind = piece.moment_type
    if not kind:
        yield _found(placed, "appears on an event, but no event is chosen. Choose one under “When”.", "when")
    elif kind not in around.events:
        yield _found(placed, f"appears when {kind} happens, which hasn't happened yet.", "when", EVENT)
