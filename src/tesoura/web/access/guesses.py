"""Wrong passwords, counted by who gave them: after five, one a minute."""

from __future__ import annotations

import threading
from collections import OrderedDict

FREE, WAIT_S, MOST_KNOWN = 5, 60.0, 2_000
FORGET_S = 3_600.0


class Guesses:
    """How many wrong passwords each address has given, and from when on it may try again. Times are monotonic seconds.

    An address that gave none is never kept waiting, whatever others do.
    """

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._known: OrderedDict[str, tuple[int, float]] = OrderedDict()

    def wait_s(self, who: str, now_s: float) -> float:
        """How long this address has to wait before it may try; 0 when it may."""
        with self._lock:
            return max(self._known.get(who, (0, 0.0))[1] - now_s, 0.0)

    def wrong(self, who: str, now_s: float) -> None:
        """This address gave a wrong password."""
        with self._lock:
            count, until = self._known.pop(who, (0, 0.0))
            if now_s - until > FORGET_S:
                count = 0
            count += 1
            wait_s = WAIT_S if count >= FREE else 0.0
            self._known[who] = (count, now_s + wait_s)
            while len(self._known) > MOST_KNOWN:
                self._known.popitem(last=False)

    def right(self, who: str) -> None:
        """This address knows the password."""
        with self._lock:
            self._known.pop(who, None)
