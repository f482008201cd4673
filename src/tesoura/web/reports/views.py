"""Reports: the stream sessions there were, each with its length, its figures, and what happened when."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from flask import Blueprint, abort, render_template
from flask.typing import ResponseReturnValue

from tesoura.core.cues.happenings import FEED_CHANGED
from tesoura.core.signals.outages import Outage, outages
from tesoura.core.values import Freshness
from tesoura.runtime.session_reports import MARKS
from tesoura.store import log as event_log
from tesoura.store import log_search, state
from tesoura.store.log_search import Search
from tesoura.store.state import StreamSession
from tesoura.store.tables import SessionReportRow
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.shown import zone

blueprint = Blueprint("reports", __name__, url_prefix="/reports")
LISTED = 100
ON_RIBBON = 12
WIDTH, ROW = 800.0, 26.0
MOST_TICKS = 40
NOT_AT_AN_END = frozenset(
    {"leaders", "length", "left_s", "who", "last", "first_at", "latest_at", "largest_at", "fastest_at"}
)


@dataclass(frozen=True, slots=True)
class Summary:
    """One session: how long it went, and how often what happened in it."""

    session: StreamSession
    until: datetime
    present: bool
    counts: dict[str, int]
    kept_from: datetime | None = None
    """From when on its events are still in the log, when the first of them were let go."""

    @property
    def length_s(self) -> float:
        """Its length in seconds: to the last thing that happened in it, or until now for the present one."""
        return max((self.until - self.session.started_at).total_seconds(), 0.0)


def _summary(session: Any, one: StreamSession) -> Summary:
    counts = event_log.counts_since(session, one.started_at, one.ended_at)
    for kind, (count, _) in event_log.past_counts(session, one.id).items():
        counts[kind] = counts.get(kind, 0) + count
    counts = {kind: count for kind, count in counts.items() if not kind.startswith("tesoura.")}
    last = event_log.last_time(session, one.started_at, one.ended_at)
    if kept := session.get(SessionReportRow, one.id):
        last = max(last or kept.until, kept.until)
    present = one.ended_at is None
    until = now() if present else last or one.started_at
    ordered = dict(sorted(counts.items(), key=lambda pair: (-pair[1], pair[0])))
    first = event_log.first_time(session)
    let_go = bool(event_log.past_counts(session, one.id))
    return Summary(one, until, present, ordered, max(first or until, one.started_at) if let_go else None)


@blueprint.get("/")
def index() -> ResponseReturnValue:
    """All stream sessions."""
    summaries = store().read(lambda session: [_summary(session, one) for one in state.all_sessions(session)[:LISTED]])
    return render_template("reports/index.html", summaries=summaries)


def session_of(session_id: int) -> StreamSession:
    """A stream session, or the page that says that there is none."""
    found = next((one for one in store().read(state.all_sessions) if one.id == session_id), None)
    if found is None:
        abort(404)
    return found


@blueprint.get("/<int:session_id>")
def show(session_id: int) -> ResponseReturnValue:
    """One session: its figures, its rankings, its ribbon."""
    one = session_of(session_id)
    summary = store().read(lambda session: _summary(session, one))
    facts = runtime().call(lambda self: self.session_reports.facts(one, summary.until))
    # What was written down a moment ago is in it, too.
    runtime().call(lambda self: self.persistence.save(trails=False))
    records = store().read(lambda session: runtime().session_reports.records(session, one))
    ends = [end_of(found.name, found.values, found.units) for found in facts.figures]
    return render_template(
        "reports/show.html",
        summary=summary,
        ends=ends,
        ribbon=ribbon(summary, facts.marks),
        failed=_failed(summary),
        records=records,
    )


def _failed(summary: Summary) -> list[tuple[Outage, str, str]]:
    """When feeds failed in a session: each time, the feed's title, and what is known where no end of it was told."""
    search = Search(type=FEED_CHANGED, since=summary.session.started_at, until=summary.session.ended_at)
    found = outages(logged.event for logged in store().stream(lambda session: log_search.by_time(session, search)))
    reports = {one.name: one for one in runtime().call(lambda self: self.feeds.reports())}
    last = {one.feed: one for one in found}

    def known(one: Outage) -> str:
        report = reports.get(one.feed)
        down = report is not None and report.state.freshness is Freshness.DOWN
        goes_on = down and summary.present and last[one.feed] is one
        return "still down" if goes_on else "unknown"

    return [(one, reports[one.feed].title if one.feed in reports else one.feed, known(one)) for one in found]


@dataclass(frozen=True, slots=True)
class Ribbon:
    """The picture of what happened when: its rows, its height, and its hours as places and words."""

    rows: Sequence[tuple[str, int, Sequence[tuple[float, int]]]]
    height: float
    ticks: Sequence[tuple[float, str]]


@dataclass(frozen=True, slots=True)
class End:
    """What a window or chain told at a session's end: its name, single figures, and its ranking with shares in %."""

    name: str
    figures: Sequence[tuple[str, Any, str]]
    ranking: Sequence[tuple[str, Any, float]]
    unit: str


def end_of(name: str, told: Mapping[str, Any], of: Mapping[str, str]) -> End:
    """The figures and the ranking among a computation's signals."""
    values = {name.partition(".")[2]: value for name, value in told.items()}
    units = {name.partition(".")[2]: unit for name, unit in of.items()}
    ranking: list[tuple[str, Any, float]] = []
    for place in range(1, 21):
        who, amount = values.get(f"top_{place}_name"), values.get(f"top_{place}_amount")
        if who is None or not isinstance(amount, int | float):
            break
        share = 100 * amount / (ranking[0][1] or 1) if ranking else 100.0
        ranking.append((str(who), amount, max(share, 0.0)))
    figures = [
        (key.replace("_", " "), str(value).replace("\n", ", ") if isinstance(value, str) else value, units[key])
        for key, value in values.items()
        if value is not None and not key.startswith("top_") and key not in NOT_AT_AN_END
    ]
    return End(name, figures, ranking, units.get("top_1_amount", ""))


def ribbon(summary: Summary, marks: Mapping[str, Mapping[int, int]]) -> Ribbon:
    """A row for each type: marks where something happened, each with how often."""
    start, length_s = summary.session.started_at, max(summary.length_s, 1.0)
    rows = [
        (
            kind,
            summary.counts[kind],
            [((at + 0.5) / MARKS * WIDTH, count) for at, count in sorted(marks.get(kind, {}).items())],
        )
        for kind in list(summary.counts)[:ON_RIBBON]
    ]
    return Ribbon(rows, len(rows) * ROW + 24, _ticks(start, length_s))


def _ticks(start: datetime, length_s: float) -> list[tuple[float, str]]:
    step = next((one for one in (60, 300, 600, 1_800, 3_600, 7_200, 14_400) if length_s / one <= 10), 86_400)
    ticks: list[tuple[float, str]] = []
    at = start.replace(second=0, microsecond=0) + timedelta(minutes=1)
    while (gone_s := (at - start).total_seconds()) <= length_s and len(ticks) < MOST_TICKS:
        # By what really went by: an hour that comes twice stands there twice, one that is left out does not.
        here = at.astimezone(zone())
        if (here.hour * 3_600 + here.minute * 60) % step == 0:
            ticks.append((gone_s / length_s * WIDTH, f"{here:%H:%M}"))
        at += timedelta(minutes=1)
    return ticks
