"""What is being made of clips, and takes long: how much of it is done, and stopping it."""

from __future__ import annotations

import asyncio
import uuid
from collections.abc import Callable, Coroutine
from dataclasses import dataclass
from typing import Any

from tesoura.errors import FileRefused, Gone, TesouraError


@dataclass(slots=True)
class ClipJob:
    """Something that takes long: what it is, how much of it is done, and why it failed, if it did."""

    id: str
    words: str
    share: float = 0.0
    failed: str = ""
    task: asyncio.Task[Any] | None = None


@dataclass(frozen=True, slots=True)
class JobState:
    """A job, as its page shows it."""

    id: str
    words: str
    share: float
    failed: str


class ClipJobs:
    """What is being made, and what failed."""

    def __init__(self, touched: Callable[[str], None]) -> None:
        self._touched = touched
        self._jobs: dict[str, ClipJob] = {}

    def all(self) -> list[JobState]:
        """What is being made, and what failed."""
        return [JobState(one.id, one.words, one.share, one.failed) for one in self._jobs.values()]

    async def run(self, words: str, run: Callable[[Callable[[float], None]], Coroutine[Any, Any, Any]]) -> Any:
        """Run it, and keep how far it is; what it gives. Raises what it raises, and FileRefused when it is stopped."""
        job = ClipJob(uuid.uuid4().hex[:8], words)
        self._jobs[job.id] = job
        self._touched("clip-jobs")

        def tell(share: float) -> None:
            job.share = share
            self._touched("clip-jobs")

        job.task = asyncio.ensure_future(run(tell))
        try:
            done = await job.task
        except asyncio.CancelledError:
            self._jobs.pop(job.id, None)
            own = asyncio.current_task()
            if own is not None and own.cancelling():
                raise
            raise FileRefused("Stopped.") from None
        except TesouraError as error:
            job.failed = str(error)
            raise
        else:
            self._jobs.pop(job.id, None)
            return done
        finally:
            self._touched("clip-jobs")

    def stop(self, job_id: str) -> str:
        """Stop something that takes long, or forget that it failed; what it was. Raises Gone."""
        job = self._jobs.get(job_id)
        if job is None:
            raise Gone("Already done.")
        if job.failed or job.task is None:
            del self._jobs[job_id]
        else:
            job.task.cancel()
        self._touched("clip-jobs")
        return job.words

    def stop_all(self) -> None:
        """Stop all that runs."""
        for job in self._jobs.values():
            if job.task is not None:
                job.task.cancel()
