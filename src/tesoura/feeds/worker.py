"""Taking large answers apart in a process of its own: the loop goes on meanwhile, and what takes too long is ended."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, TypeVar

from tesoura.errors import ResponseNotUnderstood, TesouraError

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

T = TypeVar("T")
LARGE = 50_000
"""From so many bytes on an answer is large; taking a smaller one apart costs less than handing it over."""
LIMIT_S = 8.0


class Worker:
    """One process that runs one job at a time. It is started for the first, and ended when a job takes too long."""

    def __init__(self, limit_s: float = LIMIT_S) -> None:
        self._limit_s = limit_s
        self._lock = threading.Lock()
        self._process: BaseProcess | None = None
        self._connection: Connection | None = None

    async def run(self, job: Callable[..., T], *given: Any, what: str) -> T:
        """What the job gives; it and what it is given go over as pickles. Raises what it raised of Tesoura's errors.

        Raises ResponseNotUnderstood, whose message names `what` was taken apart, when that takes too long or fails.
        """
        return await asyncio.to_thread(self._run, job, given, what)

    def _run(self, job: Callable[..., T], given: tuple[Any, ...], what: str) -> T:
        with self._lock:
            connection = self._started()
            try:
                connection.send((job, given))
                if not connection.poll(self._limit_s):
                    raise ResponseNotUnderstood(
                        f"Taking apart what {what} sent took longer than {self._limit_s:g} s. Ask it for less, "
                        "or for a smaller part.", "",
                    )  # fmt: skip
                good, result = connection.recv()
            except ResponseNotUnderstood:
                self._end()
                raise
            except (EOFError, OSError, ValueError) as error:
                self._end()
                raise ResponseNotUnderstood(
                    f"What {what} sent could not be taken apart: that used up too much. Ask it for less.", ""
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
    while True:
        try:
            job, given = connection.recv()
        except (EOFError, OSError):
            return
        try:
            answer: tuple[bool, Any] = (True, job(*given))
        except TesouraError as error:
            answer = (False, error)
        except Exception as error:
            answer = (False, ResponseNotUnderstood(f"It could not be taken apart: {error}"[:300], ""))
        connection.send(answer)
