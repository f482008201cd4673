"""Reports of sponsors' airtime out of the log: made, signed with this data folder's own key, and checked again."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

from sqlmodel import Session

from tesoura.core.computed.occurrence import instant, micros
from tesoura.core.signals.assignments import SCENE
from tesoura.core.sponsors import report as core
from tesoura.core.sponsors.report import ReportCampaign, ReportSpan
from tesoura.store import computed, readings, signing
from tesoura.store import log as event_log
from tesoura.store.secrets import Secrets

LEAD_US = 24 * 3_600 * 1_000_000
"""What was shown before the span began, and went on, began at most so long before."""


@dataclass(frozen=True, slots=True)
class ReportCheck:
    """What came of checking a report: lines that say what is wrong; none when report and log agree."""

    wrong: tuple[str, ...] = ()
    notes: tuple[str, ...] = field(default=())


def campaigns(session: Session) -> list[ReportCampaign]:
    """The campaigns there are and were."""
    rows = [*computed.all_computed(session), *computed.removed(session)]
    own: list[tuple[str, Any]] = [(row.name, row.choices) for row in rows if row.kind == "campaign"]
    return [
        ReportCampaign(
            name,
            told["title"],
            told["sponsor"],
            float(told["an_hour"]),
            float(told["minutes"]),
            int(told["reads"]),
            told["code"],
            told["test"] == "yes",
        )
        for name, told in own
    ]


def rotations(session: Session) -> list[str]:
    """The names of the rotations there are and were."""
    rows = [*computed.all_computed(session), *computed.removed(session)]
    return [row.name for row in rows if row.kind == "rotation"]


def made(
    session: Session,
    spans: Sequence[ReportSpan],
    of: Sequence[ReportCampaign],
    turning: Sequence[str],
    viewers: str = "",
    scene: str = "",
    until_seq: int | None = None,
) -> dict[str, Any]:
    """The report of these campaigns over spans of time, in order; `viewers` and `scene` name signals."""
    last = event_log.last_seq(session) if until_seq is None else until_seq
    types = core.types_of(of, turning)
    whole = ReportSpan(spans[0].begin, spans[-1].end)
    since = whole.begin - LEAD_US
    events = [
        one
        for one in event_log.happenings(session, types, None, last, in_order=True)
        if since <= one.at <= whole.end + LEAD_US
    ]
    events.sort(key=lambda one: (one.at, one.seq))
    found = core.report(events, spans, of, turning, _counts(session, viewers, whole), _scenes(session, scene, last))
    found["rests_on"]["last_in_log"] = last
    return {**found, "sources": {"viewers": viewers, "scene": scene}}


def _counts(session: Session, signal: str, span: ReportSpan) -> list[tuple[int, float]]:
    if not signal:
        return []
    kept = readings.between(session, [signal], instant(span.begin - LEAD_US), instant(span.end))
    return [(micros(one.observed_at), float(one.value)) for one in kept if isinstance(one.value, int | float)]


def _scenes(session: Session, signal: str, last: int) -> list[tuple[int, str]]:
    events = event_log.happenings(session, [SCENE], None, last, in_order=True)
    return [(one.at, str(one.data.get("value") or "")) for one in events if not signal or one.data["signal"] == signal]


def signed(report: Mapping[str, Any], secrets: Secrets, at: datetime) -> dict[str, Any]:
    """A report with its signature, and the key to check it with."""
    return signing.signed({**report, "made_at": at.isoformat(timespec="seconds")}, secrets)


def check(session: Session | None, secrets: Secrets | None, told: Mapping[str, Any]) -> ReportCheck:
    """Check a report's signature, and with a data folder whether its log agrees."""
    wrong, notes = list[str](), list[str]()
    changed = signing.changed_parts(told)
    if changed:
        wrong += [f"“{name}” was changed after the report was signed." for name in changed]
    elif changed is None:
        wrong.append("Invalid signature: the report was changed after signing.")
    else:
        notes.append("Valid signature: the report is unchanged.")
    if secrets is not None and changed is not None and signing.public_key(secrets) != signing.signer(told):
        wrong.append("Signed with a different key than this data folder's.")
    if session is not None:
        wrong += _against_log(session, told)
        if not wrong:
            notes.append("All figures match the log.")
    return ReportCheck(tuple(wrong), tuple(notes))


def _against_log(session: Session, told: Mapping[str, Any]) -> list[str]:
    try:
        spans = [
            ReportSpan(micros(datetime.fromisoformat(begin)), micros(datetime.fromisoformat(end)), str(words))
            for begin, end, words in told["spans"]
        ]
        of = [ReportCampaign(**one) for one in told["of"]["campaigns"]]
        turning, rests = [str(one) for one in told["of"]["rotations"]], told["rests_on"]
        sources = told.get("sources") or {}
        found = made(
            session,
            spans,
            of,
            turning,
            str(sources.get("viewers") or ""),
            str(sources.get("scene") or ""),
            int(rests["last_in_log"]),
        )
        lines = core.changed_events(rests["hashes"], found["rests_on"]["hashes"])
    except (KeyError, TypeError, ValueError) as error:
        return [f"Incomplete: {str(error)[:80]} is missing or invalid."]
    if found["rests_on"]["chain"] != rests["chain"] and not lines:
        lines.append("the log's hash chain differs")
    same = ("kind", "version", "begin", "end", "words", "campaigns")
    return [*lines, *core.differences({name: told.get(name) for name in same}, {name: found[name] for name in same})]
