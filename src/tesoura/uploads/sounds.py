"""Sounds that are added: WAV, MP3 or Ogg, told apart by their beginning."""

from __future__ import annotations

import io
import wave

from tesoura.errors import FileRefused
from tesoura.uploads.added import Added

WHAT = "Add a WAV, an MP3 or an Ogg file."
MAX_S = 30.0


def check(data: bytes) -> Added:
    """The sound, checked by its content. Raises FileRefused."""
    if data[:4] == b"RIFF" and data[8:12] == b"WAVE":
        return Added(data, "wav", "audio/wav", facts={"length_s": _length_s(data)})
    if data[:4] == b"OggS":
        return Added(data, "ogg", "audio/ogg")
    if data[:3] == b"ID3" or (data[0] == 0xFF and len(data) > 1 and data[1] & 0xE0 == 0xE0):
        return Added(data, "mp3", "audio/mpeg")
    raise FileRefused(f"Browsers can't play this sound. {WHAT}")


def _length_s(data: bytes) -> float:
    try:
        with wave.open(io.BytesIO(data)) as sound:
            length_s = float(sound.getnframes() / sound.getframerate())
    except (wave.Error, EOFError, ZeroDivisionError):
        raise FileRefused(f"The WAV file is damaged, or browsers can't play it. {WHAT}") from None
    if length_s > MAX_S:
        raise FileRefused(
            f"The sound is {length_s:.0f} s long; at most {MAX_S:.0f} s are allowed. Trim it and add it again."
        )
    return round(length_s, 2)
