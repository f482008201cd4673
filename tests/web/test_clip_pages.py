"""The shelf of clips and the way to send them in: what is no clip, what is asked for wrongly, the room they take."""

from __future__ import annotations

import re
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import update

import tesoura.web
from tesoura.settings import wall_clock
from tesoura.store import clips as stored
from tesoura.store.clips import ShelfBounds
from tesoura.store.tables import ClipRow
from tests.conftest import Running, flat, until
from tests.runtime.test_clips import replays, shelf, told

MADE_UP = Path(tesoura.web.__file__).parent / "static" / "clips" / "made_up.webm"


def send(running: Running, body: bytes = MADE_UP.read_bytes(), /, **params: str) -> Any:
    return running.client.post("/api/clips", content=body, headers=running.auth, params=params)


def left(running: Running) -> list[str]:
    folder = running.folder / "clips"
    return sorted(one.name for one in folder.iterdir()) if folder.exists() else []


def clip_row(file: str, title: str, at: datetime, size: int, **more: Any) -> ClipRow:
    return ClipRow(
        file=file,
        type="video/mp4",
        title=title,
        at=at,
        made_at=at,
        size=size,
        length=1,
        kills=[],
        parts=[],
        figures={},
        **more,
    )


@pytest.mark.parametrize(
    ("body", "why"),
    [
        (b"", "Check the program that writes it"),
        (b"<!doctype html><title>a clip</title>" * 40, "web page"),
        (b"\0" * 5000, "Not a readable video"),
        (b"RIFF" + b"\1" * 300, "Not a readable video"),
    ],
)
def test_what_is_no_clip_is_refused_with_what_it_is_and_nothing_of_it_stays(
    running: Running, body: bytes, why: str
) -> None:
    answer = send(running, body, title="the great one")
    assert (answer.status_code, why in answer.json()["detail"], left(running)) == (422, True, []), answer.text


@pytest.mark.parametrize(
    ("params", "why"),
    [
        ({"ends_at": "yesterday"}, "Give the time of the last frame with its zone, such as 2026-11-26T20:04:30Z"),
        (
            {"ends_at": "2026-11-26T20:04:30"},
            "Give the time of the last frame with its zone, such as 2026-11-26T20:04:30Z",
        ),
        ({"late": "2"}, "late is not a parameter. Known ones: title, ends_at, show"),
    ],
)
def test_a_clip_that_is_sent_with_what_cannot_be_is_refused(running: Running, params: dict[str, str], why: str) -> None:
    answer = send(running, **params)
    assert (answer.status_code, left(running), shelf(running)) == (422, [], [])
    assert why in answer.json()["detail"]


def test_a_clip_is_sent_listed_named_shown_and_had_again_as_it_was(running: Running) -> None:
    assert running.client.post("/api/clips", content=MADE_UP.read_bytes()).status_code == 401
    answer = send(running, title="otto_knot <b>", ends_at="2026-11-26T20:04:30Z")
    assert answer.status_code == 201
    clip = answer.json()["id"]
    # It is on the shelf though nothing shows it yet, and that is said.
    shown = send(running, title="second", show="again")
    assert (shown.status_code, "Set them up under Instruments" in shown.json()["detail"]) == (422, True)
    assert [one["title"] for one in running.client.get("/api/clips", headers=running.auth).json()] == [
        "second",
        "otto_knot <b>",
    ]
    page = running.client.get("/clips").text
    assert "otto_knot &lt;b&gt;" in page
    file = running.client.get(f"/clips/{clip}/file")
    assert file.headers["content-disposition"] == 'attachment; filename="otto_knot b.webm"'
    assert file.content == running.client.get(answer.json()["file"]).content
    said = running.do(f"clip.name?clip={clip}", {"title": "the calm one"}, follow_redirects=True)
    assert "It is called the calm one." in flat(said.text)
    said = running.do(f"clip.trim?clip={clip}", {"begin": "1", "end": "1.2"}, follow_redirects=True)
    assert "At least half a second must remain." in flat(said.text)
    said = running.do(f"clip.trim?clip={clip}", {"begin": "soon", "end": "9"}, follow_redirects=True)
    assert "Give seconds, such as 4.2." in flat(said.text)
    said = running.do(f"clip.seen_at?clip={clip}", {"at": "3"}, follow_redirects=True)
    assert "This clip has no kill to measure the delay with." in flat(said.text)
    said = running.do(f"clip.remove?clip={clip}", follow_redirects=True)
    assert "the calm one was deleted." in flat(said.text)
    assert running.client.get("/clips").text.count("the calm one") == 0
    said = running.do(f"clip.restore?clip={clip}", follow_redirects=True)
    assert "the calm one was restored." in flat(said.text)


def test_markers_tell_when_what_was_counted_happens_in_the_file(running: Running) -> None:
    clip = send(running, title="three").json()["id"]

    def with_kills(session: Any) -> None:
        row = stored.get(session, clip)
        assert row is not None
        # The last lies after the end of what there is: nothing can be marked there.
        row.kills = [1_500_000, row.length - 400_000, row.length + 5_000_000]
        session.add(row)

    running.store.write(with_kills)
    (row,) = shelf(running)
    end = f"00:00:{row.length / 1e6:06.3f}"
    begin = f"00:00:{row.length / 1e6 - 0.4:06.3f}"
    assert running.client.get(f"/clips/{clip}/markers.vtt").text.split("\n\n")[1:] == [
        "1\n00:00:01.500 --> 00:00:02.500\nkill 1",
        f"2\n{begin} --> {end}\nkill 2\n",
    ]


@pytest.mark.parametrize("name", ["..%2f..%2ftesoura.db", "%2e%2e/tesoura.db", "a.mp4", f"{'0' * 32}.db", "x" * 300])
def test_no_name_leads_out_of_the_folder_of_clips(running: Running, name: str) -> None:
    assert running.client.get(f"/clips/file/{name}").status_code == 404


def test_what_is_not_there_is_said_to_be_so(running: Running) -> None:
    assert running.client.get("/clips/7").status_code == 404
    assert running.client.get("/clips/7/file").status_code == 404
    for what in ("remove", "restore", "star", "show"):
        said = running.do(f"clip.{what}?clip=7")
        assert "no longer exists" in flat(said.text), what
    for chosen, why in (("", "Choose the clips first."), ("7", "no longer exists"), ("1 " * 101, "At most 100 clips")):
        said = running.do("clip.reel", {"clips": chosen, "title": "Best"}, follow_redirects=True)
        assert why in flat(said.text)
    said = running.do("clip.take", {"source": "nowhere", "seconds": "9"}, follow_redirects=True)
    assert "There is no video source nowhere." in flat(said.text)
    assert running.client.get("/clips?skip=abc&session=never&find=%25").status_code == 200


def test_the_oldest_go_when_there_is_no_more_room_and_stars_stay(running: Running) -> None:
    now = wall_clock()

    def kept(session: Any) -> None:
        for at, (title, hours, starred, away) in enumerate(
            [
                ("starred", 9, True, None),
                ("oldest", 8, False, None),
                ("old", 7, False, None),
                ("away", 6, False, now),
                ("new", 0, False, None),
            ]
        ):
            made = now - timedelta(hours=hours)
            stored.add(session, clip_row(f"{at}.mp4", title, made, 300, starred=starred, removed_at=away))

    running.store.write(kept)
    gone = running.store.write(lambda session: stored.make_room(session, ShelfBounds(1500, 0), now))
    assert (gone.titles, gone.files, gone.size) == ((), (), 1500)
    gone = running.store.write(lambda session: stored.make_room(session, ShelfBounds(900, 0), now))
    assert (gone.titles, gone.files, gone.size) == (("oldest",), ("1.mp4", "3.mp4"), 900)
    # What was kept within the hour may wait to be shown: it stays, though there is no room for it.
    gone = running.store.write(lambda session: stored.make_room(session, ShelfBounds(100, 0), now))
    assert (gone.titles, gone.size) == (("old",), 600)
    gone = running.store.write(
        lambda session: stored.make_room(session, ShelfBounds(10**9, 1), now + timedelta(days=2))
    )
    assert gone.titles == ("new",)
    assert [row.title for row in shelf(running)] == ["starred"]


def test_a_long_shelf_is_sifted_and_leafed_through(running: Running) -> None:
    now = wall_clock()
    running.store.write(
        lambda session: [
            stored.add(
                session,
                clip_row(
                    f"{at}.mp4",
                    f"cut {at}",
                    now - timedelta(minutes=at),
                    1,
                    starred=at % 2 == 0,
                    instrument="again",
                    session_at=now - timedelta(days=at // 50),
                ),
            )
            for at in range(130)
        ]
    )

    def names(address: str) -> list[str]:
        return re.findall(r'aria-label="Choose (cut \d+) for a reel"', running.client.get(address).text)

    assert names("/clips") == [f"cut {at}" for at in range(60)]
    page = running.client.get("/clips?of=again&starred=yes").text
    older = re.search(r'href="([^"]+)">Older clips', page)
    assert older is not None
    assert names(older[1].replace("&amp;", "&")) == [f"cut {at}" for at in range(120, 130, 2)]
    assert names("/clips?find=cut+12&of=again") == ["cut 12", "cut 112", *(f"cut {at}" for at in range(120, 130))]
    assert names("/clips?of=nobody") == []


def test_room_that_is_nearly_full_is_told_and_so_is_what_went(running: Running) -> None:
    said = running.do("clip.room", {"gb": "0", "days": "30"}, follow_redirects=True)
    assert "Give a number from 1 to 100000." in flat(said.text)
    said = running.do("clip.room", {"gb": "1", "days": "2"}, follow_redirects=True)
    assert "Clips are kept for 2 days, in 1 GB at most." in flat(said.text)
    old = wall_clock() - timedelta(days=3)
    rows = [("a", 850_000_000, wall_clock()), ("b", 1_000, old)]
    running.store.write(
        lambda session: [stored.add(session, clip_row(f"{name}.mp4", name, at, size)) for name, size, at in rows]
    )
    send(running, title="the next")
    until(lambda: told(running, "tesoura.clips_nearly_full"))
    assert told(running, "tesoura.clips_let_go") == [{"clips": 1, "titles": "b"}]
    send(running, title="and one more")
    assert told(running, "tesoura.clips_nearly_full") == [{"taken_gb": 0.85, "of_gb": 1.0}]
    assert "Storage is nearly full." in flat(running.client.get("/clips").text)


def test_pictures_that_were_not_drawn_before_it_ended_are_drawn_at_the_next_start(running: Running) -> None:
    replays(running, source="")
    sent = send(running, title="kept").json()
    drawn = until(lambda: (row := shelf(running)[0]).strip and row)
    running.store.write(lambda session: session.exec(update(ClipRow).values(still="", strip="")))
    running.kill()
    anew = Running(running.folder)
    try:
        again = until(lambda: (row := shelf(anew)[0]).strip and row)
        assert (again.id, again.still, again.strip) == (sent["id"], drawn.still, drawn.strip)
        assert stored.path_of(anew.folder, again.still)
    finally:
        anew.stop()


def test_what_nothing_needs_is_swept_away_at_the_next_start(running: Running) -> None:
    replays(running, source="")
    send(running, title="kept")
    until(lambda: shelf(running)[0].strip)
    before = left(running)
    folder = running.folder / "clips"
    for name in (".half.part", f"{'a' * 32}.mp4", "of somebody else.txt"):
        (folder / name).write_bytes(b"1")
    running.kill()
    anew = Running(running.folder)
    try:
        assert left(anew) == sorted([*before, "of somebody else.txt"])
    finally:
        anew.stop()
