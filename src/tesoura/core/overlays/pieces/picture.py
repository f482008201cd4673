"""A picture that was added: PNG, JPEG, WebP, GIF, animated PNG, or SVG made safe."""

from __future__ import annotations

from tesoura.core.forms.fields import Field, one_of
from tesoura.core.overlays.pieces.kind import PieceKind, media

FITS = (("contain", "fit inside"), ("cover", "fill, crop edges"), ("stretch", "stretched"))

KIND = PieceKind(
    name="picture",
    title="Picture",
    about="A logo, cover or drawing; can be animated.",
    fields={
        "media": Field("Picture", media, "", "", "picture", group="Picture"),
        "fit": one_of("Fits", FITS, "contain", group="Picture"),
        "says": Field("Description for screen readers", lambda raw: " ".join(str(raw).split())[:200], group="Picture"),
    },
    fills=True,
    parts=lambda choices: {},
    size=(320, 180),
    style={"backing": "none", "padding_px": 0},
    wants="picture",
)
