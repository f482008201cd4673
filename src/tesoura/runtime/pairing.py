"""Pairing a phone or a pad: a code that works once, for two minutes, and stands few wrong guesses."""

from __future__ import annotations

import hmac
import secrets
from dataclasses import dataclass

OPEN_S = 120.0
MOST_WRONG = 5


@dataclass(frozen=True, slots=True)
class Pairing:
    """An open pairing: six digits to type, a secret for a link, the leaves that the device gets, and its name if told.

    `until_s` is on a clock that nobody sets.
    """

    digits: str
    secret: str
    leaves: tuple[str, ...]
    name: str
    until_s: float


class Pairings:
    """The one pairing that is open, if any is."""

    def __init__(self) -> None:
        self._open: Pairing | None = None
        self._wrong = 0
        self.why_closed = ""

    def begin(self, leaves: tuple[str, ...], name: str, now_s: float) -> Pairing:
        """Open a pairing; one that was open before is none any more."""
        self._wrong, self.why_closed = 0, ""
        self._open = Pairing(
            f"{secrets.randbelow(1_000_000):06}", secrets.token_urlsafe(24), leaves, name, now_s + OPEN_S
        )
        return self._open

    def open(self, now_s: float) -> Pairing | None:
        """The pairing that is open now."""
        if self._open is not None and now_s >= self._open.until_s:
            self._open, self.why_closed = None, "The two minutes have passed. Show a new code."
        return self._open

    def close(self, why: str = "") -> None:
        """Nobody is paired any more."""
        self._open, self.why_closed = None, why

    def take(self, code: str, now_s: float) -> Pairing | None:
        """The pairing that this code opens, which is then used up; None for a wrong one.

        After a few wrong digits, whoever gave them, the code is withdrawn.
        """
        pairing = self.open(now_s)
        if pairing is None:
            return None
        code = "".join(code.split())
        if hmac.compare_digest(code.encode(), pairing.secret.encode()):
            self.close("This code was already used.")
            return pairing
        if hmac.compare_digest(code.encode(), pairing.digits.encode()):
            self.close("This code was already used.")
            return pairing
        self._wrong += 1
        if self._wrong >= MOST_WRONG:
            self.close(f"Wrong digits were entered {MOST_WRONG} times, so the code expired. Show a new one.")
        return None
