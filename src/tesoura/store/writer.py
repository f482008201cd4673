"""The one writer: a thread that takes jobs in order and commits whatever has gathered in one transaction."""

from __future__ import annotations

import contextlib
import logging
import queue
import sqlite3
import threading
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass
from itertools import groupby
from typing import Any, TypeVar

from sqlalchemy import Engine, exc
from sqlmodel import Session

from tesoura.errors import DataFolderError
from tesoura.store.database import problem_of

T = TypeVar("T")
MAX_BATCH = 400
_DAMAGED = (exc.DatabaseError, sqlite3.DatabaseError)
"""Raised as these very types, and not one derived from them, when the file is damaged."""
log = logging.getLogger(__name__)


@dataclass(slots=True)
class _Job:
    """A job that waits: `plain` ones are given the driver's connection, and all that lies above it is left out."""

    do: Callable[[Any], Any]
    future: Future[Any]
    plain: bool = False


class Writer:
    """Runs jobs that write, each in a savepoint of its own; a job's future resolves once it is committed."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._plain: Any = None
        self._jobs: queue.SimpleQueue[_Job | None] = queue.SimpleQueue()
        self._thread = threading.Thread(target=self._run, name="tesoura-writer", daemon=True)
        self._thread.start()

    def submit(self, job: Callable[[Session], T]) -> Future[T]:
        """Queue a job; its future gives what the job returned, after the commit."""
        future: Future[T] = Future()
        self._jobs.put(_Job(job, future))
        return future

    def submit_plain(self, job: Callable[[sqlite3.Connection], T]) -> Future[T]:
        """Queue a job that needs nothing but the driver's connection: in a third of the time of one with a session."""
        future: Future[T] = Future()
        self._jobs.put(_Job(job, future, plain=True))
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
                    if waiting.future.set_running_or_notify_cancel():
                        batch.append(waiting)
                    if len(batch) >= MAX_BATCH:
                        break
                    waiting = self._jobs.get_nowait()
            for plain, jobs in groupby(batch, key=lambda job: job.plain):
                (self._commit_plain if plain else self._commit)(list(jobs))
        if self._plain is not None:
            self._plain.close()

    def _commit_plain(self, batch: list[_Job]) -> None:
        try:
            if self._plain is None:
                self._plain = self._engine.raw_connection()
            driver: sqlite3.Connection = self._plain.driver_connection
            driver.execute("BEGIN")
            try:
                results = [(job.future, value) for job in batch for value in _tried(driver, job, len(batch) > 1)]
                driver.execute("COMMIT")
            except BaseException:
                if driver.in_transaction:
                    driver.execute("ROLLBACK")
                raise
        except Exception as error:
            _refuse(batch, error)
            return
        for future, result in results:
            future.set_result(result)

    def _commit(self, batch: list[_Job]) -> None:
        results: list[tuple[Future[Any], Any]] = []
        try:
            with Session(self._engine, expire_on_commit=False) as session:
                for job in batch:
                    try:
                        # A job alone needs no savepoint: when it fails, there is nothing else to keep.
                        with session.begin_nested() if len(batch) > 1 else contextlib.nullcontext():
                            result = job.do(session)
                        results.append((job.future, result))
                    except Exception as error:
                        if len(batch) == 1:
                            session.rollback()
                        job.future.set_exception(_named(error))
                session.commit()
        except Exception as error:
            _refuse(batch, error)
            return
        for future, result in results:
            future.set_result(result)


def _tried(driver: sqlite3.Connection, job: _Job, among_others: bool) -> list[Any]:
    """What a job gives, or nothing when it failed and is told so; among others, only what it wrote itself is lost."""
    if not among_others:
        return [job.do(driver)]
    driver.execute("SAVEPOINT job")
    try:
        value = job.do(driver)
    except Exception as error:
        driver.execute("ROLLBACK TO job")
        job.future.set_exception(_named(error))
        return []
    driver.execute("RELEASE job")
    return [value]


def _refuse(batch: list[_Job], error: Exception) -> None:
    log.error("Writing to the database failed: %s", error)
    for job in batch:
        if not job.future.done():
            job.future.set_exception(_named(error))


def _named(error: Exception) -> Exception:
    if isinstance(error, exc.OperationalError | sqlite3.OperationalError) or type(error) in _DAMAGED:
        named = DataFolderError(f"{problem_of(str(getattr(error, 'orig', error)))} Nothing was saved.")
        named.__cause__ = error
        return named
    return error
