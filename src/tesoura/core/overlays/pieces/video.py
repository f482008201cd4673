"""A video that was added, WebM or MP4: again and again, or once. It never makes a sound."""

from __future__ import annotations

from tesoura.core.forms.fields import Field, one_of
from tesoura.core.overlays.pieces.kind import PieceKind, media
from tesoura.core.overlays.pieces.picture import FITS

PLAYED = (("loop", "loop"), ("once", "play once, keep last frame"))

KIND = PieceKind(
    name="video",
    title="Video",
    about="A short silent video.",
    fields={
        "media": Field("Video", media, "", "", "video", group="Video"),
        "played": one_of("Plays", PLAYED, "loop", group="Video"),
        "fit": one_of("Fits", FITS, "contain", group="Video"),
    },
    fills=True,
    parts=lambda choices: {},
    size=(480, 270),
    style={"backing": "none", "padding_px": 0},
    wants="video",
)
