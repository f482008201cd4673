"""What is on air: each overlay's published pieces, what they say kept up to date, their pages told."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import datetime

from tesoura.core.names import snake
from tesoura.core.overlays.document import Overlay, Piece
from tesoura.core.overlays.pieces.kind import THERE, ChartLine, Latest
from tesoura.core.signals.changes import Changes
from tesoura.core.signals.engine import Engine
from tesoura.core.signals.texts import Say, Shown
from tesoura.core.values import Event, Json, Scalar, scalars
from tesoura.errors import NewerDocument
from tesoura.outputs.broadcaster import Audience, Broadcaster
from tesoura.runtime.curtain import Curtain, PlacedPiece
from tesoura.runtime.moments import MomentsOnAir
from tesoura.store import log as event_log
from tesoura.store import overlays as stored
from tesoura.store.overlays import OnAir
from tesoura.store.store import Store
from tesoura.studio.drawings import Drawings, Recent

log = logging.getLogger(__name__)
SCENE = "@scene"
"""The key under which pages are told which scene it is."""
OLD = "@old"
"""The part of a piece that tells pages to mark it, because a value of it is old."""


@dataclass(frozen=True, slots=True)
class Frame:
    """An overlay as a page first shows it: its version and what each piece says, by `piece` or `piece.part`."""

    overlay_id: int
    name: str
    rev: int
    seq: int
    overlay: Overlay
    values: Mapping[str, Json]


@dataclass(frozen=True, slots=True)
class Trouble:
    """A piece on air that cannot say what it should, why, and whether viewers see nothing of it."""

    overlay_id: int
    overlay: str
    piece: str
    why: str
    hidden: bool


@dataclass(frozen=True, slots=True)
class FrozenPiece:
    """A piece on air that keeps saying what it last said, because the feed of it is down; and since when."""

    overlay_id: int
    piece: str
    since: datetime
    feed: str


class Stage:
    """The bridge between the store's published overlays, the engine's texts and the hub's pages."""

    def __init__(self, store: Store, engine: Engine, hub: Broadcaster, clock: Callable[[], datetime]) -> None:
        self._store, self._texts, self._hub, self._engine = store, engine.texts, hub, engine
        self._on_air: dict[int, OnAir] = {}
        self._placed: dict[str, PlacedPiece] = {}
        self._for_type: dict[str, list[PlacedPiece]] = {}
        self._shows: dict[str, set[int]] = {}
        self._removals: dict[int, int] = {}
        self._clock = clock
        self.curtain = Curtain(hub, self._placed, self.placed)
        self.told = MomentsOnAir(hub, clock, self.placed)
        self.moments = self.told.line
        self.drawings = Drawings(engine, clock)
        self.scene = ""

    async def start(self, scene: str) -> None:
        """Put everything on air that was."""
        self.scene = scene

        def load(session: object) -> list[OnAir]:
            found = []
            for row in stored.all_overlays(session):  # type: ignore[arg-type]
                try:
                    found.append(stored.on_air(session, row))  # type: ignore[arg-type]
                except NewerDocument as error:
                    log.warning("%s is not on air: %s", row.name, error)
            return found

        for on_air in await asyncio.to_thread(self._store.read, load):
            await self.put(on_air)

    async def put(self, on_air: OnAir) -> None:
        """Put this version of an overlay on air, unless a later one already is."""
        removals = self._removals.get(on_air.overlay_id, 0)
        recent = await self.recent(on_air.overlay)
        present = self._on_air.get(on_air.overlay_id)
        # Meanwhile a later version may have been put on air, or the overlay put away.
        if (present is None or present.rev <= on_air.rev) and removals == self._removals.get(on_air.overlay_id, 0):
            self._put(on_air, recent)

    async def recent(self, overlay: Overlay) -> Recent:
        """The latest events of each type that an overlay lists, the newest first."""
        wanted = {
            part.type: part.rows
            for piece in overlay.pieces
            for part in piece.parts().values()
            if isinstance(part, Latest)
        }

        def read(session: object) -> Recent:
            return {
                kind: event_log.recent_data(session, [kind], rows)  # type: ignore[arg-type]
                for kind, rows in wanted.items()
            }

        return await asyncio.to_thread(self._store.read, read) if wanted else {}

    async def list_again(self, kind: str) -> None:
        """What was logged of a type of event reads otherwise now: overlays that list it do so again."""
        for on_air in list(self._on_air.values()):
            parts = [part for piece in on_air.overlay.pieces for part in piece.parts().values()]
            if any(isinstance(part, Latest) and part.type == kind for part in parts):
                self._put(on_air, await self.recent(on_air.overlay))
                self._hub.change(on_air.overlay_id, dict(self._hub.values_of(on_air.overlay_id)))

    def take_off(self, overlay_id: int, why: str = "") -> None:
        """An overlay was deleted; its pages are told why they show nothing."""
        on_air = self._on_air.get(overlay_id)
        self.moments.forget([f"{overlay_id}/{piece.id}" for piece in on_air.overlay.pieces] if on_air else ())
        self._removals[overlay_id] = self._removals.get(overlay_id, 0) + 1
        self._hide(overlay_id)
        self._index()
        self._hub.take_off(overlay_id, why)

    def replace_link(self, overlay_id: int, token: str, why: str) -> None:
        """An overlay has another link; pages of the old one stop and say why."""
        if on_air := self._on_air.get(overlay_id):
            self._on_air[overlay_id] = replace(on_air, token=token)
        self._hub.replace_link(overlay_id, token, why)

    def _put(self, on_air: OnAir, recent: Recent) -> None:
        self._hide(on_air.overlay_id)
        self._on_air[on_air.overlay_id] = on_air
        values = {SCENE: self.scene}
        for piece in _seen(on_air.overlay):
            parts = piece.parts()
            placed = PlacedPiece(on_air.overlay_id, piece, parts, hides=not piece.is_moment and "" not in parts)
            self._placed[placed.key] = placed
            values |= self._show(placed, recent)
        self._index()
        self.moments.forget(
            [f"{on_air.overlay_id}/{piece.id}" for piece in on_air.overlay.pieces if not piece.is_moment]
        )
        for moment in self.moments.showing():
            if (piece_id := moment.key.removeprefix(f"{on_air.overlay_id}/")) in values:
                values[piece_id] = moment.text
        self.curtain.forget(on_air.overlay_id)
        told = self.curtain.told(on_air.overlay_id, values)
        self._hub.put_on_air(on_air.overlay_id, on_air.token, on_air.rev, told)

    def _index(self) -> None:
        """Which pieces appear for a type of event, and which overlays show an instrument."""
        self._for_type, self._shows = {}, {}
        for placed in self._placed.values():
            if placed.piece.is_moment:
                self._for_type.setdefault(placed.piece.moment_type, []).append(placed)
            for name in placed.instruments:
                self._shows.setdefault(name, set()).add(placed.overlay_id)

    def _show(self, placed: PlacedPiece, recent: Recent) -> dict[str, str]:
        piece, values = placed.piece, {}
        for name, part in placed.parts.items():
            own = f"{piece.id}.{name}" if name else piece.id
            place = f"{placed.overlay_id}/{own}"
            if isinstance(part, ChartLine):
                values[own] = self.drawings.show_chart(place, part)
            elif isinstance(part, Latest):
                cells = self.drawings.show_list(place, part, recent.get(part.type, []))
                values |= {f"{own}_{cell}": text for cell, text in cells.items()}
            elif name or not piece.is_moment:
                values[own] = self._texts.show(place, part).text
        if piece.is_moment:
            values[piece.id] = ""
        elif piece.id not in values:
            values[piece.id] = self._presence(placed)
        if old := self._old(placed):
            values[f"{piece.id}.{OLD}"] = old
        return values

    def _old(self, placed: PlacedPiece) -> str:
        """Whether a piece is marked, because one of its texts has an old value."""
        keys = (f"{placed.key}.{name}" if name else placed.key for name in placed.parts)
        return THERE if any((shown := self._texts.shown(key)) is not None and shown.old for key in keys) else ""

    def _presence(self, placed: PlacedPiece) -> str:
        """Whether a piece without a text of its own is there.

        It hides when one of its values is as stale as that, and before any of its values has come.
        """
        parts = placed.parts.values()
        waiting = any(isinstance(part, Say) and part.wording.names for part in parts)
        for name, part in placed.parts.items():
            if not isinstance(part, Say):
                waiting = False
            elif part.wording.names:
                shown = self._texts.shown(f"{placed.key}.{name}")
                if (
                    shown
                    and shown.problem
                    and not shown.text
                    and "hide" in (part.when_late, part.when_down, part.when_old)
                ):
                    return ""
                waiting = waiting and shown is not None and shown.missing is not None and not shown.text
        return "" if waiting else THERE

    def _hide(self, overlay_id: int) -> None:
        self._on_air.pop(overlay_id, None)
        self.drawings.hide(f"{overlay_id}/")
        for placed in [one for one in self._placed.values() if one.overlay_id == overlay_id]:
            del self._placed[placed.key]
            for name in placed.parts:
                self._texts.hide(f"{placed.key}.{name}" if name else placed.key)

    def tell(self, texts: Mapping[str, Shown]) -> None:
        """Tell the pages of texts that changed; keys are `overlay/piece` or `overlay/piece.part`."""
        by_overlay: dict[int, dict[str, str]] = {}
        changed: dict[str, PlacedPiece] = {}
        for key, shown in texts.items():
            overlay, _, own = key.partition("/")
            if not overlay.isdecimal():
                continue
            by_overlay.setdefault(int(overlay), {})[own] = shown.text
            piece_id, _, part = own.partition(".")
            placed = self._placed.get(f"{overlay}/{piece_id}")
            if placed is None:
                continue
            mark = f"{piece_id}.{OLD}"
            if shown.old or self._hub.said(int(overlay), mark):
                by_overlay[int(overlay)][mark] = self._old(placed)
            if part and placed.hides:
                changed[placed.key] = placed
        for placed in changed.values():
            by_overlay[placed.overlay_id][placed.piece.id] = self._presence(placed)
        for overlay_id, values in by_overlay.items():
            self.curtain.change(overlay_id, values)

    def value_of(self, name: str) -> Scalar | None:
        """The present value of a signal."""
        return self._engine.values.get(name)

    def set_scene(self, scene: str) -> None:
        """The scene has changed: all pages are told."""
        if scene != self.scene:
            self.scene = scene
            for overlay_id in self._on_air:
                self._hub.change(overlay_id, {SCENE: scene})

    def happened(self, event: Event, seq: int, present: bool) -> None:
        """An event came: the lists that show it have it; while it is still of the present, its moments wait for it."""
        for key, cells in self.drawings.happened(event):
            overlay, _, own = key.partition("/")
            self.curtain.change(int(overlay), {f"{own}_{cell}": text for cell, text in cells.items()})
        if present:
            self.await_moments(event, seq)

    def await_moments(self, event: Event, seq: int) -> int:
        """Let the pieces that show events of this type wait for their turn with it; how many do."""
        waiting = self._for_type.get(event.type)
        feed = self._engine.event_feed(event.type) if waiting else None
        if not waiting or not feed:
            return 0
        count, values = 0, {f"{feed}.{snake(key)}": scalar for key, scalar in scalars(event.data)}
        for placed in waiting:
            said = placed.parts.get("")
            text = self._texts.of_event(said, feed, values).text if isinstance(said, Say) else THERE
            piece = placed.piece
            # What an instrument tells is its present state: an earlier one would only be shown twice.
            alone = piece.kind_of.moment_type is not None
            if text and self.told.add(placed.key, text, piece["moment_s"], seq, event.type, alone):
                count += 1
        return count

    def sound(self, instrument: str, sound: str) -> None:
        """Let a sound be heard on every overlay that shows this instrument."""
        for overlay_id in self._shows.get(instrument, ()):
            self._hub.sound(overlay_id, source_of(sound))

    def pages_showing(self, instrument: str) -> int:
        """How many viewers' pages have a piece of this instrument that neither a scene nor anybody hides."""
        there = {
            placed.overlay_id
            for placed in self._placed.values()
            if instrument in placed.instruments
            and placed.piece.shown_in(self.scene)
            and not self.curtain.is_away(placed)
        }
        return sum(self._hub.audience(overlay_id).pages for overlay_id in there)

    def moment_pieces(self) -> list[str]:
        """The text pieces on air that show moments: their overlays' names and their own."""
        return [
            " / ".join(self.placed(key))
            for key, one in self._placed.items()
            if one.piece.is_moment and one.piece.kind == "text"
        ]

    def moment_on(self, piece: str, words: str, for_s: float, seq: int) -> bool:
        """Let words wait for their turn on a piece of this name; whether one is on air and has room for them."""
        keys = [key for key in self.curtain.keys_of(piece) if self._placed[key].piece.is_moment]
        added = [self.told.add(key, words, for_s, seq, "cue") for key in keys if words]
        return any(added)

    def sound_on(self, overlay: str, sound: str) -> bool:
        """Let a sound be heard on the overlay of this name; whether one is on air."""
        found = [one for one in self._on_air.values() if one.name.casefold() == overlay.strip().casefold()]
        for one in found:
            self._hub.sound(one.overlay_id, source_of(sound))
        return bool(found)

    def show(self, changes: Changes, now: datetime) -> bool:
        """Show what changed, and begin and end what is due; whether any moment did."""
        if changes.texts:
            self.tell(changes.texts)
        if changes.signals:
            self.drawings.touched(changes.signals, now)
        return self.step(now)

    def step(self, now: datetime) -> bool:
        """Begin and end the moments whose time it is, and draw what is due; whether any moment did."""
        changed = False
        # While the air is cleared, moments wait: none is lost, and none passes unseen.
        for key, moment in [] if self.curtain.cleared else list(self.moments.step(now)):
            overlay, _, piece_id = key.partition("/")
            changed = True
            if moment is None:
                self._hub.change(int(overlay), {piece_id: ""})
            else:
                self.told.begin(moment)
        for key, path in self.drawings.step(now):
            overlay, _, own = key.partition("/")
            self.curtain.change(int(overlay), {own: path})
        return changed

    def end_moments(self, now: datetime) -> None:
        """End the moments whose time is over."""
        for key in self.moments.end(now):
            overlay, _, piece_id = key.partition("/")
            self.curtain.change(int(overlay), {piece_id: ""})

    def next_change(self) -> datetime | None:
        """When a moment begins or ends, or a chart moves on, by itself."""
        due = (None if self.curtain.cleared else self.moments.next_change(), self.drawings.next_change())
        return min((at for at in due if at is not None), default=None)

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

    def on_air(self) -> list[OnAir]:
        """The overlays that are on air."""
        return list(self._on_air.values())

    def sights(self) -> Iterator[tuple[str, str, str, bool]]:
        """The pieces on air: the names of overlay and piece, its kind, and whether pages show it."""
        for placed in self._placed.values():
            overlay, piece = placed.overlay_id, placed.piece
            there = piece.shown_in(self.scene) and not self.curtain.is_away(placed)
            yield self._on_air[overlay].name, piece.name, piece.kind, there and self._hub.said(overlay, piece.id) != ""

    def audiences(self) -> dict[int, Audience]:
        """Who shows each overlay."""
        return {overlay_id: self._hub.audience(overlay_id) for overlay_id in self._on_air}

    def shown_by(self) -> dict[str, int]:
        """By how many viewers' pages each overlay on air is shown, by its name."""
        return {one.name: self._hub.audience(overlay_id).pages for overlay_id, one in self._on_air.items()}

    def troubles(self) -> list[Trouble]:
        """The pieces on air that show their "nothing yet" text, and why."""
        found: dict[str, Trouble] = {}
        for placed in self._placed.values():
            for name in placed.parts:
                shown = self._texts.shown(f"{placed.key}.{name}" if name else placed.key)
                if placed.key not in found and shown and shown.why:
                    why = shown.problem or f"{shown.missing} has no value yet."
                    overlay = self._on_air[placed.overlay_id].name
                    hidden = self._hub.said(placed.overlay_id, placed.piece.id) == ""
                    found[placed.key] = Trouble(placed.overlay_id, overlay, placed.piece.name, why, hidden)
        return list(found.values())

    def frozen(self) -> list[FrozenPiece]:
        """The pieces on air that keep a value whose feed is down."""
        found: dict[str, FrozenPiece] = {}
        for placed in self._placed.values():
            says = (part for part in placed.parts.values() if isinstance(part, Say) and part.when_down in _KEPT)
            for name in (name for part in says for name in part.wording.names if self._texts.is_down(name)):
                signal = self._engine.signal(name, self._clock())
                if signal is not None and signal.observed_at is not None and placed.key not in found:
                    feed = name.partition(".")[0]
                    found[placed.key] = FrozenPiece(placed.overlay_id, placed.piece.name, signal.observed_at, feed)
        return list(found.values())


_KEPT = ("keep", "with_age")


def _seen(overlay: Overlay) -> list[Piece]:
    """The pieces that are not hidden in the draft that was put on air."""
    return [piece for piece in overlay.pieces if piece["hidden"] != "yes"]


def source_of(sound: str) -> str:
    """Where a page finds a sound: one that was added, or one that ships."""
    return f"/media/{sound}" if "." in sound else f"/static/sounds/{sound}.wav"
