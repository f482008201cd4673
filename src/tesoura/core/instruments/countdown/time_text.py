"""How time left, time gone and the time of day are written."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

SECOND = 1_000_000
TENTH = SECOND // 10
MINUTE, HOUR, DAY = 60 * SECOND, 3_600 * SECOND, 86_400 * SECOND
LAST_MINUTE, LAST_TEN = MINUTE, 10 * SECOND
LEFT = "{left}"
"""Stands in a wording for the time itself."""
DATES = (
    ("none", "no date"),
    ("long", "26 November 2026"),
    ("weekday", "Thursday 26 November"),
    ("short", "26 Nov"),
    ("iso", "2026-11-26"),
)
CLOCKS = (("24s", "19:04:30"), ("24", "19:04"), ("12s", "7:04:30 pm"), ("12", "7:04 pm"), ("none", "no time"))
_MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)
_DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")


@dataclass(frozen=True, slots=True)
class Writing:
    """How a time is written.

    `form` is `colons` (1:05:09) or `letters` (1 h 5 min 9 s). `leading` puts a zero before a single first digit.
    `empty` says which empty units stay: `none`, `minutes` or `all`. Hours appear from `hours_from_min` minutes on, and
    with `days` days from a day on. `tenths` shows them in the last ten seconds. `last_minute` is a
    wording in which `{left}` stands for the time, or nothing for the usual one.
    """

    form: str = "colons"
    leading: bool = True
    empty: str = "minutes"
    hours_from_min: int = 60
    days: bool = True
    tenths: bool = False
    before: str = ""
    after: str = ""
    last_minute: str = ""

    def time(self, us: int) -> str:
        """So many microseconds as a time, cut to what is shown of them: 544 s → `09:04`, `9:04` or `9 min 4 s`."""
        tenths = self.tenths and us < LAST_TEN
        seconds = us // SECOND
        days, hours, minutes = 0, 0, seconds // 60
        if self.days and us >= DAY:
            days, seconds = divmod(seconds, 86_400)
        if days or self.empty == "all" or us >= self.hours_from_min * MINUTE:
            hours, rest = divmod(seconds, 3_600)
            minutes = rest // 60
        units = [days, hours, minutes, seconds % 60]
        first = next((at for at, unit in enumerate(units) if unit), 3)
        first = min(first, {"none": 3, "minutes": 2, "all": 1}[self.empty])
        if self.form == "letters":
            return self._letters(units, first, us // TENTH % 10 if tenths else None)
        return self._colons(units, first, us // TENTH % 10 if tenths else None)

    def _colons(self, units: list[int], first: int, tenth: int | None) -> str:
        shown = [f"{unit:02}" for unit in units[1:]]
        days = ""
        if first == 0:
            days, first = f"{units[0]} d ", 1
        elif not self.leading:
            shown[first - 1] = str(units[first])
        point = "" if tenth is None else f".{tenth}"
        return days + ":".join(shown[first - 1 :]) + point

    def _letters(self, units: list[int], first: int, tenth: int | None) -> str:
        found: list[str] = []
        for at, (unit, letter) in enumerate(zip(units, ("d", "h", "min", "s"), strict=True)):
            last = at == 3
            if at < first or (self.empty == "none" and not unit and not (last and not found)):
                continue
            width = 2 if self.leading and at > 0 else 1
            point = f".{tenth}" if last and tenth is not None else ""
            found.append(f"{unit:0{width}}{point} {letter}")
        return " ".join(found)

    def left(self, us: int) -> str:
        """So many microseconds that are left, as viewers see them: a second that has begun still counts."""
        return self.time(self.shown_us(us))

    def shown_us(self, us: int) -> int:
        """What is left, rounded up to the unit in which it is shown."""
        if self.tenths and us <= LAST_TEN - TENTH:
            return -(-us // TENTH) * TENTH
        return -(-us // SECOND) * SECOND

    def step_us(self, us: int) -> int:
        """How many microseconds before the end the text changes next, when so many are left."""
        shown = self.shown_us(us)
        return shown - (TENTH if self.tenths and shown <= LAST_TEN else SECOND)

    def counting_down(self, us: int) -> str:
        """The whole text while so much is left."""
        left = self.left(us)
        if self.last_minute and us <= LAST_MINUTE:
            return self.last_minute.replace(LEFT, left)
        return self.before + left + self.after

    def counting_up(self, us: int) -> str:
        """The whole text once so much has gone by."""
        return self.before + self.time(us) + self.after


def time_of_day(local: datetime, clock: str, date: str, leading: bool) -> str:
    """The date and time of day of a local instant: `Thursday 26 November · 19:04`."""
    return " · ".join(part for part in (_date(local, date), _clock(local, clock, leading)) if part)


def _date(local: datetime, form: str) -> str:
    month = _MONTHS[local.month - 1]
    return {
        "none": "",
        "long": f"{local.day} {month} {local.year}",
        "weekday": f"{_DAYS[local.weekday()]} {local.day} {month}",
        "short": f"{local.day} {month[:3]}",
        "iso": local.strftime("%Y-%m-%d"),
    }[form]


def _clock(local: datetime, form: str, leading: bool) -> str:
    if form == "none":
        return ""
    half = form.startswith("12")
    hour = (local.hour - 1) % 12 + 1 if half else local.hour
    text = f"{hour:02}" if leading else str(hour)
    text += f":{local.minute:02}" + (f":{local.second:02}" if form.endswith("s") else "")
    return text + (" am" if local.hour < 12 else " pm") if half else text
