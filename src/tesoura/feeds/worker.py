"""Taking large answers apart in a process of its own: the loop goes on meanwhile, and what takes too long is ended."""

from __future__ import annotations

import asyncio
import contextlib
import pickle
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, TypeVar

from tesoura.errors import ResponseNotUnderstood, TesouraError, TooMuch

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

T = TypeVar("T")
LARGE = 50_000
"""From so many bytes on an answer is large; taking a smaller one apart costs less than handing it over."""
LIMIT_S = 5.0
MEMORY_BYTES = 1_500_000_000
"""What the process may hold at all, where the system can be told; it begins at a fraction of that."""
START_S, READY = 30.0, b"ready"
ANSWER_BYTES = 30_000_000
"""What a job may give back."""


class Worker:
    """One process that runs one job at a time. It is started for the first, and ended when a job takes too long."""

    def __init__(self, limit_s: float = LIMIT_S) -> None:
        self._limit_s = limit_s
        self._lock = threading.Lock()
        self._process: BaseProcess | None = None
        self._connection: Connection | None = None

    async def run(self, job: Callable[..., T], *given: Any, what: str) -> T:
        """What the job gives; it and what it is given go over as pickles. Raises what it raised of Tesoura's errors.

        Raises TooMuch, whose message names `what` was taken apart, when that takes too long or too much memory, and
        ResponseNotUnderstood when it fails.
        """
        return await asyncio.to_thread(self._run, job, given, what)

    def _run(self, job: Callable[..., T], given: tuple[Any, ...], what: str) -> T:
        with self._lock:
            try:
                connection = self._started()
                connection.send((job, given))
                if not connection.poll(self._limit_s):
                    raise TooMuch(
                        f"Taking apart what {what} sent took longer than {self._limit_s:g} s, so it was paused. "
                        "Ask it for less, or choose a simpler path; then let it go on."
                    )
                good, result = pickle.loads(connection.recv_bytes(ANSWER_BYTES))  # noqa: S301 - from our own process
            except TooMuch:
                self._end()
                raise
            except (EOFError, OSError, ValueError) as error:
                self._end()
                raise TooMuch(
                    f"Taking apart what {what} sent used up too much memory, so it was paused. Ask it for less, or "
                    "choose a simpler path; then let it go on."
                ) from error
        if not good:
            raise result
        answer: T = result
        return answer

    def _started(self) -> Connection:
        if self._process is None or not self._process.is_alive() or self._connection is None:
            # Loaded when the first large answer comes, not at every start.
            import multiprocessing

            context = multiprocessing.get_context("spawn")
            ours, theirs = context.Pipe()
            self._process = context.Process(target=_serve, args=(theirs,), name="tesoura-reader", daemon=True)
            self._process.start()
            theirs.close()
            # Its start takes its own time, which is no job's.
            if not ours.poll(START_S) or ours.recv_bytes() != READY:
                self._connection = ours
                raise OSError("The process did not start")
            self._connection = ours
        return self._connection

    def _end(self) -> None:
        if self._process is not None:
            self._process.kill()
            self._process.join(5)
            self._process.close()
        if self._connection is not None:
            self._connection.close()
        self._process = self._connection = None

    def stop(self) -> None:
        """End the process."""
        with self._lock:
            self._end()


def _serve(connection: Connection) -> None:
    """What the process does: one job after the other, until nobody is there to give one."""
    _bound_memory()
    connection.send_bytes(READY)
    while True:
        try:
            job, given = connection.recv()
        except (EOFError, OSError):
            return
        try:
            answer: tuple[bool, Any] = (True, job(*given))
        except TesouraError as error:
            answer = (False, error)
        except MemoryError:
            # The other side takes the end of this process for what it is.
            return
        except Exception as error:
            answer = (False, ResponseNotUnderstood(f"It could not be taken apart: {error}"[:300], ""))
        try:
            packed = pickle.dumps(answer)
        except (MemoryError, RecursionError):
            return
        connection.send_bytes(packed)


def _bound_memory() -> None:
    """Let the process end rather than take the machine's memory; where no system can be told, time alone bounds it."""
    try:
        import resource
    except ImportError:
        return
    with contextlib.suppress(ValueError, OSError):
        resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
