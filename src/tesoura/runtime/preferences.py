"""The user's general choices, as the rest of Tesoura needs them."""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from datetime import tzinfo
from functools import lru_cache
from pathlib import Path
from zoneinfo import ZoneInfo, available_timezones

import tzlocal
from sqlmodel import Session

from tesoura.core.language.numbers import NumberStyle
from tesoura.runtime.locales import machine_locale, number_style
from tesoura.store import state

FIRST_SCENES = ("Play", "Talk", "Break")
SCENE_SIGNAL = "scene.present"


@dataclass(frozen=True, slots=True)
class Preferences:
    """How numbers are written, in which zone days begin, on which weekday weeks do (0 is Monday), which folders files
    may be read from, for how many days the log is kept (None: for good), which scenes there are, and the signal that
    tells the present one."""

    locale: str
    zone: tzinfo
    first_weekday: int
    folders: tuple[Path, ...]
    keep_days: int | None
    scenes: tuple[str, ...] = FIRST_SCENES
    scene_signal: str = SCENE_SIGNAL

    def style(self) -> NumberStyle:
        """How numbers and times are written."""
        return replace(number_style(self.locale), zone=self.zone)


@lru_cache(maxsize=1)
def machine_zone() -> tzinfo:
    """The zone that this machine is set to."""
    try:
        return tzlocal.get_localzone()
    except Exception:
        return ZoneInfo("UTC")


def zone_names() -> list[str]:
    """The zones to choose from."""
    return sorted(name for name in available_timezones() if "/" in name and not name.startswith(("Etc/", "posix/")))


def read_preferences(session: Session) -> Preferences:
    """The choices that were made, and what stands for those that were not."""
    zone = state.choice(session, "zone")
    days = state.choice(session, "keep_days") or ""
    return Preferences(
        state.choice(session, "locale") or machine_locale(),
        ZoneInfo(zone) if zone and zone in available_timezones() else machine_zone(),
        int(state.choice(session, "first_weekday") or 0),
        tuple(Path(one) for one in json.loads(state.choice(session, "folders") or "[]")),
        int(days) if days.isdecimal() else None,
        tuple(json.loads(state.choice(session, "scenes") or "null") or FIRST_SCENES),
        state.choice(session, "scene_signal") or SCENE_SIGNAL,
    )
