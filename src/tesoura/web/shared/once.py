"""What is shown once: kept in memory from the request that made it until the page that shows it."""

from __future__ import annotations

import secrets
import threading

MOST = 50


class ShownOnce:
    """Texts under random names, each given out a single time. They are written nowhere."""

    def __init__(self) -> None:
        self._kept: dict[str, str] = {}
        self._lock = threading.Lock()

    def keep(self, text: str) -> str:
        """Keep a text for one page; under which name that page asks for it."""
        name = secrets.token_urlsafe(16)
        with self._lock:
            self._kept[name] = text
            while len(self._kept) > MOST:
                del self._kept[next(iter(self._kept))]
        return name

    def take(self, name: str) -> str | None:
        """The text; None when it was shown already, or Tesoura was started anew since."""
        with self._lock:
            return self._kept.pop(name, None)
