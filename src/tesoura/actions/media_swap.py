"""Another file in the place of one, everywhere at once: in drafts, on air, and in what instruments show."""

from __future__ import annotations

from collections.abc import Collection
from functools import partial

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.computed_setup import change_choices
from tesoura.actions.drafts import edit_draft
from tesoura.actions.overlays import put_on_air
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import line
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.items import CHANGE
from tesoura.core.instruments.registry import KINDS
from tesoura.core.overlays.document import Overlay
from tesoura.core.overlays.edits import Edited
from tesoura.core.overlays.swapping import fields_with, swapped
from tesoura.errors import Gone, InvalidField
from tesoura.store import computed, media
from tesoura.store import overlays as stored
from tesoura.store.tables import MediaRow, OverlayRow

MOST_PLACES = 5_000


async def _replace(doing: Doing, given: Given) -> Done:
    """Each place is named, so that taking it back changes these and no others."""
    old, new = await _both(doing, given["name"], given["by"])
    only: Collection[str] | None = given["places"]
    places = [*await _in_overlays(doing, old, new, only), *await _in_instruments(doing, old, new, only)]
    if not places:
        raise InvalidField(f"“{old.title}” isn't used anywhere, so there is nothing to replace.")
    count = "1 place" if len(places) == 1 else f"{len(places)} places"
    undo = Call("media.replace", {"name": new.name, "by": old.name, "places": places})
    return Done(f"“{new.title}” is in the place of “{old.title}”, in {count}.", {"places": len(places)}, undo)


async def _both(doing: Doing, name: str, by: str) -> tuple[MediaRow, MediaRow]:
    old, new = await doing.read(lambda session: (media.get(session, name), media.get(session, by)))
    if old is None or new is None:
        raise Gone("There is no such file.")
    if old.kind != new.kind:
        raise InvalidField(f"A {old.kind} can't be replaced with a {new.kind}. Give another {old.kind}.")
    if old.name == new.name:
        raise InvalidField("This is the same file. Give the new one.")
    return old, new


async def _in_overlays(doing: Doing, old: MediaRow, new: MediaRow, only: Collection[str] | None) -> list[str]:
    """In the draft of each overlay, and in what is on air of it: the rest of the draft waits on."""
    words, found = f"“{new.title}” in the place of “{old.title}”", list[str]()

    def swap(overlay: Overlay, where: str) -> Overlay | None:
        chosen = None if only is None else {one.removeprefix(where) for one in only if one.startswith(where)}
        after, places = swapped(overlay, old.name, new.name, chosen)
        found.extend(f"{where}{one}" for one in places)
        return after if places else None

    def edited(where: str, before: Overlay) -> Edited:
        after = swap(before, where)
        return Edited(after or before, words if after else "")

    def sent(where: str, session: Session, row: OverlayRow) -> tuple[Overlay, str] | None:
        after = swap(stored.on_air(session, row).overlay, where)
        return (after, words) if after else None

    for overlay_id in await doing.read(lambda session: [one.id or 0 for one in stored.all_overlays(session)]):
        await edit_draft(doing, overlay_id, partial(edited, f"draft {overlay_id} "), "files")
        await put_on_air(doing, overlay_id, partial(sent, f"air {overlay_id} "))
    return found


async def _in_instruments(doing: Doing, old: MediaRow, new: MediaRow, only: Collection[str] | None) -> list[str]:
    found = list[str]()
    for row in await doing.read(computed.all_computed):
        kind = KINDS.get(row.kind)
        if kind is None:
            continue
        own = {f"of {row.name} {one}": one for one in fields_with(kind.fields, row.choices, old.name)}
        own = {place: one for place, one in own.items() if only is None or place in only}
        if own:
            await change_choices(doing, row, {**row.choices, **dict.fromkeys(own.values(), new.name)}, {})
            found += own
        standing = doing.runtime.instruments.standing(row.name)
        for item in standing.items if standing and kind.items else ():
            fields = kind.items.fields if kind.items else {}
            named = {f"of {row.name} {item.id} {one}": one for one in fields_with(fields, item.values, old.name)}
            named = {place: one for place, one in named.items() if only is None or place in only}
            if named:
                given = {"item": item.id, **dict.fromkeys(named.values(), new.name)}
                await doing.runtime.instruments.command(row.name, CHANGE, given, doing.actor)
                found += named
    return found


def _places(raw: object) -> list[str] | None:
    if raw is None or raw == "":
        return None
    if not (isinstance(raw, list) and len(raw) <= MOST_PLACES and all(isinstance(one, str) for one in raw)):
        raise InvalidField(f"Give a list of at most {MOST_PLACES} places, as the answer of this action names them.")
    return raw


REPLACE = Action(
    "media.replace",
    "Replace a file everywhere",
    "In drafts, on air and in all instruments.",
    {
        "name": Field("File", line(80)),
        "by": Field("The other file", line(80)),
        "places": Field("Only there", _places, kind="data", default=None),
    },
    _replace,
    noted=True,
    may=SET_UP,
)

ALL = (REPLACE,)
