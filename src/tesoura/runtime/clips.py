"""Clips: asked of their sources, cut, put on the shelf, told of; those sent in; and reels."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import uuid
from collections.abc import Callable, Coroutine, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from tesoura.clips.workers import LONG_S, NICE, QUICK_S, ClipWorker
from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.effects import Effect
from tesoura.core.overlays.moments import TROUBLE
from tesoura.core.replays.occasions import CLIP_CAME, MICRO
from tesoura.core.values import Event
from tesoura.errors import FileRefused, Gone, SourceUnavailable, TesouraError
from tesoura.feeds.api import FoundClip
from tesoura.runtime.clip_jobs import ClipJobs
from tesoura.runtime.clip_room import ClipRoom, room_for
from tesoura.store import clips as stored
from tesoura.store.tables import ClipRow

if TYPE_CHECKING:
    from tesoura.runtime.facade import Runtime

T = TypeVar("T")
log = logging.getLogger(__name__)
MARGIN = 300_000
"""So much more than is wished for is asked for at the end: a picture is shown until the next one comes. µs."""
STEADY_S, STEADY_TRIES = 0.15, 60
"""A file is whole when it has not grown for so long; it is waited for at most so often."""
FIGURES = ("match_kills", "match_deaths", "match_streak", "session_kills", "session_deaths", "session_best_multi")
"""The statistics that are kept with a clip, where there are any."""
REEL_MADE = "tesoura.reel"


@dataclass(frozen=True, slots=True)
class ClipProof:
    """What a source has shown that it can do: a clip of so many seconds came so long after it was asked for."""

    seconds: float
    took_s: float
    words: str
    at: datetime

    def sentence(self) -> str:
        """It, in a sentence."""
        return f"A clip of {self.seconds:.0f} s arrived {self.took_s:.1f} s after the request: {self.words}."


@dataclass(frozen=True, slots=True)
class Bringing:
    """What is brought to the shelf: of which moment, which seconds of it, for whom. Instants in µs since 1970."""

    title: str
    begin: int
    end: int
    at: int
    kills: tuple[int, ...] = ()
    parts: tuple[tuple[int, int], ...] = ()
    instrument: str = ""
    source: str = ""
    cause: int | None = None
    figures: Mapping[str, Any] = field(default_factory=dict)


class Clips:
    """The way to clips."""

    def __init__(self, runtime: Runtime, start: Callable[[Coroutine[Any, Any, Any], str], asyncio.Task[Any]]) -> None:
        self._runtime, self._start = runtime, start
        self.folder: Path = runtime.store.folder / stored.FOLDER
        self._quick, self._long, self._aside = ClipWorker(), ClipWorker(LONG_S, NICE), ClipWorker(QUICK_S, NICE)
        self.proofs: dict[str, ClipProof] = {}
        """What each source has shown last."""
        self.jobs = ClipJobs(runtime.touched)
        self.room = ClipRoom(runtime, self.folder)

    # Life

    def sweep(self) -> None:
        """Take away what was half written, and what no clip needs because the last run ended before it was kept."""
        if not self.folder.is_dir():
            return
        needed = self._runtime.store.read(stored.needed)
        for one in self.folder.iterdir():
            orphan = one.name not in needed and stored.path_of(self._runtime.store.folder, one.name) is not None
            if orphan or one.name.startswith("."):
                with contextlib.suppress(OSError):
                    one.unlink()

    async def begin(self) -> None:
        """Have the process ready where there are replays, and begin to look after the room that clips take."""
        if any(one.kind == "replay" for one in self._runtime.instruments.setups()):
            self._start(self._quick.warm(), "Making ready for clips")
        self.room.begin(self._start)
        # The last run may have ended before it had drawn them.
        for row in await asyncio.to_thread(self._runtime.store.read, stored.without_pictures):
            self._start(self._pictures(row), "Drawing pictures of a clip")

    async def stop(self) -> None:
        """End what runs."""
        self.room.stop()
        self.jobs.stop_all()
        for worker in (self._quick, self._long, self._aside):
            await worker.stop()

    # Asked for

    async def fetch(self, effect: Effect, seq: int) -> str:
        """Have a clip that an instrument wishes for; what became of it is in the log before this ends."""
        told = effect.data
        name, of = str(told["instrument"]), str(told["of"])
        kills = tuple(int(one) for one in told["kills"])
        wanted = Bringing(
            str(told["caption"]) or "A replay",
            int(told["from"]),
            int(told["until"]),
            kills[-1] if kills else int(told["until"]),
            kills,
            tuple((b, e) for b, e in told["parts"]),
            name,
            effect.target,
            seq,
            self._figures(str(told["counted_by"])),
        )
        try:
            row = await self._from_source(wanted)
        except TesouraError as error:
            await self._tell(name, of, seq, {"failed": str(error)})
            raise
        except (OSError, KeyError, ValueError) as error:
            log.error("A clip couldn't be fetched", exc_info=error)
            await self._tell(name, of, seq, {"failed": f"the clip couldn't be saved ({error})"})
            raise SourceUnavailable(f"The clip couldn't be saved ({error}).") from error
        await self._tell(
            name,
            of,
            seq,
            {
                "clip": row.id,
                "file": row.file,
                "length": row.length,
                "shows_from": row.shows_from,
                "width_px": row.width_px,
                "height_px": row.height_px,
            },
        )
        return self.proofs[effect.target].sentence() if effect.target in self.proofs else "it was saved"

    async def take(self, source: str, seconds: float) -> ClipRow:
        """Have the last seconds of a source on the shelf. Raises SourceError, FileRefused, and Gone."""
        now = micros(self._runtime.settings.clock())
        return await self._from_source(
            Bringing("Last seconds", now - round(seconds * MICRO), now, now, source=source, cause=None)
        )

    async def _from_source(self, wanted: Bringing) -> ClipRow:
        link, choices = self._runtime.links.link(wanted.source), self._runtime.links.choices(wanted.source)
        if choices is None:
            raise Gone(f"There is no video source {wanted.source[:60]}. Choose a video source.")
        if link is None or not hasattr(link, "clip"):
            raise SourceUnavailable("The video source is disconnected, so there is no clip.")
        late = int(choices.get("late_ms") or 0) * 1_000
        clock = self._runtime.settings.clock
        asked = max(micros(clock()), wanted.end + late + MARGIN)
        while True:
            found: FoundClip = await link.clip(instant(wanted.begin + late), instant(wanted.end + late + MARGIN))
            await _steady(found)
            ends = micros(found.ends_at)
            from_end = [ends - wanted.begin - late, ends - wanted.end - late]
            given = {"path": str(found.path), "tail_bytes": found.tail_bytes, "from_end": from_end}
            try:
                taken = await self._taken(given, wanted.title)
                break
            except FileRefused:
                if not hasattr(link, "pass_over"):
                    raise
                link.pass_over(found)
        row = await self._keep(wanted, taken, ends - late)
        took_s = (micros(clock()) - asked) / MICRO
        self.proofs[wanted.source] = ClipProof((taken["end"] - taken["begin"]) / MICRO, took_s, taken["words"], clock())
        self._runtime.touched("feeds")
        return row

    async def _taken(self, given: Mapping[str, Any], words: str) -> Mapping[str, Any]:
        """A part of a file, on the shelf; made anew beside everything else where no browser would play it."""
        await asyncio.to_thread(room_for, self._runtime.store.folder)
        job = {**given, "folder": str(self.folder)}
        taken = await self._quick.run("take", job)
        if "file" not in taken:
            words = f"“{words}” is being converted: {taken['anew']}"
            taken = await self.jobs.run(words, lambda tell: self._long.run("take", {**job, "may_encode": True}, tell))
        return taken

    async def _keep(self, wanted: Bringing, taken: Mapping[str, Any], ends: int | None) -> ClipRow:
        """Write down what is known of a clip whose file is on the shelf. `ends` is when the whole file's game ended."""
        runtime = self._runtime
        shows_from = ends - taken["whole"] + taken["begin"] - taken["offset"] if ends is not None else 0
        length = taken["length"]
        cut = [(max(b - shows_from, 0), min(e - shows_from, length)) for b, e in wanted.parts]
        parts = [[b, e] for b, e in cut if e > b] or [[taken["offset"], length]]
        row = ClipRow(
            file=taken["file"],
            type=taken["type"],
            title=wanted.title[:200],
            instrument=wanted.instrument,
            source=wanted.source,
            cause=wanted.cause,
            at=instant(wanted.at),
            made_at=runtime.settings.clock(),
            session_at=runtime.session_started_at,
            length=length,
            shows_from=shows_from,
            kills=[at - shows_from for at in wanted.kills if 0 <= at - shows_from <= length],
            parts=parts,
            width_px=taken["width_px"],
            height_px=taken["height_px"],
            size=taken["size"],
            codec=taken["codec"],
            sound=taken["sound"],
            figures=dict(wanted.figures),
        )
        kept = await self._write(lambda session: stored.add(session, ClipRow(**row.model_dump())))
        self._start(self._pictures(kept), "Drawing pictures of a clip")
        self._start(self.room.make(), "Making room for clips")
        runtime.touched("clips")
        return kept

    async def _pictures(self, row: ClipRow) -> None:
        """Its still and its filmstrip, drawn beside all else: nobody waits for them."""
        begin = row.parts[0][0] if row.parts else 0
        try:
            given = {"folder": str(self.folder), "file": row.file, "at": begin, "begin": 0, "end": row.length}
            made = await self._aside.run("pictures", given)
            await self.change(row.id or 0, still=made["still"], strip=made["strip"])
        except (TesouraError, OSError) as error:
            log.info("Frames of a clip couldn't be drawn: %s", error)

    async def change(self, clip_id: int, **what: Any) -> ClipRow:
        """Change what is known of a clip; it, as it was. Raises Gone."""

        def job(session: Any) -> ClipRow:
            row = stored.get(session, clip_id)
            if row is None:
                raise Gone("This clip no longer exists.")
            before = ClipRow(**row.model_dump())
            for name, value in what.items():
                setattr(row, name, value)
            session.add(row)
            return before

        before = await self._write(job)
        self._runtime.touched("clips")
        return before

    async def _tell(self, instrument: str, of: str, cause: int, data: Mapping[str, Any]) -> None:
        told = {"instrument": instrument, "of": of, **data}
        event = Event(
            f"clip:{instrument}:{of}",
            "tesoura",
            CLIP_CAME,
            self._runtime.settings.clock(),
            told,
            instrument,
            cause,
            "effect",
        )
        await self._runtime.journal.log([event])

    def _figures(self, name: str) -> dict[str, Any]:
        values = self._runtime.engine.values
        return {one: values[f"{name}.{one}"] for one in FIGURES if f"{name}.{one}" in values} if name else {}

    async def _write(self, job: Callable[[Any], T]) -> T:
        return await asyncio.wrap_future(self._runtime.store.writer.submit(job))

    # Sent in

    async def sent(self, path: Path, title: str, ends_at: datetime | None) -> ClipRow:
        """Put a file that was sent in on the shelf. Raises FileRefused."""
        now = self._runtime.settings.clock()
        taken = await self._taken({"path": str(path)}, title)
        ends = micros(ends_at) if ends_at is not None else None
        at = micros(ends_at or now)
        return await self._keep(Bringing(title or "Uploaded clip", 0, 0, at), taken, ends)

    # Reels

    def make_reel(self, rows: Sequence[ClipRow], title: str, under: str, size: tuple[int, int]) -> None:
        """Make one file of these clips, in this order, beside everything else."""
        clips = [
            {"file": row.file, "begin": begin, "end": end, "caption": row.title if at == 0 else ""}
            for row in rows
            for at, (begin, end) in enumerate(shown_parts(row))
        ]
        plan = {"clips": clips, "title": title, "under": under, "width_px": size[0], "height_px": size[1]}
        self._start(self._reel(title, plan, len(rows)), "Making a reel")

    async def _reel(self, title: str, plan: Mapping[str, Any], clips: int) -> None:
        job = {"folder": str(self.folder), "plan": plan}
        try:
            made = await self.jobs.run(f"The reel “{title}”", lambda tell: self._long.run("reel", job, tell))
        except TesouraError as error:
            log.info("A reel was not made: %s", error)
            return
        still = ""
        with contextlib.suppress(TesouraError):
            drawn = await self._aside.run("still", {"folder": str(self.folder), "file": made["file"], "at": MICRO})
            still = drawn["still"]
        now = self._runtime.settings.clock()
        row = ClipRow(
            kind=stored.REEL,
            file=made["file"],
            type="video/webm",
            title=title,
            at=now,
            made_at=now,
            session_at=self._runtime.session_started_at,
            length=made["length"],
            kills=[],
            parts=[[0, made["length"]]],
            width_px=plan["width_px"],
            height_px=plan["height_px"],
            size=made["size"],
            codec="vp9",
            sound="opus",
            still=still,
            figures={"clips": clips},
            starred=True,
        )
        kept = await self._write(lambda session: stored.add(session, row))
        self._start(self.room.make(), "Making room for clips")
        told = {"clip": kept.id, "title": title, "clips": clips, "seconds": round(made["length"] / MICRO, 1)}
        await self._runtime.journal.log([Event(uuid.uuid4().hex, "tesoura", REEL_MADE, now, told)])
        self._runtime.touched("clips")

    async def trouble(self, overlay: str, of: str, why: str) -> None:
        """A viewers' page cannot show something: it is told."""
        told = {"overlay": overlay, "of": of, "why": why}
        now = self._runtime.settings.clock()
        # Many pages tell of the same at once; the same may be so again another time.
        event = Event(f"trouble:{now:%Y%m%d%H%M}:{overlay}:{of}:{why}"[:200], "tesoura", TROUBLE, now, told)
        await self._runtime.journal.log([event])


def shown_parts(row: ClipRow) -> list[tuple[int, int]]:
    """Which parts of a clip are shown: those that were cut by the rule, within what the user trimmed it to; µs."""
    begin, end = row.trim_begin, row.trim_end
    if begin is None and end is None:
        return [(b, e) for b, e in row.parts]
    low, high = begin or 0, end if end is not None else row.length
    found = [(max(b, low), min(e, high)) for b, e in row.parts if min(e, high) > max(b, low)]
    # Somebody who drags an end beyond what the rule had cut wants to see what is there.
    if not found:
        return [(low, high)]
    found[0] = (low, found[0][1])
    found[-1] = (found[-1][0], high)
    return found


async def _steady(found: FoundClip) -> None:
    """Wait until a file does not grow any more. Raises SourceUnavailable."""
    if found.tail_bytes or found.whole:
        return
    last = -1
    for _ in range(STEADY_TRIES):
        try:
            size = (await asyncio.to_thread(found.path.stat)).st_size
        except OSError:
            raise SourceUnavailable(f"There is no {found.path.name}, although it was reported.") from None
        if size == last:
            return
        last = size
        await asyncio.sleep(STEADY_S)
    raise SourceUnavailable(f"{found.path.name} is still being written, so it was skipped.")
