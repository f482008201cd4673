"""When a feed is asked again."""

from __future__ import annotations

MAX_DELAY_S = 60.0
JITTER = 0.1


def next_delay_s(period_s: float, failures: int, chance: float, retry_after_s: float | None = None) -> float:
    """Seconds until the next try.

    Without failures it is the period, give or take a tenth, so that feeds do not march in step. Each failure in a row
    doubles it up to one minute (or the period, when that is longer). A service that said when to come back is
    believed, up to an hour. `chance` is a random number from 0 to 1.
    """
    if retry_after_s is not None:
        return max(min(retry_after_s, 3600.0), 1.0)
    delay = period_s
    if failures:
        delay = min(period_s * 2.0 ** min(failures, 16), max(MAX_DELAY_S, period_s))
    return delay * (1 + JITTER * (2 * chance - 1))
