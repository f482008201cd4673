"""A still of how a campaign looked: its item as the log tells it, in the slot of the version that was on air then."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlmodel import Session

from tesoura.core.computed.occurrence import instant
from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.sponsors.rotation import SHOWN
from tesoura.store import log as event_log
from tesoura.store import overlays as stored
from tesoura.store.tables import OverlayRow, VersionRow
from tesoura.web.mat.view_data import scenery


@dataclass(frozen=True, slots=True)
class SponsorStill:
    """What is drawn of it: the overlay, the slot (px), its backing, and what was in it. `scene` is what it lay over."""

    overlay: str
    version: int
    width: int
    height: int
    scene: str
    x: float
    y: float
    wide: float
    high: float
    room: float
    backing: str
    opacity: float
    colour: str
    size_px: int
    item: Mapping[str, Any]
    at: datetime


def stills(
    session: Session, rotations: Sequence[str], campaigns: Sequence[str], spans: Sequence[tuple[int, int]]
) -> dict[str, SponsorStill]:
    """The last appearance of each campaign in these spans of time, where an overlay on air had its rotation."""
    last: dict[str, tuple[int, str, Mapping[str, Any]]] = {}
    types = [f"{one}.{SHOWN}" for one in rotations]
    for one in event_log.happenings(session, types, instant(spans[0][0]), event_log.last_seq(session), in_order=True):
        if not any(begin <= one.at < end for begin, end in spans):
            continue
        slots = one.data.get("slots")
        for slot in slots if isinstance(slots, list | tuple) else ():
            if isinstance(slot, Mapping) and slot.get("campaign") in campaigns:
                last[str(slot["campaign"])] = (one.at, one.type.rpartition(".")[0], slot)
    airs = [(row, stored.versions(session, row)) for row in stored.all_overlays(session)] if last else []
    found = {name: _still(session, airs, *told) for name, told in last.items()}
    return {name: one for name, one in found.items() if one is not None}


def _still(
    session: Session,
    airs: Sequence[tuple[OverlayRow, Sequence[VersionRow]]],
    at: int,
    rotation: str,
    item: Mapping[str, Any],
) -> SponsorStill | None:
    for row, versions in airs:
        then = next((one for one in versions if one.published_at <= instant(at)), None)
        overlay = stored.version(session, row, then.rev) if then else None
        piece = (
            next((one for one in overlay.pieces if one.kind == "sponsor" and one["rotation"] == rotation), None)
            if overlay
            else None
        )
        if then and overlay and piece and piece["hidden"] != "yes":
            return _drawn(row.name, then.rev, overlay, piece, item, instant(at))
    return None


def _drawn(
    name: str, version: int, overlay: Overlay, piece: Piece, item: Mapping[str, Any], at: datetime
) -> SponsorStill:
    style = piece.styled(overlay.looks, overlay.form)
    scene = next((address for one, _, address in scenery() if one == overlay.scenery), "")
    backing = style["backing_colour"] if style["backing"] != "none" else "none"
    # One of two slots is shown whole: what matters is the mark and what is behind it.
    room = min(piece["width_px"], piece["height_px"]) * piece["room_pct"] / 100
    return SponsorStill(
        name,
        version,
        overlay.width_px,
        overlay.height_px,
        scene,
        piece["x"],
        piece["y"],
        piece["width_px"],
        piece["height_px"],
        room,
        backing,
        style["backing_opacity_pct"] / 100,
        style["colour"],
        piece["size_px"],
        item,
        at,
    )
