"""What is sent, while it comes: a little in memory, more on the disk."""

from __future__ import annotations

import tempfile
from types import TracebackType

BLOCK = 1 << 20


class Spooled:
    """Bytes that came. Beyond so many in memory they lie in a file that nobody else can open, gone with this."""

    def __init__(self, in_memory: int) -> None:
        self._file = tempfile.SpooledTemporaryFile(in_memory)  # noqa: SIM115 - closed at its own end
        self.size = 0

    def add(self, part: bytes) -> None:
        """Keep some more."""
        self._file.write(part)
        self.size += len(part)

    def begin(self) -> None:
        """Give all of it again from here on."""
        self._file.seek(0)

    def next_block(self) -> bytes:
        """The next part; shorter than a block at its end."""
        return self._file.read(BLOCK)

    def __enter__(self) -> Spooled:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, at: TracebackType | None) -> None:
        self._file.close()
