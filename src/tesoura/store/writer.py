"""The one writer: a thread that takes jobs in order and commits whatever has gathered in one transaction."""

from __future__ import annotations

import contextlib
import logging
import queue
import sqlite3
import threading
from collections.abc import Callable
from concurrent.futures import Future
from typing import Any, TypeVar

from sqlalchemy import Engine, exc
from sqlmodel import Session

from tesoura.errors import DataFolderError

T = TypeVar("T")
MAX_BATCH = 400
log = logging.getLogger(__name__)

_Job = tuple[Callable[[Session], Any], "Future[Any]"]


class Writer:
    """Runs jobs that write, each in a savepoint of its own; a job's future resolves once it is committed."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._jobs: queue.SimpleQueue[_Job | None] = queue.SimpleQueue()
        self._thread = threading.Thread(target=self._run, name="tesoura-writer", daemon=True)
        self._thread.start()

    def submit(self, job: Callable[[Session], T]) -> Future[T]:
        """Queue a job; its future gives what the job returned, after the commit."""
        future: Future[T] = Future()
        self._jobs.put((job, future))
        return future

    def write(self, job: Callable[[Session], T]) -> T:
        """Run a job and wait until it is committed. Not for the event loop."""
        return self.submit(job).result(timeout=30)

    def close(self) -> None:
        """Finish what is queued and stop."""
        self._jobs.put(None)
        self._thread.join(timeout=30)

    def _run(self) -> None:
        stop = False
        while not stop:
            batch: list[_Job] = []
            waiting = self._jobs.get()
            with contextlib.suppress(queue.Empty):
                while True:
                    if waiting is None:
                        stop = True
                        break
                    # A job whose waiter has gone is not begun; one that is begun cannot be called off.
                    if waiting[1].set_running_or_notify_cancel():
                        batch.append(waiting)
                    if len(batch) >= MAX_BATCH:
                        break
                    waiting = self._jobs.get_nowait()
            if batch:
                self._commit(batch)

    def _commit(self, batch: list[_Job]) -> None:
        results: list[tuple[Future[Any], Any]] = []
        try:
            with Session(self._engine, expire_on_commit=False) as session:
                for job, future in batch:
                    try:
                        # A job alone needs no savepoint: when it fails, there is nothing else to keep.
                        with session.begin_nested() if len(batch) > 1 else contextlib.nullcontext():
                            result = job(session)
                        results.append((future, result))
                    except Exception as error:
                        if len(batch) == 1:
                            session.rollback()
                        future.set_exception(_named(error))
                session.commit()
        except Exception as error:
            log.error("Writing to the database failed: %s", error)
            for _, future in batch:
                if not future.done():
                    future.set_exception(_named(error))
            return
        for future, result in results:
            future.set_result(result)


def _named(error: Exception) -> Exception:
    if isinstance(error, exc.OperationalError | sqlite3.OperationalError):
        said = getattr(error, "orig", error)
        named = DataFolderError(f"The database could not be written ({said}). Is the disk full? Nothing was kept.")
        named.__cause__ = error
        return named
    return error
