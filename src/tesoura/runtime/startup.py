"""How far a start has come: what of the log must be counted again before anything is shown."""

from __future__ import annotations

import threading
from collections.abc import Callable
from dataclasses import dataclass

from tesoura.errors import TesouraError


class StartStopped(TesouraError):
    """Tesoura was told to stop while it was still starting."""


@dataclass(frozen=True, slots=True)
class StartProgress:
    """A start under way: the share of the log that was counted (0 to 1), and about how many seconds are left."""

    share: float = 0.0
    left_s: float | None = None

    @property
    def text(self) -> str:
        """The progress in words."""
        if self.left_s is None:
            return "Starting"
        return f"Recounting the log, {self.share:.0%}, about {max(round(self.left_s), 1):,} s left"


class Startup:
    """Counts what a start has read of the log. Written by one thread, read by others."""

    def __init__(self, lasting_s: Callable[[], float]) -> None:
        self._lasting_s = lasting_s
        self._stopping = threading.Event()
        self._began_s: float | None = None
        self._done = self._total = 0

    def phase(self, until_seq: int) -> Callable[[int], None]:
        """Begin to read the log up to a place. Returns what is told each place reached; it raises StartStopped."""
        before, first = self._done, None

        def reached(seq: int) -> None:
            nonlocal first
            if self._stopping.is_set():
                raise StartStopped("Tesoura was stopped while starting. Nothing was changed.")
            if first is None:
                first = seq
                self._began_s = self._lasting_s() if self._began_s is None else self._began_s
                self._total = before + max(until_seq - first, 1)
            self._done = before + seq - first

        return reached

    def stop(self) -> None:
        """Let the reading end at the next place."""
        self._stopping.set()

    @property
    def progress(self) -> StartProgress:
        """How far it has come by now."""
        if self._began_s is None or not self._done:
            return StartProgress()
        share = min(self._done / self._total, 1.0)
        return StartProgress(share, (self._lasting_s() - self._began_s) * (1 - share) / share)
