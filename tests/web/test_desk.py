"""The desk: it asks the database as much for many overlays as for one."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from sqlalchemy import event

from tests.conftest import Running


@contextmanager
def counted(running: Running) -> Iterator[list[str]]:
    """What is asked of the database meanwhile."""
    asked: list[str] = []

    def note(connection: Any, cursor: Any, statement: str, *more: Any) -> None:
        asked.append(statement)

    engine = running.store._engine
    event.listen(engine, "before_cursor_execute", note)
    try:
        yield asked
    finally:
        event.remove(engine, "before_cursor_execute", note)


def test_one_overlays_state_costs_the_same_however_many_there_are(running: Running) -> None:
    running.add_overlay("hello")
    with counted(running) as alone:
        assert running.client.get("/desk/overlays/1").status_code == 200
    for number in range(6):
        running.add_overlay(f"hello {number}")
    with counted(running) as among_others:
        assert running.client.get("/desk/overlays/1").status_code == 200
    assert len(among_others) == len(alone) <= 8
    with counted(running) as whole:
        assert running.client.get("/").status_code == 200
    assert len(whole) <= 25
