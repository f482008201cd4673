"""What a sponsor's campaign is set up with: who, from when to when, what was promised, what is said of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta, tzinfo
from typing import Any
from urllib.parse import urlsplit

from tesoura.core.forms.checks import line, text
from tesoura.core.forms.fields import Field, number, switch
from tesoura.core.instruments.items import ItemForm
from tesoura.core.overlays.pieces.kind import media
from tesoura.errors import InvalidField

MOST_POINTS, MOST_POINT = 20, 200
_WHO, _PROMISED, _READ, _LINK = "Campaign", "Targets", "Reads", "Link in chat"
DEFAULT_LINE = "{sponsor}: {link}"
PLACES = ("sponsor", "link", "code")


@dataclass(frozen=True, slots=True)
class CampaignPlan:
    """The choices, ready for use. It goes on from the beginning of a day to the end of another, by the user's zone."""

    name: str
    title: str
    sponsor: str
    mark: str
    first_day: date | None
    last_day: date | None
    test: bool
    points: tuple[str, ...]
    card: str
    link: str
    code: str
    chat: str
    line: str
    pause: timedelta
    reads: int
    zone: tzinfo = UTC
    session_began: datetime | None = None

    def state(self, now: datetime) -> str:
        """Whether it goes on: `before`, `on` or `over`."""
        day = now.astimezone(self.zone).date()
        if self.first_day and day < self.first_day:
            return "before"
        return "over" if self.last_day and day > self.last_day else "on"

    def next_turn(self, now: datetime) -> datetime | None:
        """When that changes."""
        turns = []
        if self.first_day:
            turns.append(_midnight(self.first_day, self.zone))
        if self.last_day:
            turns.append(_midnight(self.last_day + timedelta(days=1), self.zone))
        return min((one for one in turns if one > now), default=None)

    def said(self) -> str:
        """What chat is told."""
        told = {"sponsor": self.sponsor, "link": self.link, "code": self.code}
        found = self.line
        for place in PLACES:
            found = found.replace(f"{{{place}}}", told[place])
        return " ".join(found.split())


def _midnight(day: date, zone: tzinfo) -> datetime:
    return datetime(day.year, day.month, day.day, tzinfo=zone).astimezone(UTC)


def _day(raw: object) -> str:
    typed = str(raw).strip()
    if not typed:
        return ""
    try:
        return date.fromisoformat(typed).isoformat()
    except ValueError:
        raise InvalidField(f"“{typed[:20]}” is not a date. Write it as 2026-11-26.") from None


def _link(raw: object) -> str:
    typed = str(raw).strip()
    if not typed:
        return ""
    if len(typed) > 300 or any(one.isspace() for one in typed):
        raise InvalidField("Give one address without spaces, of at most 300 characters.")
    try:
        parts = urlsplit(typed)
        host = parts.hostname
    except ValueError:
        raise InvalidField(f"{typed[:40]} is not an address. Write it as https://example.org/tea.") from None
    if parts.scheme not in ("http", "https"):
        what = (
            f"An address with {parts.scheme[:20]}: can't be used"
            if parts.scheme and not host
            else ("An address starts with https://")
        )
        raise InvalidField(f"{what}. Write it as https://example.org/tea.")
    if not host:
        raise InvalidField("The address has no host. Write it as https://example.org/tea.")
    if parts.username or parts.password:
        raise InvalidField("The address contains a user name or password, which chat would see. Remove it.")
    return typed


def _points(raw: object) -> str:
    given = [" ".join(one.split()) for one in text(6_000, empty=True)(raw).splitlines()]
    points = [one for one in given if one]
    if len(points) > MOST_POINTS:
        raise InvalidField(f"These are {len(points)} points; at most {MOST_POINTS} are read.")
    if long := [one for one in points if len(one) > MOST_POINT]:
        raise InvalidField(f"“{long[0][:30]}…” has {len(long[0])} characters; a point has at most {MOST_POINT}.")
    return "\n".join(points)


def _line(raw: object) -> str:
    typed = text(300, empty=True)(raw)
    rest = typed
    for place in PLACES:
        rest = rest.replace(f"{{{place}}}", "")
    if "{" in rest or "}" in rest:
        raise InvalidField(f"Only {', '.join(f'{{{one}}}' for one in PLACES)} can be used here.")
    return typed


def _names(raw: object) -> str:
    given = raw if isinstance(raw, list) else str(raw).split(",")
    return ", ".join(dict.fromkeys(" ".join(str(one).split())[:60] for one in given if str(one).strip()))


FIELDS: Mapping[str, Field] = {
    "title": Field("Name", line(60), default="Campaign", group=_WHO),
    "sponsor": Field("Sponsor", line(60), placeholder="Cordel Tea", group=_WHO),
    "mark": Field("Mark", media, kind="picture", group=_WHO),
    "first_day": Field("From", _day, placeholder="2026-11-26", group=_WHO, help="From the start of that day."),
    "last_day": Field("To", _day, placeholder="no end", group=_WHO, help="To the end of that day in your time zone."),
    "apart": Field(
        "Never together with",
        _names,
        placeholder="Halfmoon Batteries, Gluepot & Daughters",
        group=_WHO,
        help="Sponsors never shown at the same time.",
    ),
    "test": switch("Test campaign (never counts)", "no", group=_WHO),
    "an_hour": number("Appearances per hour", 0, 120, 0, group=_PROMISED),
    "minutes": number("Minutes per session", 0, 1_440, 0, "min", group=_PROMISED),
    "reads": number("Reads per session", 0, 50, 0, group=_PROMISED),
    "points": Field("Talking points", _points, kind="area", group=_READ, placeholder="one per line"),
    "card": Field("Card text", text(120, empty=True), group=_READ, placeholder="the sponsor's name"),
    "link": Field("Link", _link, placeholder="https://example.org/tea", group=_LINK),
    "code": Field("Code", text(60, empty=True), placeholder="LADDER10", group=_LINK),
    "chat": Field("Chat", text(60, empty=True), kind="feed", of="irc", group=_LINK),
    "line": Field(
        "Message",
        _line,
        kind="wide",
        default=DEFAULT_LINE,
        group=_LINK,
        help="{sponsor}, {link} and {code} are replaced by their values.",
    ),
    "pause_s": number("Chat cooldown", 0, 86_400, 300, "s", group=_LINK),
}
ITEM_FIELDS: Mapping[str, Field] = {
    "words": Field("Name", line(60), placeholder="the teapot"),
    "picture": Field("Picture", media, kind="picture", help="Can be animated."),
    "video": Field("Video", media, kind="video", help="Plays without sound.", advanced=True),
    "text": Field("Text", text(120, empty=True), placeholder="Tea for the top of the ladder"),
    "seconds": number("Duration", 1, 3_600, 9, "s"),
}
ITEMS = ItemForm(
    "item",
    "items",
    ITEM_FIELDS,
    500,
    "What viewers see: a picture, a video or a text, each with its seconds. With none, the sponsor's mark is shown.",
    times="seconds",
)


def check(choices: Mapping[str, Any]) -> dict[str, str]:
    """What is wrong with choices that are right one by one."""
    first, last = choices["first_day"], choices["last_day"]
    if first and last and last < first:
        return {"last_day": f"It would end before it starts on {first}. Give a later day."}
    if "{link}" in choices["line"] and choices["chat"] and not choices["link"]:
        return {"link": "The chat message uses {link}, but no link is set. Add a link, or remove {link}."}
    return {}


def make(
    name: str, choices: Mapping[str, Any], zone: tzinfo = UTC, session_began: datetime | None = None
) -> CampaignPlan:
    """The plan that checked choices come to."""
    first, last = (date.fromisoformat(choices[one]) if choices[one] else None for one in ("first_day", "last_day"))
    return CampaignPlan(
        name,
        choices["title"],
        choices["sponsor"],
        choices["mark"],
        first,
        last,
        choices["test"] == "yes",
        tuple(choices["points"].splitlines()),
        choices["card"].strip() or choices["sponsor"],
        choices["link"],
        choices["code"].strip(),
        choices["chat"],
        choices["line"],
        timedelta(seconds=choices["pause_s"]),
        choices["reads"],
        zone,
        session_began,
    )
