"""Clips: asked of their sources, cut, put on the shelf, told of; those sent in; reels; and the room that they take."""

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

from tesoura.clips.workers import LONG_S, NICE, ClipWorker
from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.effects import Effect
from tesoura.core.instruments.replay.state import CLIP_CAME, TROUBLE
from tesoura.core.replays.occasions import MICRO
from tesoura.core.values import Event
from tesoura.errors import FileRefused, Gone, SourceUnavailable, TesouraError
from tesoura.feeds.api import FoundClip
from tesoura.store import clips as stored
from tesoura.store import state
from tesoura.store.clips import ShelfBounds
from tesoura.store.tables import ClipRow

if TYPE_CHECKING:
    from tesoura.runtime.facade import Runtime

T = TypeVar("T")
log = logging.getLogger(__name__)
MARGIN = 300_000
"""So much more than is wished for is asked for at the end: a picture is shown until the next one comes. µs."""
STEADY_S, STEADY_TRIES = 0.15, 60
"""A file is whole when it has not grown for so long; it is waited for at most so often."""
FREE_BYTES = 500_000_000
"""With less free on the disk no clip is kept."""
DEFAULT_GB, DEFAULT_DAYS = 10, 30
TOLD_FROM = 0.8
"""From this share of the room on it is told that the oldest will go."""
LOOK_EVERY_S = 3_600
FIGURES = ("match_kills", "match_deaths", "match_streak", "session_kills", "session_deaths", "session_best_multi")
"""The statistics that are kept with a clip, where there are any."""
LET_GO, NEARLY_FULL, REEL_MADE = "tesoura.clips_let_go", "tesoura.clips_nearly_full", "tesoura.reel"


@dataclass(frozen=True, slots=True)
class ClipProof:
    """What a source has shown that it can do: a clip of so many seconds came so long after it was asked for."""

    seconds: float
    took_s: float
    words: str
    at: datetime

    def sentence(self) -> str:
        """It, in a sentence."""
        return f"A clip of {self.seconds:.0f} s came {self.took_s:.1f} s after it was asked for: {self.words}."


@dataclass(slots=True)
class ClipJob:
    """Something that takes long: what it is, how much of it is done, and why it failed, if it did."""

    id: str
    words: str
    share: float = 0.0
    failed: str = ""
    task: asyncio.Task[Any] | None = None


@dataclass(frozen=True, slots=True)
class JobState:
    """A job, as its page shows it."""

    id: str
    words: str
    share: float
    failed: str


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
        self._quick, self._long = ClipWorker(), ClipWorker(LONG_S, NICE)
        self.proofs: dict[str, ClipProof] = {}
        """What each source has shown last."""
        self._jobs: dict[str, ClipJob] = {}
        self._nearly_told = False
        self._looking: asyncio.Task[Any] | None = None

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
        if any(one.setup.kind == "replay" for one in self._runtime.instruments.all()):
            self._start(self._quick.warm(), "Making ready for clips")
        self._looking = self._start(self._look(), "Looking after the room that clips take")

    async def _look(self) -> None:
        while True:
            await self.make_room()
            await asyncio.sleep(LOOK_EVERY_S)

    async def stop(self) -> None:
        """End what runs."""
        if self._looking is not None:
            self._looking.cancel()
        for job in self._jobs.values():
            if job.task is not None:
                job.task.cancel()
        await self._quick.stop()
        await self._long.stop()

    # Asked for

    async def fetch(self, effect: Effect, seq: int) -> str:
        """Have a clip that an instrument wishes for; what became of it is in the log before this ends."""
        told = effect.data
        name, of = str(told["instrument"]), str(told["of"])
        kills = tuple(int(one) for one in told["kills"])
        wanted = Bringing(
            str(told["caption"]) or "A replay", int(told["from"]), int(told["until"]),
            kills[-1] if kills else int(told["until"]), kills, tuple((b, e) for b, e in told["parts"]), name,
            effect.target, seq, self._figures(str(told["counted_by"])),
        )  # fmt: skip
        try:
            row = await self._from_source(wanted)
        except TesouraError as error:
            await self._tell(name, of, seq, {"failed": str(error)})
            raise
        except (OSError, KeyError, ValueError) as error:
            log.error("A clip could not be had", exc_info=error)
            await self._tell(name, of, seq, {"failed": f"the clip could not be kept ({error})"})
            raise SourceUnavailable(f"The clip could not be kept ({error}).") from error
        await self._tell(name, of, seq, {
            "clip": row.id, "file": row.file, "length": row.length, "shows_from": row.shows_from,
            "width_px": row.width_px, "height_px": row.height_px,
        })  # fmt: skip
        return self.proofs[effect.target].sentence() if effect.target in self.proofs else "it is on the shelf"

    async def take(self, source: str, seconds: float) -> ClipRow:
        """Have the last seconds of a source on the shelf. Raises SourceError, FileRefused, and Gone."""
        now = micros(self._runtime.settings.clock())
        return await self._from_source(
            Bringing("The last seconds", now - round(seconds * MICRO), now, now, source=source, cause=None)
        )

    async def _from_source(self, wanted: Bringing) -> ClipRow:
        link, choices = self._runtime.links.link(wanted.source), self._runtime.links.choices(wanted.source)
        if choices is None:
            raise Gone(f"There is no source of clips {wanted.source[:60]}. Choose where the picture comes from.")
        if link is None or not hasattr(link, "clip"):
            raise SourceUnavailable("The source of the picture is away, so there is no clip of it.")
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
        await asyncio.to_thread(_room_for, self._runtime.store.folder)
        job = {**given, "folder": str(self.folder)}
        taken = await self._quick.run("take", job)
        if "file" not in taken:
            words = f"“{words}” is made anew: {taken['anew']}"
            taken = await self._long_job(words, lambda tell: self._long.run("take", {**job, "may_encode": True}, tell))
        return taken

    async def _keep(self, wanted: Bringing, taken: Mapping[str, Any], ends: int | None) -> ClipRow:
        """Write down what is known of a clip whose file is on the shelf. `ends` is when the whole file's game ended."""
        runtime = self._runtime
        shows_from = ends - taken["whole"] + taken["begin"] - taken["offset"] if ends is not None else 0
        length = taken["length"]
        cut = [(max(b - shows_from, 0), min(e - shows_from, length)) for b, e in wanted.parts]
        parts = [[b, e] for b, e in cut if e > b] or [[taken["offset"], length]]
        row = ClipRow(
            file=taken["file"], type=taken["type"], title=wanted.title[:200], instrument=wanted.instrument,
            source=wanted.source, cause=wanted.cause, at=instant(wanted.at), made_at=runtime.settings.clock(),
            session_at=runtime.session_started_at, length=length, shows_from=shows_from,
            kills=[at - shows_from for at in wanted.kills if 0 <= at - shows_from <= length], parts=parts,
            width_px=taken["width_px"], height_px=taken["height_px"], size=taken["size"], codec=taken["codec"],
            sound=taken["sound"], still=taken["still"], figures=dict(wanted.figures),
        )  # fmt: skip
        kept = await self._write(lambda session: stored.add(session, ClipRow(**row.model_dump())))
        self._start(self._strip(kept), "Drawing a filmstrip")
        self._start(self.make_room(), "Making room for clips")
        runtime.touched("clips")
        return kept

    async def _strip(self, row: ClipRow) -> None:
        try:
            made = await self._quick.run("strip", {"folder": str(self.folder), "file": row.file, "begin": 0,
                                                   "end": row.length})  # fmt: skip
        except TesouraError as error:
            log.info("A filmstrip could not be drawn: %s", error)
            return
        await self.change(row.id or 0, strip=made["strip"])

    async def change(self, clip_id: int, **what: Any) -> ClipRow:
        """Change what is known of a clip; it, as it was. Raises Gone."""

        def job(session: Any) -> ClipRow:
            row = stored.get(session, clip_id)
            if row is None:
                raise Gone("There is no such clip any more.")
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
        event = Event(f"clip:{instrument}:{of}", "tesoura", CLIP_CAME, self._runtime.settings.clock(), told, instrument,
                      cause, "effect")  # fmt: skip
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
        return await self._keep(Bringing(title or "A clip that was sent in", 0, 0, at), taken, ends)

    # What takes long

    def jobs(self) -> list[JobState]:
        """What is being made, and what failed."""
        return [JobState(one.id, one.words, one.share, one.failed) for one in self._jobs.values()]

    async def _long_job(self, words: str, run: Callable[[Callable[[float], None]], Coroutine[Any, Any, Any]]) -> Any:
        job = ClipJob(uuid.uuid4().hex[:8], words)
        self._jobs[job.id] = job
        self._runtime.touched("clip-jobs")

        def tell(share: float) -> None:
            job.share = share
            self._runtime.touched("clip-jobs")

        job.task = asyncio.ensure_future(run(tell))
        try:
            done = await job.task
        except asyncio.CancelledError:
            self._jobs.pop(job.id, None)
            own = asyncio.current_task()
            if own is not None and own.cancelling():
                raise
            raise FileRefused("It was stopped.") from None
        except TesouraError as error:
            job.failed = str(error)
            raise
        else:
            self._jobs.pop(job.id, None)
            return done
        finally:
            self._runtime.touched("clip-jobs")

    def stop_job(self, job_id: str) -> str:
        """Stop something that takes long, or forget that it failed; what it was. Raises Gone."""
        job = self._jobs.get(job_id)
        if job is None:
            raise Gone("It is done already.")
        if job.failed or job.task is None:
            del self._jobs[job_id]
        else:
            job.task.cancel()
        self._runtime.touched("clip-jobs")
        return job.words

    def make_reel(self, rows: Sequence[ClipRow], title: str, under: str, size: tuple[int, int]) -> None:
        """Make one file of these clips, in this order, beside everything else."""
        clips = [
            {"file": row.file, "begin": begin, "end": end, "caption": row.title if at == 0 else ""}
            for row in rows for at, (begin, end) in enumerate(shown_parts(row))
        ]  # fmt: skip
        plan = {"clips": clips, "title": title, "under": under, "width_px": size[0], "height_px": size[1]}
        self._start(self._reel(title, plan, len(rows)), "Making a reel")

    async def _reel(self, title: str, plan: Mapping[str, Any], clips: int) -> None:
        job = {"folder": str(self.folder), "plan": plan}
        try:
            made = await self._long_job(f"The reel “{title}”", lambda tell: self._long.run("reel", job, tell))
        except TesouraError as error:
            log.info("A reel was not made: %s", error)
            return
        still = ""
        with contextlib.suppress(TesouraError):
            drawn = await self._quick.run("still", {"folder": str(self.folder), "file": made["file"], "at": MICRO})
            still = drawn["still"]
        now = self._runtime.settings.clock()
        row = ClipRow(
            kind=stored.REEL, file=made["file"], type="video/webm", title=title, at=now, made_at=now,
            session_at=self._runtime.session_started_at, length=made["length"], kills=[],
            parts=[[0, made["length"]]], width_px=plan["width_px"], height_px=plan["height_px"], size=made["size"],
            codec="vp9", sound="opus", still=still, figures={"clips": clips}, starred=True,
        )  # fmt: skip
        kept = await self._write(lambda session: stored.add(session, row))
        self._start(self.make_room(), "Making room for clips")
        told = {"clip": kept.id, "title": title, "clips": clips, "seconds": round(made["length"] / MICRO, 1)}
        await self._runtime.journal.log([Event(uuid.uuid4().hex, "tesoura", REEL_MADE, now, told)])
        self._runtime.touched("clips")

    # The room

    async def bounds(self) -> ShelfBounds:
        """The room that clips may take, and for how long they are kept."""

        def ask(session: Any) -> tuple[str | None, str | None]:
            return state.choice(session, "clips_gb"), state.choice(session, "clips_days")

        gigabytes, days = await asyncio.to_thread(self._runtime.store.read, ask)
        kept = int(days if days not in (None, "") else DEFAULT_DAYS)
        return ShelfBounds(round(float(gigabytes or DEFAULT_GB) * 1e9), kept)

    async def make_room(self) -> int:
        """Let go of what goes beyond the bounds; how many went. That, and that they soon will, is told."""
        bounds, now = await self.bounds(), self._runtime.settings.clock()
        gone = await self._write(lambda session: stored.make_room(session, bounds, now))

        def remove() -> None:
            for name in gone.files:
                (self.folder / name).unlink(missing_ok=True)

        await asyncio.to_thread(remove)
        events = []
        if gone.titles:
            told: dict[str, Any] = {"clips": len(gone.titles), "titles": ", ".join(gone.titles[:5])}
            events.append(Event(uuid.uuid4().hex, "tesoura", LET_GO, now, told))
        nearly = gone.size >= TOLD_FROM * bounds.most
        if nearly and not self._nearly_told:
            told = {"taken_gb": round(gone.size / 1e9, 2), "of_gb": round(bounds.most / 1e9, 2)}
            events.append(Event(uuid.uuid4().hex, "tesoura", NEARLY_FULL, now, told))
        self._nearly_told = nearly
        if events:
            await self._runtime.journal.log(events)
            self._runtime.touched("clips")
        return len(gone.titles)

    async def trouble(self, overlay: str, of: str, why: str) -> None:
        """A viewers' page cannot show something: it is told."""
        told = {"overlay": overlay, "of": of, "why": why}
        event = Event(f"trouble:{overlay}:{of}:{why}"[:200], "tesoura", TROUBLE, self._runtime.settings.clock(), told)
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
            raise SourceUnavailable(f"There is no {found.path.name}, though it is told to be there.") from None
        if size == last:
            return
        last = size
        await asyncio.sleep(STEADY_S)
    raise SourceUnavailable(f"{found.path.name} goes on growing, so it is not touched.")


def _room_for(folder: Path) -> None:
    import shutil

    free = shutil.disk_usage(folder).free
    if free < FREE_BYTES:
        raise FileRefused(f"The disk has only {free / 1e6:,.0f} MB left, so no clip is kept. Make room first.")
