"""State that the log does not hold is saved as soon as it changes."""

from __future__ import annotations

import pytest

from tesoura.core.instruments.registry import KINDS
from tesoura.store import computed
from tests.conftest import Running, until
from tests.runtime.test_clips import act


def crashed(running: Running) -> Running:
    """Tesoura again, after a crash before anything was saved by the turn of time."""
    running.kill()
    return Running(running.folder)


@pytest.fixture
def slow(running: Running) -> Running:
    """A Tesoura that saves by itself only once an hour."""
    running.stop()
    return Running(running.folder, save_every_s=3_600.0)


def test_a_change_since_the_session_began_stands_over_a_crash(slow: Running) -> None:
    act(slow, "session.start")
    slow.client.put("/api/signals/lamps", json={"value": 10}, headers=slow.auth)
    act(slow, "computed.new", kind="change", name="grown", choices={"signal": "script.lamps", "over": "session"})
    slow.client.put("/api/signals/lamps", json={"value": 50}, headers=slow.auth)
    until(lambda: slow.signal("grown.change")["value"] == 40)
    slow.runtime.call(lambda self: self.persistence.soon())
    again = crashed(slow)
    try:
        assert again.signal("grown.change")["value"] == 40
    finally:
        again.stop()


def test_an_instrument_is_saved_when_it_is_made_and_when_it_is_given_a_command(slow: Running) -> None:
    usual = {name: field.default for name, field in KINDS["wheel"].fields.items()}
    act(slow, "instrument.new", kind="wheel", choices={**usual, "title": "Wheel"})

    def stored() -> int:
        return slow.store.read(lambda session: computed.standings(session)["wheel"].seq)

    made = stored()
    act(slow, "instrument.command", instrument="wheel", command="owe", who="teacup_ana", spins="2")
    until(lambda: stored() > made)
    slow.stop()
