"""Contrast as WCAG 2.2 defines it, and colours mixed by opacity."""

from __future__ import annotations

Rgb = tuple[float, float, float]


def rgb(colour: str) -> Rgb:
    """A colour `#RRGGBB` as three numbers from 0 to 255."""
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def mixed(over: Rgb, under: Rgb, opacity_pct: float) -> Rgb:
    """One colour laid over another with an opacity, mixed in sRGB as browsers do."""
    share = opacity_pct / 100
    red, green, blue = (top * share + bottom * (1 - share) for top, bottom in zip(over, under, strict=True))
    return red, green, blue


def luminance(colour: Rgb) -> float:
    """Relative luminance, 0 to 1 (WCAG 2.2, https://www.w3.org/TR/WCAG22/#dfn-relative-luminance)."""
    red, green, blue = (_linear(part / 255) for part in colour)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def _linear(part: float) -> float:
    return part / 12.92 if part <= 0.04045 else float(((part + 0.055) / 1.055) ** 2.4)


def contrast(one: Rgb, other: Rgb) -> float:
    """The contrast ratio of two colours, 1 to 21 (WCAG 2.2, https://www.w3.org/TR/WCAG22/#dfn-contrast-ratio)."""
    lighter, darker = sorted((luminance(one), luminance(other)), reverse=True)
    return (lighter + 0.05) / (darker + 0.05)
