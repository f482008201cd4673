"""The shelf of clips: found, looked at, trimmed, shown, taken along, sent in; reels; and the room that they take."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import IO, Any

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, send_file, url_for
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.core.computed.occurrence import instant
from tesoura.core.replays.occasions import MICRO
from tesoura.errors import TesouraError
from tesoura.runtime.clip_room import TOLD_FROM
from tesoura.runtime.clips import shown_parts
from tesoura.runtime.facade import Runtime
from tesoura.store import clips as stored
from tesoura.store.clips import AT_ONCE, ClipQuery, Shelf
from tesoura.store.tables import ClipRow
from tesoura.uploads.incoming import written
from tesoura.web.shared.acting import act
from tesoura.web.shared.doors import runtime, store
from tesoura.web.shared.shown import clock_time
from tesoura.web.shared.sized_request import MOST_CLIP_BYTES

blueprint = Blueprint("clips", __name__, url_prefix="/clips")


@dataclass(frozen=True, slots=True)
class ShownClip:
    """A clip as the shelf shows it: what is kept of it, and how often it was shown."""

    row: ClipRow
    shown: int

    @property
    def seconds(self) -> float:
        """How long it is when it is shown at its own speed."""
        return sum(end - begin for begin, end in shown_parts(self.row)) / MICRO


@dataclass(frozen=True, slots=True)
class Room:
    """The room that clips take, and may take: bytes and days."""

    shelf: Shelf
    most: int
    days: int

    @property
    def share(self) -> float:
        """How much of it is taken, 0 to 1."""
        return min(self.shelf.size / self.most, 1.0) if self.most else 1.0

    @property
    def nearly(self) -> bool:
        """Whether the oldest will go soon."""
        return self.share >= TOLD_FROM

    @property
    def starred(self) -> bool:
        """Whether hardly anything of it can go."""
        return self.shelf.starred >= TOLD_FROM * self.most


def _query() -> ClipQuery:
    args = request.args
    session_at = None
    with suppress(ValueError):
        session_at = datetime.fromisoformat(args["session"]) if args.get("session") else None
    skip = int(args["skip"]) if args.get("skip", "").isdecimal() else 0
    return ClipQuery(
        args.get("find", "")[:200],
        args.get("of", "")[:60],
        session_at,
        args.get("starred") == "yes",
        skip=min(skip, 10**6),
    )


def _found(query: ClipQuery) -> Mapping[str, Any]:
    """The clips that are asked for, and what the page says around them."""

    def ask(session: Session) -> tuple[Sequence[ClipRow], int, dict[int, int]]:
        rows = stored.listed(session, query)
        return rows, stored.count(session, query), stored.shown_counts(session, stored.rules(session))

    rows, count, shown = store().read(ask)
    return {
        "clips": [ShownClip(row, shown.get(row.id or 0, 0)) for row in rows],
        "count": count,
        "query": query,
        "more": query.skip + len(rows) < count,
        "at_once": AT_ONCE,
    }


def room() -> Room:
    """The room that clips take now."""
    bounds = runtime().call(lambda self: self.clips.room.bounds())
    return Room(store().read(stored.shelf), bounds.most, bounds.days)


def _replays() -> list[tuple[str, str]]:
    return [
        (one.name, one.title) for one in runtime().call(lambda self: self.instruments.setups()) if one.kind == "replay"
    ]


@dataclass(frozen=True, slots=True)
class SourceState:
    """A source of clips: whether it is open, what it has shown that it can do, and whether replays use it."""

    title: str
    open: bool
    proof: str
    used: bool


@blueprint.app_template_global("clip_source")
def source_of(name: str) -> SourceState | None:
    """A source of clips; None when there is none of that name."""

    def ask(self: Runtime) -> SourceState | None:
        title = dict(self.feeds.titles("clips")).get(name)
        if title is None:
            return None
        proof = self.clips.proofs.get(name)
        used = any(one.choices.get("source") == name for one in self.instruments.setups())
        return SourceState(title, self.links.link(name) is not None, proof.sentence() if proof else "", used)

    return runtime().call(ask)


@blueprint.app_template_filter("dict_of")
def dict_of(pairs: Sequence[tuple[str, str]]) -> dict[str, str]:
    """Pairs, to be looked up."""
    return dict(pairs)


@blueprint.app_template_filter("room_taken")
def room_taken(size: int) -> str:
    """Bytes, in megabytes while they are few."""
    return f"{size / 1e6:.0f} MB" if size < 1e9 else f"{size / 1e9:.1f} GB"


@blueprint.app_template_filter("micros_time")
def micros_time(at: int) -> str:
    """An instant in µs since 1970, as a time of day."""
    return clock_time(instant(at))


@blueprint.get("")
def index() -> ResponseReturnValue:
    """The shelf."""

    def ask(session: Session) -> tuple[list[datetime], list[str]]:
        return stored.sessions(session), stored.rules(session)

    sessions, rules = store().read(ask)
    return render_template(
        "clips/index.html",
        **_found(_query()),
        sessions=sessions,
        rules=rules,
        reels=_reels(),
        room=room(),
        replays=_replays(),
        sources=runtime().call(lambda self: self.feeds.titles("clips")),
        jobs=_jobs(),
    )


@blueprint.get("/rows")
def rows_fragment() -> ResponseReturnValue:
    """The clips that are asked for."""
    return render_template("clips/_rows.html", **_found(_query()), replays=_replays())


def _reels() -> Sequence[ClipRow]:
    return store().read(lambda session: stored.listed(session, ClipQuery(kind=stored.REEL, most=20)))


@blueprint.get("/reels")
def reels_fragment() -> ResponseReturnValue:
    """The reels there are."""
    return render_template("clips/_reels.html", reels=_reels())


@blueprint.get("/room")
def room_fragment() -> ResponseReturnValue:
    """The room that clips take."""
    return render_template("clips/_room.html", room=room())


def _jobs() -> Sequence[Any]:
    return runtime().call(lambda self: self.clips.jobs.all())


@blueprint.get("/jobs")
def jobs_fragment() -> ResponseReturnValue:
    """What is being made."""
    return render_template("clips/_jobs.html", jobs=_jobs())


def _row(clip_id: int) -> ClipRow:
    row = store().read(lambda session: stored.get(session, clip_id))
    if row is None:
        abort(404)
    return row


@blueprint.get("/<int:clip_id>")
def show(clip_id: int) -> ResponseReturnValue:
    """One clip: looked at, trimmed, shown."""
    row = _row(clip_id)
    shown = store().read(lambda session: stored.shown_counts(session, stored.rules(session)))
    feeds = dict(runtime().call(lambda self: self.feeds.titles("clips")))
    choices = runtime().call(lambda self: self.links.choices(row.source)) if row.source in feeds else None
    parts = shown_parts(row)
    return render_template(
        "clips/show.html",
        row=row,
        clip=ShownClip(row, shown.get(row.id or 0, 0)),
        replays=_replays(),
        parts=parts,
        begin=parts[0][0] / MICRO,
        end=parts[-1][1] / MICRO,
        source=feeds.get(row.source),
        late_ms=int(choices.get("late_ms") or 0) if choices else 0,
        shows_from=instant(row.shows_from) if row.shows_from else None,
    )


@blueprint.get("/file/<name>")
def file(name: str) -> ResponseReturnValue:
    """A file of a clip, for the pages that show it. Its name is its fingerprint, so browsers may keep it for good."""
    path = stored.path_of(store().folder, name)
    if path is None:
        abort(404)
    kind = stored.ENDINGS[name.rpartition(".")[2]]
    response: Response = send_file(path, mimetype=kind, conditional=True, max_age=31_536_000)
    response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
    response.headers["Content-Security-Policy"] = "default-src 'none'; sandbox"
    return response


@blueprint.get("/<int:clip_id>/file")
def export(clip_id: int) -> ResponseReturnValue:
    """The file as it is, under the clip's name."""
    row = _row(clip_id)
    path = stored.path_of(store().folder, row.file)
    if path is None:
        abort(404)
    name = "".join(char if char.isalnum() or char in " -_" else " " for char in row.title).strip() or "clip"
    return send_file(
        path, mimetype=row.type, as_attachment=True, download_name=f"{' '.join(name.split())}{path.suffix}"
    )


@blueprint.get("/<int:clip_id>/markers.vtt")
def markers(clip_id: int) -> ResponseReturnValue:
    """What happens when in a clip's file, as WebVTT."""
    row = _row(clip_id)
    lines = ["WEBVTT", ""]
    for number, at in enumerate((one for one in row.kills if one < row.length), 1):
        lines += [str(number), f"{_vtt(at)} --> {_vtt(min(at + MICRO, row.length))}", f"kill {number}", ""]
    answer = Response("\n".join(lines), mimetype="text/vtt")
    answer.headers["Content-Disposition"] = f'attachment; filename="clip-{clip_id}.vtt"'
    return answer


def _vtt(at: int) -> str:
    minutes, rest = divmod(max(at, 0) // 1000, 60_000)
    hours, minutes = divmod(minutes, 60)
    return f"{hours:02}:{minutes:02}:{rest // 1000:02}.{rest % 1000:03}"


# What is done


@blueprint.post("/jobs/<job>/stop")
def stop(job: str) -> ResponseReturnValue:
    """Stop what is being made, or forget that it failed."""
    with suppress(TesouraError):
        act("clip.stop", job=job)
    if request.headers.get("HX-Request"):
        return jobs_fragment()
    return redirect(url_for("clips.index"))


@blueprint.post("/send")
def send() -> ResponseReturnValue:
    """Put a file on the shelf by hand."""
    sent = request.files.get("file")
    if sent is None or not sent.filename:
        flash("Choose a file of video first.", "wrong")
        return redirect(url_for("clips.index"))
    title = request.form.get("title", "").strip() or Path(sent.filename).stem
    try:
        row = keep_sent(sent.stream, title)
        flash(f"{row.title} was saved.", "done")
    except TesouraError as error:
        flash(str(error), "wrong")
    return redirect(url_for("clips.index"))


def keep_sent(stream: IO[bytes], title: str, ends_at: str = "") -> ClipRow:
    """Put what is sent on the shelf. Raises FileRefused, and InvalidField."""
    with written(stream, store().folder / stored.FOLDER, MOST_CLIP_BYTES) as part:
        done = act("clip.add", part=part.name, title=title[:200], ends_at=ends_at)
    return _row(int(done.result["clip"]))
