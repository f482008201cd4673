"""What is on air: a draft put there, an earlier version brought back."""

from __future__ import annotations

from collections.abc import Callable

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.drafts import OVERLAY, row_of
from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field
from tesoura.core.overlays.differences import differences, sent_straight
from tesoura.core.overlays.document import Overlay
from tesoura.errors import Gone, InvalidField
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.tables import OverlayRow


async def put_on_air(
    doing: Doing, overlay_id: int, make: Callable[[Session, OverlayRow], tuple[Overlay, str] | None]
) -> OnAir | None:
    """Put on air what is made of an overlay, with a note; None when nothing is made. Raises Gone."""
    at, who = doing.now(), doing.by()

    def job(session: Session) -> OnAir | None:
        row = row_of(session, overlay_id)
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


async def _send(doing: Doing, given: Given) -> Done:
    wanted, found = (given["piece"], given["field"]), []

    def make(session: Session, row: OverlayRow) -> tuple[Overlay, str] | None:
        draft, on_air = stored.draft_of(session, row), stored.on_air(session, row)
        if not on_air.rev:
            return None
        for one in differences(draft, on_air.overlay):
            if (one.piece, one.field) == wanted and (sent := sent_straight(draft, on_air.overlay, one)) is not None:
                found.append(one.words)
                return sent, f"Sent straight: {one.words}"
        return None

    on_air = await put_on_air(doing, given["overlay"], make)
    if on_air is None:
        raise InvalidField("That is no difference any more. Look at what differs now.")
    return Done(f"On air: {found[0]}. The rest of the draft waits.", {"version": on_air.rev}, _undo(on_air))


PUBLISH = Action(
    "overlay.put_on_air", "Put on air", "Make an overlay's draft what viewers have.", OVERLAY, _publish, noted=True
)
BACK = Action(
    "overlay.back",
    "Put a version on air again",
    "Let viewers have an earlier version of an overlay.",
    {**OVERLAY, "version": Field("Version", whole(1, 10**9), kind="number")},
    _back,
    noted=True,
)
SEND = Action(
    "overlay.send",
    "Send one change straight to air",
    "The rest of the draft waits.",
    {**OVERLAY, "piece": Field("Piece", text(60, empty=True)), "field": Field("Field", text(60, empty=True))},
    _send,
    noted=True,
)

ALL = (PUBLISH, BACK, SEND)
