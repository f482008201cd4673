"""What a start of Tesoura is told: where its data is, where it listens, what time it is."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from typing import Protocol

import tesoura

DEFAULT_PORT = 8765
LOOPBACK = ("127.0.0.1", "localhost", "::1")
STATIC = Path(__file__).parent / "web" / "static"
PAGE_PARTS = ("css/overlay.css", "js/overlay/page.js", "js/shared/drawing.js", "js/pieces/line.js", "fonts/fonts.css")
"""What an overlay's page fetches beside itself, its typefaces and what its pieces show."""


def wall_clock() -> datetime:
    """The present instant. This is the one place where the wall clock is read."""
    return datetime.now(UTC)


def lasting_s() -> float:
    """Seconds on a clock that nobody sets and that goes on while the machine sleeps, where it has one."""
    return time.clock_gettime(time.CLOCK_BOOTTIME) if hasattr(time, "CLOCK_BOOTTIME") else time.monotonic()


class PracticeServices(Protocol):
    """The small outside services that come with Tesoura, to try a feed with."""

    def start(self, name: str) -> Mapping[str, str]:
        """Start one, unless it runs; what a feed of it is set up with. Raises LookupError, and OSError."""
        ...

    def addresses(self) -> tuple[str, ...]:
        """Where those that run answer."""
        ...


@dataclass(frozen=True, slots=True)
class Settings:
    """One start's settings. `password` must be set to listen anywhere but on this machine, or behind a proxy.

    `proxy_name` is the host name under which a trusted reverse proxy on this machine serves Tesoura.
    """

    data: Path
    host: str = "127.0.0.1"
    port: int = DEFAULT_PORT
    password: str | None = None
    proxy_name: str = ""
    clock: Callable[[], datetime] = field(default=wall_clock)
    save_every_s: float = 2.0
    lasting_s: Callable[[], float] = field(default=lasting_s)
    practice: PracticeServices | None = None

    @property
    def address(self) -> str:
        """Where the pages are, as a person opens it."""
        host = "127.0.0.1" if self.host in ("0.0.0.0", "::") else self.host
        return f"http://{f'[{host}]' if ':' in host else host}:{self.port}"

    @property
    def on_network(self) -> bool:
        """Whether other machines can reach it."""
        return self.host not in LOOPBACK


def device_cookie(settings: Settings) -> str:
    """Under which name a paired phone's browser keeps its token. Cookies know no ports, so the port is in it."""
    return f"tesoura_device_{settings.port}"


@lru_cache(maxsize=1)
def build() -> str:
    """A name for this very version of the pages: it changes with the version and with any script or style."""
    digest = hashlib.sha256(tesoura.__version__.encode())
    for path in sorted(STATIC.rglob("*")):
        if path.suffix in (".js", ".css"):
            digest.update(path.read_bytes())
    for path in sorted((STATIC.parent / "templates").rglob("*.*")):
        digest.update(path.read_bytes())
    return f"{tesoura.__version__}-{digest.hexdigest()[:10]}"
