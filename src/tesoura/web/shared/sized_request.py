"""How much may be sent to each address: a form little, a file as much as its kind may have."""

from __future__ import annotations

from flask import Request

from tesoura.uploads.files import MAX_BYTES

MAX_FORM_BYTES = 1_000_000
FORM_ROOM = 100_000
"""What a form needs beside its file."""
CLIPS, MOST_CLIP_BYTES = ("/clips/send", "/api/clips"), 2_000_000_000
"""Where a clip is sent to, which is written to the disk as it comes."""
SHELF, MOST_SHELF_BYTES = "/saves/files/look", 20_000_000_000
"""Where a shelf of saved games is sent to."""
SHOW, MOST_SHOW_BYTES = "/show/look", 2_000_000_000
"""Where a show is sent to."""
FROM_HERE = (SHELF, SHOW)
"""Where only the owner on this machine may send files."""
_KINDS = {
    "/media/picture": "picture",
    "/media/scenery": "scenery",
    "/media/video": "video",
    "/typefaces/": "typeface",
    "/overlays/import": "overlay",
    "/media/sound": "sound",
}


def kind_sent(path: str) -> str | None:
    """What kind of file is sent to an address; None for one to which none is."""
    return _KINDS.get(path.partition("/in-place-of/")[0])


def most_bytes(path: str) -> int:
    """How many bytes may be sent to an address."""
    if path in CLIPS:
        return MOST_CLIP_BYTES + FORM_ROOM
    if path == SHELF:
        return MOST_SHELF_BYTES + FORM_ROOM
    if path == SHOW:
        return MOST_SHOW_BYTES + FORM_ROOM
    kind = kind_sent(path)
    return MAX_BYTES[kind] + FORM_ROOM if kind else MAX_FORM_BYTES


class SizedRequest(Request):
    """A request that may be as large as its address takes."""

    @property
    def max_content_length(self) -> int | None:
        """The most bytes that are read of it."""
        return most_bytes(self.path)

    @max_content_length.setter
    def max_content_length(self, value: int | None) -> None:
        raise AttributeError("The address sets the maximum size.")
