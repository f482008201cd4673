"""Clips of a running Tesoura: had of their sources, cut to the right seconds, kept; and told when there are none."""

from __future__ import annotations

import os
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest

from tesoura.actions.action import Call, Doing
from tesoura.actions.registry import do
from tesoura.clips.stills import stills
from tesoura.standins import compositor
from tesoura.standins.compositor import Compositor
from tesoura.standins.picture import BLOCKS, RollingPicture, read_blocks
from tesoura.store import clips as stored
from tesoura.store import log as event_log
from tesoura.store.clips import ClipQuery
from tesoura.store.tables import ClipRow
from tests.conftest import Running, until

MASK = (1 << BLOCKS) - 1
MINE = {"actor": "mara_vane", "target": "otto_knot", "means": "glass line"}


@pytest.fixture
def program(tmp_path: Path) -> Iterator[Compositor]:
    """A program that composes the picture, and has kept the last twenty seconds of it."""
    folder = tmp_path / "clips of the program"
    folder.mkdir()
    made = Compositor(picture=RollingPicture(fps=15), folder=folder)
    made.start()
    yield made
    made.stop()


def act(running: Running, action: str, **given: Any) -> Any:
    return running.runtime.call(lambda self: do(Doing(self, "desk"), Call(action, given)))


def linked(running: Running, program: Compositor, **more: Any) -> None:
    """Name the program's folder, connect the scene link, and wait until it is open."""
    assert program.folder is not None
    act(running, "folder.read", folder=str(program.folder))
    choices = {"way": "connect", "address": program.link_address, **more}
    act(running, "feed.new", kind="scene", title="Picture", choices=choices, secrets={})
    until(lambda: running.runtime.call(lambda self: self.links.link("picture")))


def replays(running: Running, **more: Any) -> None:
    choices = {
        "title": "Again",
        "source": "picture",
        "kills": "3",
        "within_s": "2",
        "before_s": "3",
        "after_s": "1",
        "shown": "at once",
        "gap_s": "0",
        "slow_pct": "100",
        **more,
    }
    act(running, "instrument.new", kind="replay", choices=choices)


def streak(running: Running, program: Compositor, *ago_s: float, behind_s: float = 0) -> list[int]:
    """Kills so long ago, each seen in the picture; when they were, ms since 1970."""
    assert program.picture is not None
    now_ms = int(time.time() * 1000)
    times = [now_ms - int(one * 1000) for one in ago_s]
    for one in times:
        program.picture.cut(one)
    program.picture.late_s = behind_s
    program.picture.fill(now_ms + 600, now_ms - 20_000)
    for one in times:
        at = datetime.fromtimestamp(one / 1000, UTC)
        running.event(type="kill", source="tests", id=f"kill-{one}", time=at.isoformat(), data=MINE)
    return times


def shelf(running: Running) -> list[ClipRow]:
    return list(running.store.read(lambda session: stored.listed(session, ClipQuery())))


def told(running: Running, kind: str) -> list[dict[str, Any]]:
    newest = running.store.read(lambda session: event_log.latest(session, 100))
    return [dict(one.event.data) for one in reversed(newest) if one.event.type == kind]


def seen_at(running: Running, row: ClipRow, us: int) -> int:
    """The instant that a clip shows so far into it, ms since 1970, read from its picture."""
    return read_blocks(stills(running.folder / "clips" / row.file, [us], 640)[0])


def test_a_streak_brings_the_right_seconds_to_the_shelf_and_is_shown(running: Running, program: Compositor) -> None:
    linked(running, program)
    replays(running)
    times = streak(running, program, 9, 8.5, 8)
    (row,) = until(lambda: shelf(running))
    assert (row.title, row.instrument, row.source, len(row.kills)) == ("3 cuts in 1 s", "again", "picture", 3)
    # What the clip shows is what the log says it shows, to the picture: 67 ms.
    for us in (0, 1_000_000, row.kills[1]):
        assert abs(seen_at(running, row, us) - ((row.shows_from + us) // 1000 & MASK)) <= 68
    ((begin, end),) = row.parts
    assert abs(row.shows_from + begin - (times[0] - 3000) * 1000) < 2_000
    assert abs(row.shows_from + end - (times[2] + 1000) * 1000) < 2_000
    (begun,) = until(lambda: told(running, "again.begun"))
    assert (begun["clip"], begun["kills"]) == (row.id, 3)
    proof = running.runtime.call(lambda self: self.clips.proofs["picture"]).sentence()
    assert proof.startswith("A clip of 5 s arrived ")
    until(lambda: shelf(running)[0].strip)


def test_a_picture_that_is_late_is_put_right_by_its_source(running: Running, program: Compositor) -> None:
    linked(running, program, late_ms="1400")
    replays(running)
    streak(running, program, 9, 8.5, 8, behind_s=1.4)
    (row,) = until(lambda: shelf(running))
    assert abs(seen_at(running, row, row.kills[0]) - ((row.shows_from + row.kills[0]) // 1000 & MASK)) <= 68


@pytest.mark.parametrize(
    ("wrong", "words"),
    [
        (compositor.BROKEN, "The MP4 is incomplete:"),
        ("away", "The video source is disconnected, so there is no clip"),
        ("outside", "This file is outside the folders Tesoura may read"),
    ],
)
def test_a_clip_that_cannot_be_had_is_told_and_nothing_waits(
    running: Running, program: Compositor, wrong: str, words: str, tmp_path: Path
) -> None:
    linked(running, program)
    replays(running)
    if wrong == "away":
        program.stop()
        until(lambda: running.runtime.call(lambda self: self.links.link("picture")) is None)
    elif wrong == "outside":
        program.folder = tmp_path / "elsewhere"
        program.folder.mkdir()
    else:
        program.clips = wrong
    streak(running, program, 9, 8.5, 8)
    (passed,) = until(lambda: told(running, "again.passed"))
    assert words in str(passed["why"])
    assert (shelf(running), list((running.folder / "clips").glob(".*"))) == ([], [])


def test_a_clip_answered_twice_comes_once(running: Running, program: Compositor) -> None:
    linked(running, program)
    replays(running)
    program.clips = compositor.TWICE
    streak(running, program, 9, 8.5, 8)
    until(lambda: told(running, "again.begun"))
    assert len(shelf(running)) == len(told(running, "again.begun")) == 1


def test_a_clip_that_never_comes_keeps_none_after_it_and_is_told(
    running: Running, program: Compositor, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tesoura.links.scene.talk.CLIP_S", 2.0)
    linked(running, program)
    replays(running)
    program.clips = compositor.NOTHING
    streak(running, program, 14, 13.5, 13)
    until(lambda: "clip.save" in [method for method, _ in program.asked])
    # Only the first is given so little time.
    monkeypatch.setattr("tesoura.links.scene.talk.CLIP_S", 60.0)
    program.clips = compositor.GOOD
    streak(running, program, 5, 4.5, 4)
    (row,) = until(lambda: shelf(running))
    (passed,) = until(lambda: told(running, "again.passed"))
    assert passed["why"] == "The program didn't answer clip.save within 2 s."
    assert [one["clip"] for one in until(lambda: told(running, "again.begun"))] == [row.id]


def test_the_clip_before_given_once_more_is_not_taken_for_a_new_one(running: Running, program: Compositor) -> None:
    linked(running, program)
    replays(running)
    program.clips = compositor.SAME
    assert program.picture is not None
    now_ms = int(time.time() * 1000)
    program.picture.fill(now_ms - 2_000, now_ms - 15_000)
    act(running, "clip.take", source="picture", seconds="60")
    streak(running, program, 0.4, 0.2, 0)
    (passed,) = until(lambda: told(running, "again.passed"))
    assert "The clip contains none of the requested seconds: it ends" in passed["why"]


def test_a_folder_gives_the_first_whole_clip_that_ends_late_enough(
    running: Running, program: Compositor, tmp_path: Path
) -> None:
    assert program.folder is not None
    assert program.picture is not None
    act(running, "folder.read", folder=str(program.folder))
    act(running, "feed.new", kind="clips", title="Picture", choices={"path": str(program.folder)}, secrets={})
    until(lambda: running.runtime.call(lambda self: self.links.link("picture")))
    replays(running)
    times = streak(running, program, 9, 8.5, 8)
    until(lambda: told(running, "again.wanted"))
    # What is no clip is passed over.
    (program.folder / "strange.mp4").write_bytes(b"\0" * 1000)
    written = max(times) / 1000 + 8.6
    program.picture.save(tmp_path / "a.mp4", 18)
    os.utime(tmp_path / "a.mp4", (written, written))
    (tmp_path / "a.mp4").rename(program.folder / "a.mp4")
    (row,) = until(lambda: shelf(running))
    assert abs(row.shows_from / 1e6 + row.length / 1e6 - written) < 20
    assert row.parts[0][1] - row.parts[0][0] == pytest.approx(5_000_000, abs=70_000)


@pytest.mark.parametrize("ending", ["ts", "mkv"])
def test_the_wished_seconds_are_cut_out_of_a_recording_that_goes_on(
    running: Running, program: Compositor, ending: str, tmp_path: Path
) -> None:
    assert program.folder is not None
    picture = program.picture
    assert picture is not None
    path = program.folder / f"evening.{ending}"
    now_ms = int(time.time() * 1000)
    picture.record(path)
    picture.fill(now_ms - 1_000, now_ms - 8_000)
    picture.start()
    until(lambda: picture.behind_s() < 0.3)
    picture.most_behind_s = 0.0
    act(running, "folder.read", folder=str(program.folder))
    act(running, "feed.new", kind="recording", title="Picture", choices={"path": str(program.folder)}, secrets={})
    until(lambda: running.runtime.call(lambda self: self.links.link("picture")))
    replays(running, kills="1", within_s="1", before_s="2")
    at = datetime.now(UTC) - timedelta(seconds=2)
    running.event(type="kill", time=at.isoformat(), data=MINE)
    (row,) = until(lambda: shelf(running))
    # Nothing says when its last picture was seen but when it was written: right to a second, once it is written.
    off_ms = abs(seen_at(running, row, row.kills[0]) - (int(at.timestamp() * 1000) & MASK))
    assert off_ms < 1_000 + 1_000 * picture.most_behind_s
    picture.record(None)


def test_a_stream_of_kills_after_a_kill_9_is_no_clip_lost_or_doubled(running: Running, program: Compositor) -> None:
    linked(running, program)
    replays(running)
    streak(running, program, 9, 8.5, 8)
    until(lambda: told(running, "again.begun"))
    running.kill()
    again = Running(running.folder)
    try:
        until(lambda: again.runtime.call(lambda self: self.links.link("picture")))
        assert len(told(again, "again.wanted")) == len(told(again, "again.begun")) == 1
        assert len(shelf(again)) == 1
    finally:
        again.stop()
