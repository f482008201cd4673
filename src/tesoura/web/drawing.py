"""How a piece is drawn: the CSS that its choices come to."""

from __future__ import annotations

from tesoura.core.overlays import TextPiece

_TEXT_ALIGN = {"left": "left", "centre": "center", "right": "right"}


def piece_style(piece: TextPiece) -> str:
    """A piece's choices as CSS. Every value has been checked, so none can say more than it should."""
    side, above = piece.padding_px, round(piece.padding_px / 2)
    backing = _with_opacity(piece.backing_colour, piece.backing_opacity_pct)
    return ";".join(
        (
            f"left:{piece.x}px",
            f"top:{piece.y}px",
            f"font-family:'{piece.typeface}'",
            f"font-size:{piece.size_px}px",
            f"font-weight:{piece.weight}",
            f"color:{piece.colour}",
            f"text-align:{_TEXT_ALIGN[piece.align]}",
            f"padding:{above}px {side}px",
            f"background:{backing}",
            f"border-radius:{piece.corner_px}px",
        )
    )


def _with_opacity(colour: str, opacity_pct: int) -> str:
    if opacity_pct == 0:
        return "transparent"
    if opacity_pct == 100:
        return colour
    red, green, blue = (int(colour[at : at + 2], 16) for at in (1, 3, 5))
    return f"rgb({red} {green} {blue} / {opacity_pct}%)"
