"""What is on air: a draft put there, an earlier version brought back."""

from __future__ import annotations

from collections.abc import Callable

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.core.forms.checks import whole
from tesoura.core.forms.fields import Field
from tesoura.core.overlays.document import Overlay
from tesoura.errors import Gone
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.tables import OverlayRow

_OVERLAY = {"overlay": Field("Overlay", whole(1, 10**9), kind="number")}


async def put_on_air(
    doing: Doing, overlay_id: int, make: Callable[[Session, OverlayRow], tuple[Overlay, str] | None]
) -> OnAir | None:
    """Put on air what is made of an overlay, with a note; None when nothing is made. Raises Gone."""
    at, who = doing.now(), "this machine" if doing.actor == "desk" else doing.actor.removeprefix("desk:")

    def job(session: Session) -> OnAir | None:
        row = stored.get(session, overlay_id)
        if row is None:
            raise Gone("There is no such overlay. Perhaps it was put away.")
        made = make(session, row)
        return stored.put_on_air(session, row, made[0], at, who, made[1]) if made else None

    on_air = await doing.write(job)
    if on_air is not None:
        await doing.runtime.stage.put(on_air)
        doing.runtime.touched("overlays")
    return on_air


def _undo(on_air: OnAir) -> Call | None:
    return Call("overlay.back", {"overlay": on_air.overlay_id, "version": on_air.rev - 1}) if on_air.rev > 1 else None


async def _publish(doing: Doing, given: Given) -> Done:
    on_air = await put_on_air(doing, given["overlay"], lambda session, row: (stored.draft_of(session, row), ""))
    assert on_air is not None
    return Done(f"“{on_air.name}” is on air, version {on_air.rev}.", {"version": on_air.rev}, _undo(on_air))


async def _back(doing: Doing, given: Given) -> Done:
    def make(session: Session, row: OverlayRow) -> tuple[Overlay, str]:
        found = stored.version(session, row, given["version"])
        if found is None:
            raise Gone(f"“{row.name}” has no version {given['version']}.")
        return found, f"Version {given['version']} again"

    on_air = await put_on_air(doing, given["overlay"], make)
    assert on_air is not None
    words = f"“{on_air.name}” is on air as it was in version {given['version']}."
    return Done(words, {"version": on_air.rev}, _undo(on_air))


PUBLISH = Action("overlay.put_on_air", "Put on air", "Make an overlay's draft what viewers have.", _OVERLAY, _publish,
                 noted=True)  # fmt: skip
BACK = Action(
    "overlay.back", "Put a version on air again", "Let viewers have an earlier version of an overlay.",
    {**_OVERLAY, "version": Field("Version", whole(1, 10**9), kind="number")}, _back, noted=True,
)  # fmt: skip
