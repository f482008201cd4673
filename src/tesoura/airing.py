"""What is on air: each overlay's published pieces, their texts kept up to date, their pages told."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime

from tesoura.core.engine import Engine, scalars
from tesoura.core.moments import Moments
from tesoura.core.names import snake
from tesoura.core.overlays import Overlay, TextPiece
from tesoura.core.texts import Shown
from tesoura.core.values import Event
from tesoura.outputs.hub import Audience, Hub
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.store import Store

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Frame:
    """An overlay as a page first shows it: its version and what each piece says, by the piece's id."""

    overlay_id: int
    name: str
    rev: int
    seq: int
    overlay: Overlay
    values: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Trouble:
    """A piece on air that cannot say what it should, why, and whether viewers see nothing of it."""

    overlay_id: int
    overlay: str
    piece: str
    why: str
    hidden: bool


@dataclass(frozen=True, slots=True)
class Sight:
    """What a piece would say now, and with its reserve of digits used up."""

    shown: Shown
    grown: str
    longest: str = ""
    empty: str = ""


class Airing:
    """The bridge between the store's published overlays, the engine's texts and the hub's pages."""

    def __init__(self, store: Store, engine: Engine, hub: Hub) -> None:
        self._store, self._texts, self._hub = store, engine.texts, hub
        self._on_air: dict[int, OnAir] = {}
        self.moments = Moments()

    async def start(self) -> None:
        """Put everything on air that was."""

        def load(session: object) -> list[OnAir]:
            return [stored.on_air(session, row) for row in stored.all_overlays(session)]  # type: ignore[arg-type]

        for on_air in await asyncio.to_thread(self._store.read, load):
            self._put(on_air)

    def put(self, on_air: OnAir) -> None:
        """Put this version of an overlay on air, unless a later one already is."""
        present = self._on_air.get(on_air.overlay_id)
        if present is None or present.rev <= on_air.rev:
            self._put(on_air)

    def take_off(self, overlay_id: int) -> None:
        """An overlay was removed."""
        on_air = self._on_air.get(overlay_id)
        self.moments.forget([f"{overlay_id}/{piece.id}" for piece in on_air.overlay.pieces] if on_air else ())
        self._hide(overlay_id)
        self._hub.take_off(overlay_id)

    def _put(self, on_air: OnAir) -> None:
        self._hide(on_air.overlay_id)
        self._on_air[on_air.overlay_id] = on_air
        values = {
            piece.id: ""
            if piece.appears == "moment"
            else self._texts.show(f"{on_air.overlay_id}/{piece.id}", piece.compiled()).text
            for piece in on_air.overlay.pieces
        }
        self.moments.forget(
            [f"{on_air.overlay_id}/{piece.id}" for piece in on_air.overlay.pieces if piece.appears != "moment"]
        )
        for moment in self.moments.showing():
            if (piece_id := moment.key.removeprefix(f"{on_air.overlay_id}/")) in values:
                values[piece_id] = moment.text
        self._hub.put_on_air(on_air.overlay_id, on_air.token, on_air.rev, values)

    def _hide(self, overlay_id: int) -> None:
        before = self._on_air.pop(overlay_id, None)
        for piece in before.overlay.pieces if before else ():
            self._texts.hide(f"{overlay_id}/{piece.id}")

    def tell(self, texts: Mapping[str, Shown]) -> None:
        """Tell the pages of texts that changed; keys are `overlay/piece`."""
        by_overlay: dict[int, dict[str, str]] = {}
        for key, shown in texts.items():
            overlay, _, piece_id = key.partition("/")
            if not overlay.isdecimal():
                continue
            by_overlay.setdefault(int(overlay), {})[piece_id] = shown.text
        for overlay_id, values in by_overlay.items():
            self._hub.change(overlay_id, values)

    def happened(self, event: Event, seq: int, feed: str) -> int:
        """Let the pieces that show events of this type wait for their turn with it; how many do."""
        count = 0
        for on_air in self._on_air.values():
            for piece in on_air.overlay.pieces:
                if piece.appears != "moment" or piece.moment_type != event.type:
                    continue
                values = {f"{feed}.{snake(key)}": scalar for key, scalar in scalars(event.data)}
                text = self._texts.of_event(piece.compiled(), feed, values).text
                key = f"{on_air.overlay_id}/{piece.id}"
                if text and self.moments.add(key, text, piece.moment_s, seq, event.type):
                    count += 1
                elif text:
                    log.warning("Too many moments wait for %s; one of event %d was dropped", piece.name, seq)
        return count

    def step(self, now: datetime) -> bool:
        """Begin and end the moments whose time it is; whether any did."""
        changed = False
        for key, moment in list(self.moments.step(now)):
            overlay, _, piece_id = key.partition("/")
            changed = True
            if moment is None:
                self._hub.change(int(overlay), {piece_id: ""})
            else:
                self._hub.moment(int(overlay), piece_id, moment.text, moment.for_s)
        return changed

    def placed(self, key: str) -> tuple[str, str]:
        """The names of the overlay and the piece behind a key."""
        overlay, _, piece_id = key.partition("/")
        on_air = self._on_air.get(int(overlay))
        piece = on_air.overlay.piece(piece_id) if on_air else None
        return (on_air.name if on_air else "?", piece.name if piece else "?")

    def frame(self, token: str) -> Frame | None:
        """The present frame of the overlay behind a link."""
        channel = self._hub.channel(token)
        if channel is None:
            return None
        on_air = self._on_air[channel.overlay_id]
        return Frame(channel.overlay_id, on_air.name, channel.rev, channel.seq, on_air.overlay, dict(channel.values))

    def sights(self, pieces: tuple[TextPiece, ...]) -> dict[str, Sight]:
        """What these pieces would say now, whether they are on air or not."""
        seen = {}
        for piece in pieces:
            say = piece.compiled()
            shown = self._texts.preview(say)
            grown = self._texts.preview(say, piece.grow_digits)
            seen[piece.id] = Sight(shown, grown.text, self._texts.longest(say).text, self._texts.empty(say).text)
        return seen

    def audiences(self) -> dict[int, Audience]:
        """Who shows each overlay."""
        return {overlay_id: self._hub.audience(overlay_id) for overlay_id in self._on_air}

    def troubles(self) -> list[Trouble]:
        """The pieces on air that show their "nothing yet" text, and why."""
        found = []
        for on_air in self._on_air.values():
            for piece in on_air.overlay.pieces:
                shown = self._texts.shown(f"{on_air.overlay_id}/{piece.id}")
                if shown and (shown.problem or shown.missing):
                    why = shown.problem or f"{shown.missing} has not come yet."
                    found.append(Trouble(on_air.overlay_id, on_air.name, piece.name, why, not shown.text))
        return found
