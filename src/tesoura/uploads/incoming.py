"""What is sent in and too large to be held: written to the disk piece by piece as it comes."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from tesoura.errors import FileRefused

PIECE = 1 << 20
PREFIX, ENDING = ".sent-", ".part"


@contextmanager
def written(stream: IO[bytes], folder: Path, most: int) -> Iterator[Path]:
    """A file with what is sent, gone afterwards. Raises FileRefused when there is too much, or no room for it."""
    folder.mkdir(exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, prefix=PREFIX, suffix=ENDING) as part:
        size = 0
        try:
            while data := stream.read(PIECE):
                size += len(data)
                if size > most:
                    raise FileRefused(f"The file has more than {most / 1e9:.0f} GB. Make it smaller first.")
                part.write(data)
            part.flush()
        except OSError as error:
            raise FileRefused(f"The file couldn't be written: {error.strerror or error}. Is the disk full?") from None
        yield Path(part.name)
