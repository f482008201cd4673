"""The desk: what it asks of the database, and what needs attention."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from sqlalchemy import event

from tests.conftest import Running, flat, until


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


def test_a_script_that_works_and_fails_in_turn_needs_attention(running: Running) -> None:
    program = running.folder / "scripts" / "turns.sh"
    program.parent.mkdir(exist_ok=True)
    program.write_text("#!/bin/sh\necho 5\nexit 3\n")
    program.chmod(0o755)
    typed = {"title": "Turns", "program": "turns.sh", "mode": "kept"}
    assert running.press("/", "/feeds/new/script", {**typed, "keep_anyway": "yes"}).status_code == 302
    until(lambda: "Turns keeps failing: 3 times in the last ten minutes" in running.client.get("/desk/needs").text)
    assert "turns.sh ended" in running.client.get("/desk/needs").text


def test_a_draft_that_differs_from_what_is_on_air_needs_attention(running: Running) -> None:
    differs = "Overlay: the draft differs from what is on air."
    running.add_overlay("hello")
    assert differs not in running.client.get("/desk/needs").text
    move = {"do": "change", "pieces": ["text"], "set": {"x": 41}}
    assert running.edit(1, move).status_code == 200
    assert differs in flat(running.client.get("/desk/needs").text)
