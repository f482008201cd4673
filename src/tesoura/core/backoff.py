"""When a feed is asked again."""

from __future__ import annotations

MAX_DELAY_S = 60.0
JITTER = 0.1


def next_delay_s(period_s: float, failures: int, chance: float, retry_after_s: float | None = None) -> float:
    """Seconds until the next try.

    Without failures it is the period, give or take a tenth, so that feeds do not march in step. Each failure in a row
    doubles it up to one minute (or the period, when that is longer). A service that said when to come back is not
    asked before that, up to an hour; nor sooner than it would be otherwise. `chance` is a random number from 0 to 1.
    """
    delay = period_s
    if failures:
        delay = min(period_s * 2.0 ** min(failures, 16), max(MAX_DELAY_S, period_s))
    return max(delay * (1 + JITTER * (2 * chance - 1)), min(retry_after_s or 0.0, 3600.0))
