"""How values, instants and trails are shown on the pages."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import UTC, datetime, tzinfo
from typing import Any

from flask import Flask
from markupsafe import Markup

from tesoura.core.forms.covering import keys_in
from tesoura.core.forms.fields import Field
from tesoura.core.forms.meanwhile import marks_of
from tesoura.core.instants import DAMAGED
from tesoura.core.language.numbers import clock, formatter, plain
from tesoura.core.language.plurals import unit_for
from tesoura.core.names import snake
from tesoura.core.values import INSTANT, Scalar
from tesoura.web.shared.doors import now, runtime

NO_TIME = "invalid time"
TRAIL_WIDTH, TRAIL_HEIGHT, TRAIL_SPAN_S = 160.0, 32.0, 600.0


def zone() -> tzinfo:
    """The user's zone."""
    return runtime().preferences.zone


def clock_time(instant: datetime | None, seconds: bool = True) -> str:
    """The time of day in the user's zone; with the date when it is another day than today."""
    if instant is None or instant == DAMAGED:
        return "—" if instant is None else NO_TIME
    local, today = instant.astimezone(zone()), now().astimezone(zone()).date()
    text = local.strftime("%H:%M:%S" if seconds else "%H:%M")
    return text if local.date() == today else f"{local:%d %b} {text}"


def time_of_day(instant: datetime) -> str:
    """The bare time of day in the user's zone, with seconds."""
    return NO_TIME if instant == DAMAGED else instant.astimezone(zone()).strftime("%H:%M:%S")


def at_time(told: str) -> str:
    """The time of day of an instant that is told as text."""
    return time_of_day(datetime.fromisoformat(told))


def age(instant: datetime | None) -> str:
    """How long ago, in one unit: `3 s ago`, `12 min ago`, `5 h ago`, `2 days ago`."""
    if instant is None:
        return "never"
    seconds = max((now() - instant).total_seconds(), 0)
    for limit, size, unit in ((1, 1, None), (90, 1, "s"), (5_400, 60, "min"), (129_600, 3_600, "h")):
        if seconds < limit:
            return "now" if unit is None else f"{seconds / size:.0f} {unit} ago"
    return f"{seconds / 86_400:.0f} days ago"


def day_time(instant: datetime | None) -> str:
    """The day and the time of day, with the year when it is another one: `Thu 26 Nov 19:02`."""
    if instant is None or instant == DAMAGED:
        return "—" if instant is None else NO_TIME
    local = instant.astimezone(zone())
    year = "" if local.year == now().astimezone(zone()).year else f" {local.year}"
    return f"{local:%a} {local.day} {local:%b}{year} {local:%H:%M}"


def how_long(seconds: float) -> str:
    """A length as hours, minutes and seconds."""
    return clock(seconds)


def in_time(instant: datetime | None) -> str:
    """How long until then: `in 8 s`, or `now`."""
    if instant is None:
        return ""
    seconds = (instant - now()).total_seconds()
    return f"in {seconds:.0f} s" if seconds >= 1 else "now"


def value(shown: Scalar | None) -> str:
    """A signal's value in the user's locale; a dash for none."""
    if shown is None:
        return "—"
    style = runtime().preferences.style()
    if isinstance(shown, int | float) and not isinstance(shown, bool):
        return formatter(",")(shown, style)
    return plain(shown, style)


def told(shown: Scalar | None, unit: str) -> str:
    """A signal's value as its unit wants it: an instant as day and time, anything else as a value."""
    if unit == INSTANT and isinstance(shown, int | float) and 0 < shown < 3e10:
        return clock_time(datetime.fromtimestamp(shown, UTC))
    return value(shown)


def plain_choice(value: object) -> Any:
    """A choice as its field shows it."""
    if isinstance(value, list):
        return value
    return f"{value:g}" if isinstance(value, float) else str(value)


def is_private(field: Field, value: object) -> bool:
    """Whether what stands in a field is nobody else's business: it is covered until its owner steps into the field."""
    return isinstance(value, str) and value != "" and (field.private or bool(keys_in(value)))


def trail_path(points: tuple[tuple[float, float], ...], until: datetime) -> Markup:
    """An SVG path of the last ten minutes, oldest left; the scale runs from the least to the greatest value."""
    since = until.timestamp() - TRAIL_SPAN_S
    recent = [(at, value) for at, value in points if at >= since]
    if not recent:
        return Markup("")
    low, high = min(v for _, v in recent), max(v for _, v in recent)
    inner = TRAIL_HEIGHT - 6

    def place(at: float, number: float) -> str:
        x = (at - since) / TRAIL_SPAN_S * TRAIL_WIDTH
        y = TRAIL_HEIGHT / 2 if high == low else 3 + inner * (1 - (number - low) / (high - low))
        return f"{x:.1f} {y:.1f}"

    last = recent[-1][1]
    path = "M" + "L".join(place(at, number) for at, number in [*recent, (until.timestamp(), last)])
    return Markup(path)  # noqa: S704 - digits only


_ACTORS = {
    "key": "a program, key “{}”",
    "feed": "the feed {}",
    "page": "a page of viewers ({})",
    "instrument": "the instrument {}",
    "desk": "the desk at {}",
    "device": "{}",
}
_ALONE = {"desk": "the desk", "effect": "a cue"}


def actor_words(actor: str) -> str:
    """Who did something, in words."""
    kind, _, name = actor.partition(":")
    if actor in _ALONE:
        return _ALONE[actor]
    return _ACTORS[kind].format(name) if name and kind in _ACTORS else actor


def few_changed(fields: Iterable[tuple[str, Field]], typed: Mapping[str, Any]) -> int:
    """How many of these fields differ from their default."""
    return sum(str(typed.get(name, field.default)) != str(field.default) for name, field in fields)


def add_filters(app: Flask) -> None:
    """Make these known to the templates."""
    app.jinja_env.filters.update(day_time=day_time, how_long=how_long, told=told, actor_words=actor_words)
    app.jinja_env.filters.update(
        clock_time=clock_time, time_of_day=time_of_day, age=age, in_time=in_time, value=value, marks_of=marks_of
    )
    app.jinja_env.filters.update(at_time=at_time, snake=lambda words: snake(str(words), "feed"), unit_for=unit_for)
    app.jinja_env.globals.update(trail_path=trail_path, is_private=is_private, few_changed=few_changed)
