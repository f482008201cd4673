"""Overlays: made, named, doubled, put away, given another link, brought in from a file."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.drafts import OVERLAY, new_id, row_of
from tesoura.actions.media import file_bytes, keep_file
from tesoura.actions.roles import SET_UP
from tesoura.bundles.overlay_files import unpacked
from tesoura.core.forms.checks import line, text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.names import free_title
from tesoura.core.overlays.document import Overlay, Piece, new_piece, size_problem
from tesoura.core.overlays.shipped_looks import FIRST
from tesoura.core.values import INSTANT, Signal
from tesoura.errors import Gone, InvalidField
from tesoura.store import looks as stored_looks
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.tables import OverlayRow
from tesoura.workers import entered

FIRST_PLACE = (96, 896)


async def _told(doing: Doing, job: Callable[[Session], OnAir]) -> OnAir:
    """Write it, then bring what is on air to it."""
    on_air = await doing.write(job)
    await doing.runtime.stage.put(on_air)
    doing.runtime.touched("overlays")
    return on_air


def suggested_name(signal: Signal | None) -> str:
    """What an overlay that shows a signal might be called."""
    words = signal.unit or signal.name.partition(".")[2].replace("_", " ") if signal else ""
    return f"{words[:1].upper()}{words[1:]}" or "My overlay"


def _first_piece(signal: Signal | None, draft: Overlay) -> Piece:
    x, y = FIRST_PLACE
    place = {"x": x, "y": y, "size_px": 72}
    if (draft.width_px, draft.height_px) != (1920, 1080):
        size = max(min(72, round(draft.height_px * 0.35)), 21)
        padding = min(24, round(draft.height_px * 0.25))
        place = {
            "x": round(draft.width_px * 0.05),
            "y": max(round(draft.height_px * 0.1), 4),
            "size_px": size,
            "padding_px": padding,
        }
    piece = new_piece("text", new_id(), look=FIRST, **place)
    return piece if signal is None else piece.changed(choices_for(signal, "text"))


def choices_for(signal: Signal, kind: str) -> dict[str, Any]:
    """What a text, or statistic slots, begins with that shows a signal."""
    number = isinstance(signal.value, int | float)
    form, unit = (":time", "") if signal.unit == INSTANT else (":," if number else "", signal.unit)
    value, name = f"{{{signal.name}{form}}}", suggested_name(signal)
    if kind == "slots":
        return {"count": 1, "label_1": name[:40], "value_1": value, "icon_1": "none", "name": name}
    return {"wording": f"{value} {unit}".strip(), "nothing_yet": f"— {unit}".strip(), "name": name}


async def _new(doing: Doing, given: Given) -> Done:
    if problem := size_problem(given["width_px"], given["height_px"]):
        raise InvalidField(problem)
    signal = doing.runtime.signal(given["signal"]) if given["signal"] else None
    draft = Overlay(given["width_px"], given["height_px"])
    if given["empty"] == "no":
        draft = replace(draft, pieces=(_first_piece(signal, draft),))
    return await add_overlay(doing, given["name"], draft)


async def add_overlay(doing: Doing, name: str, draft: Overlay, free: bool = False) -> Done:
    """Make an overlay with this draft; with `free`, under the next free name like it."""
    at = doing.now()

    def job(session: Session) -> OnAir:
        called = free_name(session, name) if free else name
        return stored.on_air(session, stored.new_overlay(session, called, draft, at))

    on_air = await _told(doing, job)
    return _made(on_air, f"“{on_air.name}” was created. Viewers don't see it yet.")


def _made(on_air: OnAir, words: str) -> Done:
    return Done(
        words,
        {"overlay": on_air.overlay_id, "name": on_air.name},
        Call("overlay.remove", {"overlay": on_air.overlay_id}),
    )


async def _rename(doing: Doing, given: Given) -> Done:
    before: list[str] = []

    def job(session: Session) -> OnAir:
        row = row_of(session, given["overlay"])
        before.append(row.name)
        row.name = given["name"]
        session.add(row)
        return stored.on_air(session, row)

    await _told(doing, job)
    undo = Call("overlay.rename", {"overlay": given["overlay"], "name": before[0]})
    return Done(f"It is called “{given['name']}”.", {}, undo)


def free_name(session: Session, name: str) -> str:
    """The next free name like this one."""
    return free_title([row.name for row in stored.all_overlays(session)], name, 55)


async def _duplicate(doing: Doing, given: Given) -> Done:
    at = doing.now()

    def job(session: Session) -> OnAir:
        row = row_of(session, given["overlay"])
        twin = stored.new_overlay(session, free_name(session, row.name), stored.draft_of(session, row), at)
        return stored.on_air(session, twin)

    on_air = await _told(doing, job)
    return _made(on_air, f"{on_air.name} was created. Viewers don't see it yet.")


async def _remove(doing: Doing, given: Given) -> Done:
    overlay_id, at = given["overlay"], doing.now()

    def job(session: Session) -> str:
        row = row_of(session, overlay_id)
        row.removed_at = at
        session.add(row)
        return row.name

    name = await doing.write(job)
    why = f"“{name}” was deleted in Tesoura. Restore it there and this link works again."
    doing.runtime.stage.take_off(overlay_id, why)
    doing.runtime.touched("overlays")
    words = f"{name} was deleted; its link shows nothing now."
    return Done(words, {}, Call("overlay.restore", {"overlay": overlay_id}))


async def _restore(doing: Doing, given: Given) -> Done:
    def job(session: Session) -> OnAir:
        row = session.get(OverlayRow, given["overlay"])
        if row is None:
            raise Gone("There is no such overlay.")
        row.removed_at = None
        session.add(row)
        return stored.on_air(session, row)

    on_air = await _told(doing, job)
    words = f"{on_air.name} was restored, with the link it had."
    return Done(words, {}, Call("overlay.remove", {"overlay": on_air.overlay_id}))


async def _new_link(doing: Doing, given: Given) -> Done:
    at = doing.now()

    def job(session: Session) -> str:
        row = row_of(session, given["overlay"])
        stored.replace_link(session, row, at)
        return row.token

    token = await doing.write(job)
    clock = at.astimezone(doing.runtime.preferences.zone)
    why = f"This link was replaced at {clock:%H:%M}. Copy the new one in Tesoura."
    doing.runtime.stage.replace_link(given["overlay"], token, why)
    doing.runtime.touched("overlays")
    return Done("The link was replaced. Pages of the old one show nothing now and say why.", {"token": token})


async def _bring_in(doing: Doing, given: Given) -> Done:
    at = doing.now()
    async with entered(unpacked(given["file"])) as came:
        for kind, title, path in came.files:
            await keep_file(doing, kind, title, await asyncio.to_thread(path.read_bytes))

    def job(session: Session) -> OnAir:
        there = stored_looks.all_looks(session)
        for name, look in came.overlay.looks.items():
            if name not in there:
                stored_looks.keep(session, look, at)
        return stored.on_air(session, stored.new_overlay(session, free_name(session, came.name), came.overlay, at))

    on_air = await _told(doing, job)
    doing.runtime.studio.faces.forget()
    return _made(on_air, f"{on_air.name} was imported. Viewers don't see it yet.")


_setup = partial(Action, noted=True, may=SET_UP)
NEW = _setup(
    "overlay.new",
    "Make an overlay",
    "With a first piece, for `signal` when one is named, unless it is to be empty.",
    {
        "name": Field("Name", line(60)),
        "width_px": Field("Width", whole(1, 10**6), "px", 1920, "number"),
        "height_px": Field("Height", whole(1, 10**6), "px", 1080, "number"),
        "signal": Field("Signal", text(200, empty=True), kind="signal"),
        "empty": Field("Empty", lambda raw: "yes" if raw == "yes" else "no", kind="switch", default="no"),
    },
    _new,
)
RENAME = _setup(
    "overlay.rename", "Rename an overlay", "Its link stays.", {**OVERLAY, "name": Field("Name", line(60))}, _rename
)
DUPLICATE = _setup(
    "overlay.duplicate", "Make another overlay like it", "With its own link; nothing is on air.", OVERLAY, _duplicate
)
REMOVE = _setup("overlay.remove", "Delete an overlay", "Its link shows nothing until it is restored.", OVERLAY, _remove)
RESTORE = _setup("overlay.restore", "Bring an overlay back", "With the link it had.", OVERLAY, _restore)
NEW_LINK = _setup(
    "overlay.new_link",
    "Replace an overlay's link",
    "Pages of the old one stop at once and say why.",
    OVERLAY,
    _new_link,
)
BRING_IN = _setup(
    "overlay.bring_in",
    "Bring an overlay in",
    "From a file that Tesoura wrote; base64 in JSON.",
    {"file": Field("File", file_bytes, kind="data")},
    _bring_in,
)

ALL = (NEW, RENAME, DUPLICATE, REMOVE, RESTORE, NEW_LINK, BRING_IN)
