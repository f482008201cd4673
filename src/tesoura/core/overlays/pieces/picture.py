"""A picture that was added: PNG, JPEG, WebP, GIF, animated PNG, or SVG made safe."""

from __future__ import annotations

from tesoura.core.forms.fields import Field, one_of
from tesoura.core.overlays.pieces.kind import PieceKind, media

FITS = (("contain", "whole, inside"), ("cover", "fills, edges cut"), ("stretch", "stretched"))

KIND = PieceKind(
    name="picture",
    title="Picture",
    about="A mark, a cover, a drawing; it may be animated.",
    fields={
        "media": Field("Picture", media, "", "", "picture", group="Picture"),
        "fit": one_of("Fits", FITS, "contain", group="Picture"),
        "says": Field(
            "What it shows, for those who do not see it", lambda raw: " ".join(str(raw).split())[:200], group="Picture"
        ),
    },
    fills=True,
    parts=lambda choices: {},
    size=(320, 180),
    style={"backing": "none", "padding_px": 0},
    wants="picture",
)
