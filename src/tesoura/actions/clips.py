"""Clips: taken, named, starred, trimmed, shown, taken away; reels of them; how late a source's picture is."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import partial
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given, perform
from tesoura.actions.feed_setup import CHANGE as CHANGE_FEED
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import instant, line, optional, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.replays.occasions import MICRO
from tesoura.errors import Gone, InvalidField
from tesoura.runtime.clips import shown_parts
from tesoura.store import clips as stored
from tesoura.store import feeds as stored_feeds
from tesoura.store.tables import ClipRow

MOST_IN_REEL = 100
_SENT = re.compile(r"\.sent-[a-z0-9_]{1,40}\.part")
SIZES: Mapping[str, tuple[int, int]] = {"1280": (1280, 720), "1920": (1920, 1080), "854": (854, 480)}
"""How large a reel is, by its width."""


def _number(raw: object) -> int:
    return whole(1, 10**9)(raw)


def _micros(raw: object) -> int:
    """Seconds as they are typed, in µs. Raises InvalidField."""
    try:
        seconds = float(str(raw).strip().replace(",", "."))
    except ValueError:
        raise InvalidField("Give seconds, such as 4.2.") from None
    if not 0 <= seconds <= 36_000:
        raise InvalidField("Give seconds from the start of the clip, 0 or more.")
    return round(seconds * MICRO)


async def clip_of(doing: Doing, clip_id: int) -> ClipRow:
    """A clip on the shelf. Raises Gone."""

    def ask(session: Session) -> ClipRow:
        row = stored.get(session, clip_id)
        if row is None or row.removed_at is not None:
            raise Gone("This clip no longer exists.")
        return row

    return await doing.read(ask)


async def _take(doing: Doing, given: Given) -> Done:
    row = await doing.runtime.clips.take(given["source"], given["seconds"])
    proof = doing.runtime.clips.proofs[given["source"]]
    return Done(proof.sentence(), {"clip": row.id}, Call("clip.remove", {"clip": row.id}))


def _part(raw: object) -> str:
    """The name of a file that was just sent, and of no other file. Raises InvalidField."""
    typed = str(raw)
    if not _SENT.fullmatch(typed):
        raise InvalidField("Send the clip as the body of POST /api/clips.")
    return typed


_instant = instant("Give the time of the last frame with its zone, such as 2026-11-26T20:04:30Z.")


async def _add(doing: Doing, given: Given) -> Done:
    clips = doing.runtime.clips
    row = await clips.sent(clips.folder / given["part"], given["title"].strip(), given["ends_at"])
    return Done(f"{row.title} was saved.", {"clip": row.id}, Call("clip.remove", {"clip": row.id}))


async def _name(doing: Doing, given: Given) -> Done:
    before = await doing.runtime.clips.change(given["clip"], title=given["title"])
    return Done(
        f"It is called {given['title']}.", {}, Call("clip.name", {"clip": given["clip"], "title": before.title})
    )


async def _star(doing: Doing, given: Given, starred: bool) -> Done:
    before = await doing.runtime.clips.change(given["clip"], starred=starred)
    words = f"{before.title} is starred." if starred else f"{before.title} is no longer starred."
    return Done(words, {}, Call("clip.unstar" if starred else "clip.star", given))


async def _trim(doing: Doing, given: Given) -> Done:
    row = await clip_of(doing, given["clip"])
    begin, end = given["begin"], min(given["end"], row.length)
    if end - begin < MICRO // 2:
        raise InvalidField("At least half a second must remain.")
    whole_ = begin == 0 and end >= row.length and not row.kills
    before = await doing.runtime.clips.change(
        row.id or 0, trim_begin=None if whole_ else begin, trim_end=None if whole_ else end
    )
    was = {
        "begin": (before.trim_begin or 0) / MICRO,
        "end": (before.trim_end if before.trim_end is not None else row.length) / MICRO,
    }
    return Done(
        f"{row.title} is shown from {begin / MICRO:.1f} to {end / MICRO:.1f} s.",
        {},
        Call("clip.trim", {"clip": row.id, **was}),
    )


async def _show(doing: Doing, given: Given) -> Done:
    row = await clip_of(doing, given["clip"])
    by = given["by"] or row.instrument
    names = [one.name for one in doing.runtime.instruments.setups() if one.kind == "replay"]
    if by not in names:
        by = names[0] if names else ""
    if not by:
        raise InvalidField("Nothing shows replays yet. Set them up under Instruments and add the piece to an overlay.")
    told = {
        "clip": row.id,
        "file": row.file,
        "length": row.length,
        "shows_from": 0,
        "kills": row.kills,
        "parts": [list(one) for one in shown_parts(row)],
        "caption": row.title,
        "width_px": row.width_px,
        "height_px": row.height_px,
    }
    step = await doing.runtime.instruments.command(by, "show", told, doing.actor, doing.cause, doing.id)
    return Done(f"{step.effect[:1].upper()}{step.effect[1:]}.", {"by": by})


async def _put_away(doing: Doing, given: Given, away: bool) -> Done:
    before = await doing.runtime.clips.change(given["clip"], removed_at=doing.now() if away else None)
    if away:
        return Done(
            f"{before.title} was deleted. It can be restored for seven days while there is room.",
            {},
            Call("clip.restore", given),
        )
    return Done(f"{before.title} was restored.", {}, Call("clip.remove", given))


async def _seen_at(doing: Doing, given: Given) -> Done:
    """The kill is really seen there: the source's picture is late by so much more than was known."""
    row = await clip_of(doing, given["clip"])
    if not row.kills:
        raise InvalidField("This clip has no kill to measure the delay with.")
    name = row.source

    def ask(session: Session) -> tuple[dict[str, Any], str]:
        feed = stored_feeds.by_name(session, name)
        if feed is None:
            raise Gone("The source of this clip no longer exists.")
        return dict(feed.choices), feed.title

    choices, title = await doing.read(ask)
    nearest = min(row.kills, key=lambda one: abs(one - given["at"]))
    late = int(choices.get("late_ms") or 0) + round((given["at"] - nearest) / 1000)
    later = {"feed": name, "choices": {**choices, "late_ms": str(late)}, "secrets": {}}
    await perform(doing, CHANGE_FEED, later)
    words = f"The picture of {title} is {late / 1000:+.1f} s late. New clips are cut accordingly."
    return Done(words, {"late_ms": late}, Call("feed.change", {"feed": name, "choices": choices}))


async def _reel(doing: Doing, given: Given) -> Done:
    wanted = [int(one) for one in given["clips"].replace(",", " ").split() if one.isdecimal()]
    if not wanted:
        raise InvalidField("Choose the clips first.")
    if len(wanted) > MOST_IN_REEL:
        raise InvalidField(f"At most {MOST_IN_REEL} clips fit into one reel.")
    rows = [await clip_of(doing, one) for one in wanted]
    long = sum(end - begin for row in rows for begin, end in shown_parts(row)) / MICRO
    doing.runtime.clips.make_reel(rows, given["title"], given["under"], SIZES[given["width_px"]])
    many = "1 clip" if len(rows) == 1 else f"{len(rows)} clips"
    return Done(f"{given['title']} is being created from {many}, {long:.0f} s in total. You can keep working.")


async def _stop(doing: Doing, given: Given) -> Done:
    return Done(f"{doing.runtime.clips.jobs.stop(given['job'])}: left.")


async def _room(doing: Doing, given: Given) -> Done:
    def job(session: Session) -> None:
        from tesoura.store import state

        state.choose(session, "clips_gb", str(given["gb"]))
        state.choose(session, "clips_days", str(given["days"]))

    before = await doing.runtime.clips.room.bounds()
    await doing.write(job)
    gone = await doing.runtime.clips.room.make()
    kept = f"for {given['days']} days" if given["days"] else "forever"
    words = f"Clips are kept {kept}, in {given['gb']} GB at most." + (f" {gone} went with that." if gone else "")
    return Done(words, {"gone": gone}, Call("clip.room", {"gb": round(before.most / 1e9), "days": before.days}))


def _size(raw: object) -> str:
    typed = str(raw or "1280")
    if typed not in SIZES:
        raise InvalidField(f"Give one of these widths: {', '.join(SIZES)}.")
    return typed


_CLIP = {"clip": Field("Clip", _number)}
ADD = Action(
    "clip.add",
    "Add a clip",
    "A clip just sent to POST /api/clips.",
    {
        "part": Field("What was sent", _part),
        "title": Field("Title", text(200, empty=True)),
        "ends_at": Field("Time of the last frame", optional(_instant)),
    },
    _add,
    needs=("part",),
    noted=True,
)
TAKE = Action(
    "clip.take",
    "Save the last seconds",
    "Saves them from a video source without showing them.",
    {
        "source": Field("Source", text(60), kind="feed", of="clips"),
        "seconds": Field("Seconds", lambda raw: whole(1, 120)(raw or 12), default=12),
    },
    _take,
)
NAME = Action(
    "clip.name",
    "Rename a clip",
    "Its title, wherever it is shown.",
    {**_CLIP, "title": Field("Name", line(200))},
    _name,
    noted=True,
    may=SET_UP,
)
STAR = Action("clip.star", "Star a clip", "Starred clips stay.", _CLIP, partial(_star, starred=True), noted=True)
UNSTAR = Action(
    "clip.unstar",
    "Remove a clip's star",
    "It may be deleted when storage runs out.",
    _CLIP,
    partial(_star, starred=False),
    noted=True,
)
TRIM = Action(
    "clip.trim",
    "Trim a clip",
    "Start and end in seconds; the file is not changed.",
    {**_CLIP, "begin": Field("From", _micros, kind="number"), "end": Field("To", _micros, kind="number")},
    _trim,
    noted=True,
    may=SET_UP,
)
SHOW = Action(
    "clip.show",
    "Show a clip",
    "On the overlays that show replays.",
    {**_CLIP, "by": Field("Replays", text(60, empty=True), kind="instrument", of="replay")},
    _show,
)
REMOVE = Action(
    "clip.remove",
    "Delete a clip",
    "It can be restored for seven days while there is room.",
    _CLIP,
    partial(_put_away, away=True),
    noted=True,
    may=SET_UP,
)
RESTORE = Action(
    "clip.restore",
    "Restore a clip",
    "One that was deleted.",
    _CLIP,
    partial(_put_away, away=False),
    noted=True,
    may=SET_UP,
)
SEEN_AT = Action(
    "clip.seen_at",
    "Set when the kill is visible",
    "Seconds into the clip; sets the delay of its source.",
    {**_CLIP, "at": Field("At", _micros, kind="number")},
    _seen_at,
    noted=True,
    may=SET_UP,
)
REEL = Action(
    "clip.reel",
    "Create a reel",
    "The selected clips in one file, with captions and chapters.",
    {
        "clips": Field("Clip numbers in order", text(2_000, empty=True)),
        "title": Field("Title", line(80)),
        "under": Field("Caption", text(120, empty=True)),
        "width_px": Field("Width", _size, default="1280"),
    },
    _reel,
    noted=True,
    may=SET_UP,
)
STOP = Action(
    "clip.stop",
    "Stop a clip job",
    "A reel, or a clip that is being converted.",
    {"job": Field("Which", text(20))},
    _stop,
    noted=True,
    may=SET_UP,
)
ROOM = Action(
    "clip.room",
    "Set the limits for clips",
    "Storage and days to keep; starred clips stay.",
    {"gb": Field("At most", whole(1, 100_000), unit="GB"), "days": Field("For", whole(0, 36_500), unit="days")},
    _room,
    noted=True,
    may=SET_UP,
)

ALL = (ADD, TAKE, NAME, STAR, UNSTAR, TRIM, SHOW, REMOVE, RESTORE, SEEN_AT, REEL, STOP, ROOM)
"""Everything that is done with clips."""
