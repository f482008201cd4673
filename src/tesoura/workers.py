"""Work that could take too long or too much memory, done in a process of its own that can be ended."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import math
import pickle
import signal
import sys
import threading
import time
from collections.abc import AsyncIterator, Callable
from typing import TYPE_CHECKING, Any, TypeVar

from tesoura.errors import TesouraError

try:
    import resource
except ImportError:  # Windows, where how long a job lasts is all that can be told.
    resource = None  # type: ignore[assignment]

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

T = TypeVar("T")
log = logging.getLogger(__name__)
LIMIT_S = 5.0
"""How much of the processor a job may take, in seconds."""
WAITED = 20
"""How many times as long it may last while others keep the processor busy."""
MEMORY_BYTES = 1_500_000_000
"""What the process may hold, where the system can be told; it begins at a fraction of that."""
START_S, READY = 30.0, b"ready"
ANSWER_BYTES = 200_000_000
"""What a job may give back."""
DONE, REFUSED, FAILED = "done", "refused", "failed"


class Overrun(Exception):
    """A job took too long (`slow`), or too much memory."""

    def __init__(self, slow: bool) -> None:
        super().__init__("too slow" if slow else "too much memory")
        self.slow = slow


class JobFailed(Exception):
    """A job raised something that is none of Tesoura's errors."""


class Worker:
    """One process that runs one job at a time. It is started for the first, and ended when a job takes too long."""

    def __init__(self, limit_s: float = LIMIT_S) -> None:
        self.limit_s = limit_s
        self._lock = threading.Lock()
        self._process: BaseProcess | None = None
        self._connection: Connection | None = None

    async def run(self, job: Callable[..., T], *given: Any) -> T:
        """Return what the job gives, without blocking the loop. Raises as `run_now` does."""
        return await asyncio.to_thread(self.run_now, job, *given)

    def run_now(self, job: Callable[..., T], *given: Any) -> T:
        """Return what the job gives; it and what it is given go over as pickles.

        Raises what it raised of Tesoura's errors, Overrun when it took too long or too much memory, and JobFailed for
        anything else that it raised.
        """
        with self._lock:
            try:
                connection = self._started()
                connection.send((job, given, self.limit_s))
                if not connection.poll(self.limit_s * (WAITED if resource else 1)):
                    raise Overrun(slow=True)
                how, result = pickle.loads(connection.recv_bytes(ANSWER_BYTES))  # noqa: S301 - from our own process
            except Overrun:
                self._end()
                raise
            except (EOFError, OSError, ValueError) as error:
                code = self._end()
                raise Overrun(slow=resource is not None and code == -signal.SIGXCPU) from error
        if how == REFUSED:
            raise result
        if how == FAILED:
            raise JobFailed(result)
        answer: T = result
        return answer

    def _started(self) -> Connection:
        if self._process is None or not self._process.is_alive() or self._connection is None:
            # Loaded for the first job, not at every start.
            import multiprocessing

            context = multiprocessing.get_context("spawn")
            ours, theirs = context.Pipe()
            process = context.Process(target=_serve, args=(theirs,), name="tesoura-worker", daemon=True)
            try:
                process.start()
            except Exception as error:
                raise OSError(f"No process could be started: {error}") from error
            self._process = process
            theirs.close()
            # Its start takes its own time, which is no job's.
            if not ours.poll(START_S) or ours.recv_bytes() != READY:
                self._connection = ours
                raise OSError("The process didn't start")
            self._connection = ours
        return self._connection

    def _end(self) -> int | None:
        """End the process; how it ended, if it did by itself."""
        code = None
        if self._process is not None:
            self._process.join(0.2)
            code = self._process.exitcode
            self._process.kill()
            self._process.join(5)
            self._process.close()
        if self._connection is not None:
            self._connection.close()
        self._process = self._connection = None
        return code

    def stop(self) -> None:
        """End the process."""
        with self._lock:
            self._end()


@contextlib.asynccontextmanager
async def entered(manager: contextlib.AbstractContextManager[T]) -> AsyncIterator[T]:
    """Enter and leave a context manager in a thread, as its work would block the loop."""
    value = await asyncio.to_thread(manager.__enter__)
    try:
        yield value
    except BaseException:
        if not await asyncio.to_thread(manager.__exit__, *sys.exc_info()):
            raise
    else:
        await asyncio.to_thread(manager.__exit__, None, None, None)


def _serve(connection: Connection) -> None:
    """What the process does: one job after the other, until nobody is there to give one."""
    _bound_memory()
    connection.send_bytes(READY)
    while True:
        try:
            job, given, limit_s = connection.recv()
        except (EOFError, OSError):
            return
        _bound_time(limit_s)
        try:
            answer: tuple[str, Any] = (DONE, job(*given))
        except TesouraError as error:
            answer = (REFUSED, error)
        except MemoryError:
            # The other side takes the end of this process for what it is.
            return
        except Exception as error:
            log.warning("A job failed in its process", exc_info=True)
            answer = (FAILED, f"{type(error).__name__}: {error}"[:300])
        try:
            packed = pickle.dumps(answer)
        except (MemoryError, RecursionError):
            return
        connection.send_bytes(packed)


def _bound_memory() -> None:
    """Let the process end rather than take the machine's memory; where no system can be told, time alone bounds it."""
    if resource:
        with contextlib.suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))


def _bound_time(limit_s: float) -> None:
    """Let the system end the process when the next job has taken so much of the processor, in whole seconds."""
    if resource:
        _, most = resource.getrlimit(resource.RLIMIT_CPU)
        resource.setrlimit(resource.RLIMIT_CPU, (math.ceil(time.process_time() + limit_s), most))
