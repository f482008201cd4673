"""Taking large answers apart beside the loop; what takes too long or too much memory pauses the feed."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from tesoura.errors import ResponseNotUnderstood, TooMuch
from tesoura.workers import JobFailed, Overrun, Worker

T = TypeVar("T")
LARGE = 50_000
"""From so many bytes on an answer is large; taking a smaller one apart costs less than handing it over."""


async def take_apart(worker: Worker, job: Callable[..., T], *given: Any, what: str) -> T:
    """Return what the job makes of an answer. `what` names whose answer it is.

    Raises the job's own errors, TooMuch when it takes too long or too much memory, and ResponseNotUnderstood when it
    fails.
    """
    try:
        return await worker.run(job, *given)
    except Overrun as error:
        how = f"took longer than {worker.limit_s:g} s" if error.slow else "used too much memory"
        raise TooMuch(
            f"Reading the response of {what} {how}, so it was paused. Request less or choose a simpler path, then "
            "resume it."
        ) from error
    except JobFailed as error:
        raise ResponseNotUnderstood(f"It couldn't be read: {error}", "") from error
