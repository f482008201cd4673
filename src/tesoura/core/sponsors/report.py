"""The report of a sponsor's airtime: its figures, the hash chain of the log that they rest on, and what differs."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from tesoura.core.computed.occurrence import Occurrence, instant
from tesoura.core.sponsors.airtime import Span, both, length_of, merged, viewer_time
from tesoura.core.sponsors.evidence import Evidence, ItemAirtime, LoggedFact, joined
from tesoura.core.sponsors.plan import HOUR, MINUTE

KIND, VERSION = "tesoura.sponsor_report", 1
MS = 1_000
"""A report tells instants to the millisecond, so that it can be made again from what it says."""
FIRST = "0" * 64
"""What the chain begins with."""
READ, LINKED, EFFECT_ENDED = "read_ended", "linked", "tesoura.effect_ended"
SHORT = 16
"""So many digits of each event's own hash stand in the report, which name the one that was changed."""


@dataclass(frozen=True, slots=True)
class ReportCampaign:
    """A campaign as a report needs it: its name, title, sponsor, promises, and whether it is a test."""

    name: str
    title: str
    sponsor: str
    an_hour: float = 0.0
    minutes: float = 0.0
    reads: int = 0
    code: str = ""
    test: bool = False


@dataclass(frozen=True, slots=True)
class ReportSpan:
    """Of which time it tells: from an instant to another, µs since 1970, and what that is called."""

    begin: int
    end: int
    words: str = ""


def event_hash(one: Occurrence) -> str:
    """The hash of an event: of its place, type, time and data, written in one way."""
    told = [one.seq, one.type, one.at, one.data]
    return hashlib.sha256(written(told).encode("utf-8", "surrogatepass")).hexdigest()


def chained(before: str, own: str) -> str:
    """The next link of the chain."""
    return hashlib.sha256(f"{before}{own}".encode()).hexdigest()


def written(told: Any) -> str:
    """JSON that is the same for the same content: keys in order, nothing between."""
    return json.dumps(told, sort_keys=True, ensure_ascii=False, separators=(",", ":"), default=str)


def types_of(campaigns: Sequence[ReportCampaign], rotations: Sequence[str]) -> list[str]:
    """The types of the events that a report rests on."""
    own = [f"{one.name}.{what}" for one in campaigns for what in (READ, LINKED)]
    return [*Evidence(rotations, [one.name for one in campaigns]).types, *own, EFFECT_ENDED]


def report(
    events: Iterable[Occurrence],
    spans: Sequence[ReportSpan],
    campaigns: Sequence[ReportCampaign],
    rotations: Sequence[str],
    viewers: Sequence[tuple[int, float]] = (),
    scenes: Sequence[tuple[int, str]] = (),
) -> dict[str, Any]:
    """The report over one span of time or several, in order, without its signature.

    `events` are those of the types of `types_of`, in the order in which they were, from the beginning of the first span
    on; `viewers` and `scenes` tell how many watched and which scene there was, each from its instant on.
    """
    spans = [ReportSpan(one.begin // MS * MS, one.end // MS * MS, one.words) for one in spans]
    evidence = Evidence(rotations, [one.name for one in campaigns])
    named = {one.name: one for one in campaigns}
    reads: dict[str, list[dict[str, Any]]] = {}
    links: dict[str, dict[int, str]] = {}
    chain, rests, last = FIRST, list[list[Any]](), 0
    for one in events:
        linked, _, at = str(one.data.get("of") or "").partition(f".{LINKED}:")
        if one.type == EFFECT_ENDED and linked not in named:
            continue
        own = event_hash(one)
        chain, last = chained(chain, own), one.seq
        rests.append([one.seq, own[:SHORT]])
        evidence.take(LoggedFact(one.at, one.type, one.data))
        if one.type == EFFECT_ENDED and one.data.get("outcome") != "done":
            # Chat was not told.
            links.get(linked, {}).pop(int(at) if at.isdecimal() else 0, None)
        name, _, what = one.type.rpartition(".")
        if name in named and any(span.begin <= one.at < span.end for span in spans):
            if what == READ:
                reads.setdefault(name, []).append(_read(one))
            elif what == LINKED:
                links.setdefault(name, {})[int(str(one.data.get("id") or "").partition(":")[2] or 0)] = _iso(one.at)
    items = _together([one for span in spans for one in evidence.airtime(span.begin, span.end)])
    of = _Promised(len(spans), sum(span.end - span.begin for span in spans) / HOUR)
    return {
        "kind": KIND,
        "version": VERSION,
        "begin": _iso(spans[0].begin),
        "end": _iso(spans[-1].end),
        "words": ", ".join(one.words for one in spans),
        "spans": [[_iso(one.begin), _iso(one.end), one.words] for one in spans],
        "campaigns": [
            _campaign(
                one,
                [each for each in items if each.campaign == one.name],
                reads.get(one.name, []),
                list(links.get(one.name, {}).values()),
                of,
                viewers,
                scenes,
            )
            for one in campaigns
        ],
        "rests_on": {"events": len(rests), "last": last, "chain": chain, "hashes": rests},
        "of": {"rotations": list(rotations), "campaigns": [_known(one) for one in campaigns]},
    }


class _Promised(NamedTuple):
    """For how many sessions and hours something was promised."""

    sessions: int
    hours: float


def _together(items: Sequence[ItemAirtime]) -> list[ItemAirtime]:
    """The airtime of each item in all spans together."""
    found: dict[str, ItemAirtime] = {}
    for one in items:
        had = found.get(one.item)
        found[one.item] = (
            one
            if had is None
            else replace(had, sent=(*had.sent, *one.sent), seen=(*had.seen, *one.seen), gaps=(*had.gaps, *one.gaps))
        )
    return list(found.values())


def _known(one: ReportCampaign) -> dict[str, Any]:
    return {
        "name": one.name,
        "title": one.title,
        "sponsor": one.sponsor,
        "an_hour": one.an_hour,
        "minutes": one.minutes,
        "reads": one.reads,
        "code": one.code,
        "test": one.test,
    }


def _iso(at: int) -> str:
    return instant(at).isoformat(timespec="milliseconds")


def _read(one: Occurrence) -> dict[str, Any]:
    data = one.data
    return {
        "at": _iso(one.at),
        "seconds": data.get("seconds"),
        "said": data.get("said"),
        "points": data.get("points"),
        "ended": data.get("ended"),
        "counts": data.get("ended") == "read" and not data.get("test"),
    }


def _campaign(
    one: ReportCampaign,
    items: Sequence[ItemAirtime],
    reads: Sequence[Mapping[str, Any]],
    links: Sequence[str],
    of: _Promised,
    viewers: Sequence[tuple[int, float]],
    scenes: Sequence[tuple[int, str]],
) -> dict[str, Any]:
    sent = merged(span for each in items for span in each.sent)
    seen = merged(span for each in items for span in each.seen)
    gaps = joined(sorted((gap for each in items for gap in each.gaps), key=lambda gap: (gap.begin, gap.why)))
    counted = [] if one.test else seen
    minutes = viewer_time(counted, viewers)
    counts = sum(bool(each["counts"]) for each in reads)
    minutes_of, often, reads_of = one.minutes * of.sessions, one.an_hour * of.hours, one.reads * of.sessions
    kept = length_of(counted) >= minutes_of * MINUTE and len(counted) >= int(often) and counts >= reads_of
    return {
        **_known(one),
        "seen_s": _s(length_of(counted)),
        "sent_s": _s(length_of(sent)),
        "appearances": len(counted),
        "viewer_minutes": round(minutes, 1) if minutes is not None else None,
        "promised": {"minutes": minutes_of, "appearances": round(often, 1), "reads": reads_of, "kept": kept},
        "reads": list(reads),
        "reads_counted": counts,
        "links": list(links),
        "items": [
            {
                "item": each.item,
                "words": each.words,
                "sent_s": _s(length_of(each.sent)),
                "seen_s": _s(length_of(each.seen)),
                "appearances": len(each.seen),
            }
            for each in items
            if each.sent
        ],
        "by_scene": _by_scene(counted, scenes),
        "appeared": [[_iso(begin), _s(end - begin)] for begin, end in counted],
        "gaps": [{"begin": _iso(gap.begin), "seconds": _s(gap.end - gap.begin), "why": gap.why} for gap in gaps],
    }


def _by_scene(seen: Sequence[Span], scenes: Sequence[tuple[int, str]]) -> dict[str, float]:
    found: dict[str, list[Span]] = {}
    for place, (begin, name) in enumerate(scenes):
        after = scenes[place + 1][0] if place + 1 < len(scenes) else max((one[1] for one in seen), default=begin)
        found.setdefault(name, []).append((begin, after))
    times = {name: length_of(both(seen, merged(spans))) for name, spans in found.items()}
    return {name: _s(time) for name, time in times.items() if time}


def _s(length: int) -> float:
    return round(length / 1e6, 3)


def differences(told: Any, found: Any, where: str = "") -> list[str]:
    """What of a report is not as the log has it, a line each: where, what it says, what it should."""
    if isinstance(told, dict) and isinstance(found, dict):
        names = dict.fromkeys([*told, *found])
        pairs = [(told.get(name), found.get(name), f"{where}.{name}" if where else name) for name in names]
        return [line for one in pairs for line in differences(*one)]
    if isinstance(told, list) and isinstance(found, list):
        if len(told) != len(found):
            return [f"{where}: it has {len(told)}, and the log {len(found)}"]
        lines: list[str] = []
        for at, (one, other) in enumerate(zip(told, found, strict=True), 1):
            lines += differences(one, other, f"{where} {_called(other) or at}")
        return lines
    return [] if told == found else [f"{where}: it says {_short(told)}, and the log {_short(found)}"]


def _called(one: Any) -> str:
    return str(one.get("title") or one.get("item") or "") if isinstance(one, dict) else ""


def _short(one: Any) -> str:
    return written(one)[:60]


def changed_events(told: Sequence[Sequence[Any]], found: Sequence[Sequence[Any]]) -> list[str]:
    """Which events of the log are not those that a report rests on, a line each."""
    before, now = {int(seq): str(own) for seq, own in told}, {int(seq): str(own) for seq, own in found}
    lines = [f"event {seq} was changed" for seq, own in before.items() if seq in now and now[seq] != own]
    lines += [f"event {seq} is gone" for seq in before if seq not in now]
    return lines + [f"event {seq} was not there" for seq in now if seq not in before]
