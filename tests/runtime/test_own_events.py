"""The signals of what an instrument tells by itself: gone with it over a restart, and back with it."""

from __future__ import annotations

from tests.conftest import Running
from tests.runtime.test_clips import act


def names(running: Running) -> set[str]:
    return {one.name for one in running.runtime.call(lambda self: self.signals()) if one.name.startswith("tea_sealed")}


def test_what_a_wheel_told_of_itself_goes_and_comes_back_with_it(running: Running) -> None:
    wheel = act(running, "instrument.new", kind="wheel", choices={"title": "Tea"}).result["instrument"]
    running.runtime.call(lambda self: self.instruments.log_fired())
    before = {name: running.signal(name)["value"] for name in names(running)}
    assert before["tea_sealed.count_this_session"] == 1
    assert set(before) == {f"tea_sealed.{one}" for one in ("count_this_session", "hash", "id", "number")}

    # What comes from outside under such a name is not the wheel's.
    running.event(type="tea.kettle", data={"cups": 3})
    act(running, "instrument.remove", instrument=wheel)
    assert not names(running)
    assert running.signal("tea_kettle.cups")["value"] == 3
    running.kill()
    again = Running(running.folder)
    try:
        assert not names(again)
        assert again.signal("tea_kettle.cups")["value"] == 3
        act(again, "session.start")
        assert not names(again)
        act(again, "instrument.restore", instrument=wheel)
        assert {name: again.signal(name)["value"] for name in names(again)} == {
            **before,
            "tea_sealed.count_this_session": 0,
        }
    finally:
        again.stop()


def test_removed_just_before_a_crash_they_do_not_come_back(running: Running) -> None:
    async def nothing(trails: bool) -> None:
        return None

    # Nothing is saved from here on: the next start takes its own events from the log.
    running.runtime.persistence.save = nothing  # type: ignore[method-assign]
    wheel = act(running, "instrument.new", kind="wheel", choices={"title": "Tea"}).result["instrument"]
    running.runtime.call(lambda self: self.instruments.log_fired())
    running.event(type="tea.kettle", data={"cups": 3})
    assert names(running)
    act(running, "instrument.remove", instrument=wheel)
    running.kill()
    again = Running(running.folder)
    try:
        assert not names(again)
        assert again.signal("tea_kettle.cups")["value"] == 3
    finally:
        again.stop()
