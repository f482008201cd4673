"""Does a piece fit: its words their box, the piece the overlay and the safe area, a picture its pixels."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from typing import Any

from tesoura.core.language.graphemes import shortened
from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.overlays.fit.boxes import Box, text_size
from tesoura.core.overlays.fit.faces import Face, as_set
from tesoura.core.overlays.fit.findings import Finding, Mend, mend
from tesoura.core.overlays.fit.missing import missing
from tesoura.core.overlays.fit.placement import READABLE_PX, STATES, Placed, Surroundings, safe_area, seen_at_720
from tesoura.core.overlays.pieces.kind import PieceText
from tesoura.core.overlays.typefaces import CARRIED

UNSEEN = frozenset("\t\r\u200b\u200c\u200d\u2060\ufe0e\ufe0f")
"""What a page sets without any width."""
BETWEEN_EM = 0.5
"""The least space between texts in one row, in the piece's size."""
SLACK_PX = 1.0
OVERSHOOT = 0.06
"""By how much a piece that comes springily is larger for a moment."""


def alone(overlay: Overlay, around: Surroundings, placed: Placed) -> Iterator[Finding]:
    """All that can be said of a piece without looking at others."""
    yield from _gone(around, placed)
    yield from missing(around, placed)
    if placed.says:
        face = around.faces(placed.style["typeface"], placed.style["weight"])
        yield from _in_its_box(overlay, around, placed, face)
        yield from _own(around, placed, face)
        yield from _letters(around, placed, face)
        yield from _readable(overlay, placed)
    yield from _in_the_overlay(overlay, placed)
    yield from _enlarged(around, placed)


def _gone(around: Surroundings, placed: Placed) -> Iterator[Finding]:
    piece = placed.piece
    for name in around.gone.get(piece.id, ()):
        words = f"reads {name}, which no longer exists. Choose another signal in its wording."
        yield Finding("gone", piece.id, piece.name, words, placed.box, (), (placed.scene,), name)
    if piece.look not in around.looks and piece.look != "plain":
        first = next(iter(around.looks.values()), None)
        mends = (mend(f"Use {first.name}", piece.id, look=first.id),) if first else ()
        words = "uses a deleted look, so it is drawn plainly."
        yield Finding("gone", piece.id, piece.name, words, placed.box, mends, (placed.scene,), "look")
    family = placed.style["typeface"]
    if placed.says and family not in around.families:
        words = f"is set in {family}, which no longer exists; {CARRIED} is used instead."
        mends = (mend(f"Set it in {CARRIED}", piece.id, typeface=CARRIED),)
        yield Finding("gone", piece.id, piece.name, words, placed.box, mends, (placed.scene,), "typeface")
    for name, field in piece.kind_of.fields.items():
        file = piece[name] if field.kind in ("picture", "video") else ""
        if file and file not in around.pictures:
            words = f"shows a {field.kind} that was deleted. Choose another one."
            yield Finding("gone", piece.id, piece.name, words, placed.box, (), (placed.scene,), name)


# Words in their box


def _own(around: Surroundings, placed: Placed, face: Face) -> Iterator[Finding]:
    """What the piece's kind itself finds not to fit, now and at its longest."""
    piece, told = placed.piece, set()

    def measure(text: str, px: float) -> tuple[float, float]:
        return text_size(text, px, placed.style, face)

    for state, _ in STATES:
        for words in piece.kind_of.fits(piece.choices, around.texts.get(piece.id, {}).get(state, {}), measure):
            if words not in told:
                told.add(words)
                yield Finding("box", piece.id, piece.name, words, placed.box, (), (placed.scene,), f"own {len(told)}")


def _said(words: PieceText, texts: Mapping[str, str]) -> str:
    return words.fixed or texts.get(words.part, "")


def _in_its_box(overlay: Overlay, around: Surroundings, placed: Placed, face: Face) -> Iterator[Finding]:
    piece, worst = placed.piece, None
    for state, when in STATES:
        texts = around.texts.get(piece.id, {}).get(state)
        if texts is None:
            continue
        over = _too_large(placed, face, texts)
        if over and (worst is None or over[0] > worst[0][0]):
            worst = (over, when)
    if worst is None:
        return
    (ratio, wide, high, text), when = worst
    size = piece["size_px"]
    smaller = max(math.floor(size / ratio), 8)
    side = f"{wide:.0f} px wider" if wide > 0 else f"{high:.0f} px higher"
    words = f"{when}, “{_short(text)}” needs a box {side} than it has."
    readable = smaller * _least_scale(piece) * seen_at_720(overlay) >= READABLE_PX
    mends = [mend(f"Make its text {smaller} px", piece.id, placed.scene, size_px=smaller)] if readable else []
    if wide > 0:
        width = math.ceil(piece["width_px"] + wide)
        mends.append(mend(f"Make it {width} px wide", piece.id, placed.scene, width_px=width))
    else:
        height = math.ceil(piece["height_px"] + high)
        mends.append(mend(f"Make it {height} px high", piece.id, placed.scene, height_px=height))
    yield Finding("box", piece.id, piece.name, words[0].upper() + words[1:], placed.box, tuple(mends), (placed.scene,))


def _too_large(placed: Placed, face: Face, texts: Mapping[str, str]) -> tuple[float, float, float, str] | None:
    """By which ratio the text must shrink, how much is missing across and down, and which text is the worst."""
    piece, style = placed.piece, placed.style
    if piece.kind_of.sized == "text":
        return _text_too_large(piece, style, face, texts.get("", ""))
    size, inner = piece["size_px"], piece["width_px"] - 2 * style["padding_px"]
    rows: dict[tuple[int, int], list[tuple[PieceText, str, float]]] = {}
    lines: dict[int, float] = {}
    for words in piece.kind_of.words(piece.choices):
        text = _said(words, texts)
        width, height = text_size(text, size * words.scale, style, face)
        lines[words.line] = max(lines.get(words.line, 0), height)
        if text:
            rows.setdefault((words.cell, words.line), []).append((words, text, width))
    worst: tuple[float, float, float, str] | None = None
    for row in rows.values():
        first = row[0][0]
        if first.yields or any(set(face.missing(text)) - UNSEEN for _, text, _ in row):
            # It makes itself fit; or whether it fits cannot be told, and that is told by itself.
            continue
        room = (inner - style["gap_px"] * (first.cells - 1)) / first.cells * first.share
        need = sum(width for _, _, width in row) + size * (BETWEEN_EM * (len(row) - 1) + first.less_em)
        if need > room + SLACK_PX and (worst is None or need / max(room, 1) > worst[0]):
            text = max(row, key=lambda one: one[2])[1]
            worst = (need / max(room, 1), (need - room) * first.cells / first.share, 0, text)
    height = piece["height_px"] - 2 * round(style["padding_px"] / 2)
    need = sum(lines.values()) + size * piece.kind_of.extra_em
    if worst is None and need > height + SLACK_PX:
        longest = max((text for row in rows.values() for _, text, _ in row), key=len, default=piece.name)
        worst = (need / max(height, 1), 0, need - height, longest)
    return worst


def _text_too_large(
    piece: Piece, style: Mapping[str, Any], face: Face, text: str
) -> tuple[float, float, float, str] | None:
    width, height = text_size(text, piece["size_px"], style, face)
    wide = width + 2 * style["padding_px"] - piece["width_px"] if piece["width_px"] else 0.0
    high = height + 2 * round(style["padding_px"] / 2) - piece["height_px"] if piece["height_px"] else 0.0
    if set(face.missing(text)) - UNSEEN:
        # How wide it is cannot be told, and that is told by itself.
        wide = 0.0
    if max(wide, high) <= SLACK_PX:
        return None
    across = width / max(width - wide, 1) if wide > SLACK_PX else 1
    down = height / max(height - high, 1) if high > SLACK_PX else 1
    return max(across, down), max(wide, 0), max(high, 0), text


def _short(text: str) -> str:
    line = text.replace("\n", " ")
    return shortened(line, 40)


def _letters(around: Surroundings, placed: Placed, face: Face) -> Iterator[Finding]:
    piece = placed.piece
    missing: set[str] = set()
    for texts in around.texts.get(piece.id, {}).values():
        for one in piece.kind_of.words(piece.choices):
            for line in as_set(_said(one, texts), placed.style["capitals"]):
                missing |= face.missing(line)
    missing = {letter for letter in missing if letter not in UNSEEN}
    if missing:
        shown = " ".join(one if one.isprintable() else f"U+{ord(one):04X}" for one in sorted(missing)[:8])
        words = (
            f"has characters that no typeface here contains ({shown}), so how they look and whether they fit "
            "depends on the machine that displays them."
        )
        yield Finding("letters", piece.id, piece.name, words, placed.box, (), (placed.scene,))


def _least_scale(piece: Piece) -> float:
    return min(words.scale for words in piece.kind_of.words(piece.choices))


def _readable(overlay: Overlay, placed: Placed) -> Iterator[Finding]:
    piece, seen = placed.piece, seen_at_720(overlay)
    scale = _least_scale(piece)
    shown = piece["size_px"] * scale * seen
    if shown < READABLE_PX - 0.01:
        size = math.ceil(READABLE_PX / seen / scale)
        words = f"Its smallest text is {shown:.1f} px at 720 lines; at least {READABLE_PX} px is needed."
        mends = (mend(f"Make its text {size} px", piece.id, placed.scene, size_px=size),)
        yield Finding("readable", piece.id, piece.name, words, placed.box, mends, (placed.scene,))


# The piece on the overlay


def _in_the_overlay(overlay: Overlay, placed: Placed) -> Iterator[Finding]:
    room = placed.widest
    whole, safe = Box(0, 0, overlay.width_px, overlay.height_px), safe_area(overlay)
    springy = placed.style["easing"] == "springy" and "grow" in (placed.style["entry"], placed.style["exit"])
    if springy and overlay.motion == "yes":
        room = room.grown(min(room.width, room.height) * OVERSHOOT / 2)
    if not whole.contains(room):
        out = max(-room.x, -room.y, room.right - whole.right, room.bottom - whole.bottom)
        when = "" if not whole.contains(placed.box) else f"{_when(whole, placed)}, "
        words = f"{when}it extends {math.ceil(out)} px outside the overlay, where it's invisible."
        fits = safe and room.width <= safe.width and room.height <= safe.height
        yield _out(placed, "overlay", words, room, safe if safe and fits and placed.says else whole)
        return
    if safe and placed.says and not safe.contains(room, 1.5):
        out = max(safe.x - room.x, safe.y - room.y, room.right - safe.right, room.bottom - safe.bottom)
        words = f"{math.ceil(out)} px are outside the safe area, which some screens cut off."
        yield _out(placed, "safe", words, room, safe)


def _when(whole: Box, placed: Placed) -> str:
    for state, words in STATES[1:]:
        if state in placed.boxes and not whole.contains(placed.boxes[state]):
            return words
    return "while it enters and exits"


def _out(placed: Placed, kind: str, words: str, room: Box, whole: Box) -> Finding:
    piece = placed.piece
    mends: tuple[Mend, ...] = ()
    if room.width <= whole.width and room.height <= whole.height:
        across = max(whole.x - room.x, 0) or -max(room.right - whole.right, 0)
        down = max(whole.y - room.y, 0) or -max(room.bottom - whole.bottom, 0)
        x = math.ceil(piece["x"] + across) if across > 0 else math.floor(piece["x"] + across)
        y = math.ceil(piece["y"] + down) if down > 0 else math.floor(piece["y"] + down)
        mends = (mend(f"Move it to {x}, {y}", piece.id, placed.scene, x=x, y=y),)
    elif "size_px" in piece.choices and piece.kind_of.sized == "text" and not piece["width_px"]:
        size = max(math.floor(piece["size_px"] * min(whole.width / room.width, whole.height / room.height)), 8)
        mends = (mend(f"Make its text {size} px", piece.id, placed.scene, size_px=size),)
    elif piece.kind_of.sized == "box":
        width, height = (math.floor(min(a, b)) for a, b in ((room.width, whole.width), (room.height, whole.height)))
        x, y = math.ceil(max(room.x, whole.x)), math.ceil(max(room.y, whole.y))
        x, y = min(x, math.floor(whole.right - width)), min(y, math.floor(whole.bottom - height))
        choices = {"x": x, "y": y, "width_px": width, "height_px": height}
        mends = (mend(f"Make it {width} × {height} px", piece.id, placed.scene, **choices),)
    return Finding(kind, piece.id, piece.name, words[0].upper() + words[1:], room, mends, (placed.scene,))


def _enlarged(around: Surroundings, placed: Placed) -> Iterator[Finding]:
    piece = placed.piece
    pixels = around.pictures.get(piece.choices.get("media", ""))
    if pixels is None or 0 in pixels:
        return
    ways = (piece["width_px"] / pixels[0], piece["height_px"] / pixels[1])
    by = min(ways) if piece["fit"] == "contain" else max(ways)
    if by > 1.02:
        width, height = (math.floor(piece[name] / by) for name in ("width_px", "height_px"))
        words = (
            f"Its file has {pixels[0]} × {pixels[1]} pixels and is displayed {by:.1f} times larger, so it "
            "looks blurred."
        )
        mends = (mend(f"Make it {width} × {height} px", piece.id, placed.scene, width_px=width, height_px=height),)
        yield Finding("enlarged", piece.id, piece.name, words, placed.box, mends, (placed.scene,))
