"""Pictures of buttons for keys that are small screens: their size, what they tell by colour, words that have room."""

from __future__ import annotations

import io

import pytest
from PIL import Image

from tesoura.core.desk.faces import ButtonFace
from tesoura.studio.button_pictures import picture

THREAD, AMBER, SHEET, PAPER, MAT = (194, 58, 34), (138, 90, 0), (255, 253, 248), (246, 241, 231), (47, 107, 94)


def drawn(face: ButtonFace, width_px: int = 96, height_px: int = 96) -> Image.Image:
    return Image.open(io.BytesIO(picture(face, width_px, height_px, 100.0))).convert("RGB")


def test_colour_state_and_rest_are_seen() -> None:
    plain = drawn(ButtonFace("b", "Talk", "Play → Talk", "mat"))
    assert plain.size == (96, 96)
    assert (plain.getpixel((1, 50)), plain.getpixel((90, 94))) == (MAT, SHEET)
    assert drawn(ButtonFace("b", "Song", "on screen · Hide", on=True)).getpixel((90, 94)) == THREAD
    rests = drawn(ButtonFace("b", "Bell", "not now", blocked=True, free_at=105.0, of_s=10.0))
    assert (rests.getpixel((40, 94)), rests.getpixel((60, 94))) == (AMBER, PAPER)


@pytest.mark.parametrize(("width_px", "height_px"), [(16, 16), (72, 72), (256, 40), (40, 256)])
def test_no_words_leave_the_picture_however_long_or_small(width_px: int, height_px: int) -> None:
    face = ButtonFace("b", "Bartholomew von Quillfeather the Third " * 2, "a state of many words " * 9)
    made = drawn(face, width_px, height_px)
    assert made.size == (width_px, height_px)
    # The last column stays free: what has no room ends in an ellipsis before it.
    assert {made.getpixel((width_px - 1, y)) for y in range(height_px)} == {SHEET}
