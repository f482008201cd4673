"""Sponsors' reports: what each campaign was promised and had in a stream session, to print and to be checked."""

from __future__ import annotations

import json
from datetime import datetime, timedelta
from typing import Any

from flask import Blueprint, Response, abort, render_template, request
from flask.typing import ResponseReturnValue
from sqlmodel import Session

from tesoura.core.computed.occurrence import micros
from tesoura.core.sponsors.report import ReportSpan
from tesoura.store import computed, exports, reports, state
from tesoura.store import log as event_log
from tesoura.web.reports.stills import stills
from tesoura.web.reports.views import session_of
from tesoura.web.shared.doors import now, runtime, store
from tesoura.web.shared.shown import day_time

blueprint = Blueprint("sponsor_reports", __name__, url_prefix="/reports")
TOLD_BY = timedelta(seconds=16)
"""What was painted longer ago is told by now: pages tell every ten seconds, and that is gathered for five. Nothing is
said of gaps before that."""
MOST_SESSIONS, LISTED = 50, 12
COLUMNS = (
    "campaign",
    "sponsor",
    "seen_s",
    "sent_s",
    "appearances",
    "viewer_minutes",
    "promised_minutes",
    "promised_appearances",
    "promised_reads",
    "reads",
    "links",
    "kept",
)


def _span(session_id: int) -> ReportSpan:
    """The time of a session.

    It lasts until the next one begins; what was promised for an hour was for the hours that were streamed.
    """
    one = session_of(session_id)
    last = store().read(lambda session: event_log.last_time(session, one.started_at, one.ended_at))
    end = now() if one.ended_at is None else last or one.started_at
    return ReportSpan(micros(one.started_at), micros(end), day_time(one.started_at))


def _also() -> list[int]:
    return [int(one) for one in request.args.getlist("also") if one.isdecimal()][:MOST_SESSIONS]


def _report(session_id: int) -> dict[str, Any]:
    """The report of a session and others that are asked for, of the campaigns that are asked for, or of all."""
    wanted = [name for name in request.args.getlist("campaign") if name]
    spans = sorted((_span(one) for one in {session_id, *_also()}), key=lambda one: one.begin)
    scene = runtime().call(lambda self: self.preferences.scene_signal)

    def made(session: Session) -> dict[str, Any]:
        there = reports.campaigns(session)
        of = [each for each in there if not wanted or each.name in wanted]
        if wanted and not of:
            abort(404)
        turning = reports.rotations(session)
        counted = [
            str(row.choices.get("viewers") or "") for row in computed.all_computed(session) if row.kind == "rotation"
        ]
        return reports.made(session, spans, of, turning, next((each for each in counted if each), ""), scene)

    return store().read(made)


@blueprint.get("/<int:session_id>/sponsors")
def sponsors(session_id: int) -> ResponseReturnValue:
    """What each campaign had."""
    told, settled = _report(session_id), now() - TOLD_BY
    for one in told["campaigns"]:
        one["gaps"] = [gap for gap in one["gaps"] if datetime.fromisoformat(gap["begin"]) < settled]
    names = [one["name"] for one in told["campaigns"]]
    spans = [
        (micros(datetime.fromisoformat(begin)), micros(datetime.fromisoformat(end))) for begin, end, _ in told["spans"]
    ]
    looked = store().read(lambda session: stills(session, told["of"]["rotations"], names, spans))
    return render_template(
        "reports/sponsors.html",
        report=told,
        drawn=_drawn(told),
        looked=looked,
        session_id=session_id,
        wanted=request.args.getlist("campaign"),
        also=_also(),
        sessions=store().read(state.all_sessions)[:LISTED],
    )


def _drawn(told: dict[str, Any]) -> list[list[tuple[float, float]]]:
    """Of each campaign when it was seen: where that begins and how wide it is, in thousandths of the session."""
    begin, end = (datetime.fromisoformat(told[one]) for one in ("begin", "end"))
    long = max((end - begin).total_seconds(), 1.0)
    return [
        [
            (
                round((datetime.fromisoformat(at) - begin).total_seconds() / long * 1000, 2),
                round(max(seconds / long * 1000, 1.0), 2),
            )
            for at, seconds in one["appeared"]
        ]
        for one in told["campaigns"]
    ]


@blueprint.get("/<int:session_id>/sponsors.json")
def sponsors_json(session_id: int) -> ResponseReturnValue:
    """The report, signed."""
    signed = reports.signed(_report(session_id), store().secrets, now())
    headers = {"Content-Disposition": f'attachment; filename="sponsors-{session_id}.json"'}
    return Response(json.dumps(signed, ensure_ascii=False, indent=1), mimetype="application/json", headers=headers)


@blueprint.get("/<int:session_id>/sponsors.csv")
def sponsors_csv(session_id: int) -> ResponseReturnValue:
    """The report's figures, as a table."""
    lines = [exports.table_line(COLUMNS)]
    for one in _report(session_id)["campaigns"]:
        promised = one["promised"]
        row = (
            one["title"],
            one["sponsor"],
            one["seen_s"],
            one["sent_s"],
            one["appearances"],
            one["viewer_minutes"],
            promised["minutes"],
            promised["appearances"],
            promised["reads"],
            one["reads_counted"],
            len(one["links"]),
            "yes" if promised["kept"] else "no",
        )
        lines.append(exports.table_line(["" if each is None else str(each) for each in row]))
    headers = {"Content-Disposition": f'attachment; filename="sponsors-{session_id}.csv"'}
    return Response("".join(lines), mimetype="text/csv", headers=headers)
