"""General choices, the scenes there are, and keys for programs."""

from __future__ import annotations

import json
from functools import partial

from sqlmodel import Session

from tesoura.actions.action import Action, Call, Doing, Done, Given
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import line, whole
from tesoura.core.forms.fields import Field
from tesoura.core.names import is_signal_name
from tesoura.errors import Gone, InvalidField
from tesoura.runtime.locales import OFFERED
from tesoura.runtime.preferences import SCENE_SIGNAL, zone_names
from tesoura.store import keys, state

MIN_DAYS, MAX_DAYS, MAX_SCENES = 2, 36_500, 24


async def _choose(doing: Doing, words: str, action: str, **values: str) -> Done:
    """Keep general choices, let all follow, and tell how they were."""

    def job(session: Session) -> dict[str, str]:
        before = {name: state.choice(session, name) or "" for name in values}
        for name, value in values.items():
            state.choose(session, name, value)
        return before

    before = await doing.write(job)
    await doing.runtime.preferences_changed()
    undo = Call(action, before) if action != "choose.scenes" else None
    return Done(words, {}, undo)


def _locale(raw: object) -> str:
    if str(raw) not in OFFERED:
        raise InvalidField("That way of writing numbers is not offered. Choose one from the list.")
    return str(raw)


async def _numbers(doing: Doing, given: Given) -> Done:
    words = "Numbers are written that way from now on, on air too."
    return await _choose(doing, words, "choose.numbers", locale=given["locale"])


def _zone(raw: object) -> str:
    wanted = str(raw)
    if wanted and wanted not in zone_names():
        raise InvalidField(f"There is no zone “{wanted[:40]}”. Choose one from the list.")
    return wanted


def _weekday(raw: object) -> str:
    if str(raw or "0") not in {str(day) for day in range(7)}:
        raise InvalidField("Choose a weekday from the list.")
    return str(raw or "0")


async def _calendar(doing: Doing, given: Given) -> Done:
    words = "Days and weeks now begin there; everything that counts by them was recomputed."
    return await _choose(doing, words, "choose.calendar", zone=given["zone"], first_weekday=given["first_weekday"])


def _days(raw: object) -> str:
    typed = str(raw).strip()
    if typed and not (typed.isdecimal() and len(typed) < 10 and MIN_DAYS <= int(typed) <= MAX_DAYS):
        raise InvalidField(f"Give days from {MIN_DAYS} to {MAX_DAYS:,}, or leave it empty to keep it forever.")
    return typed


async def _keep(doing: Doing, given: Given) -> Done:
    words = "Older events are let go little by little; counts and rankings keep what they had of them."
    return await _choose(doing, words, "choose.keep", keep_days=given["keep_days"])


def _scenes(raw: object) -> list[str]:
    typed = str(raw).replace(",", "\n").splitlines()
    return list(dict.fromkeys(" ".join(one.split())[:60] for one in typed if one.strip()))[:MAX_SCENES]


def _scene_signal(raw: object) -> str:
    signal = str(raw).strip().lower() or SCENE_SIGNAL
    if not is_signal_name(signal):
        raise InvalidField(f"“{signal[:40]}” is not a signal's name. Choose one from the list, such as {SCENE_SIGNAL}.")
    return signal


async def _name_scenes(doing: Doing, given: Given) -> Done:
    return await _choose(
        doing,
        "The scenes are so from now on.",
        "choose.scenes",
        scenes=json.dumps(given["scenes"]),
        scene_signal=given["scene_signal"],
    )


# Keys


async def _new_key(doing: Doing, given: Given) -> Done:
    at = doing.now()
    key = await doing.write(lambda session: keys.new_key(session, given["name"], at))
    return Done(f"The key “{given['name']}” was created. It is shown only once.", {"key": key})


async def _key_works(doing: Doing, given: Given, works: bool) -> Done:
    at, number = None if works else doing.now(), given["number"]

    def job(session: Session) -> str:
        name = keys.revoke(session, number, at)
        if name is None:
            raise Gone("There is no such key.")
        return name

    name = await doing.write(job)
    doing.runtime.store.forget_keys()
    other = Call("key.revoke" if works else "key.restore", {"number": number})
    return Done(f"The key “{name}” works again." if works else f"The key “{name}” was revoked.", {}, other)


_NUMBER = {"number": Field("Number", whole(1, 2**53), kind="number")}
_setup = partial(Action, noted=True, may=SET_UP)
ALL = (
    _setup(
        "choose.numbers",
        "Choose how numbers are written",
        "By a locale that is offered.",
        {"locale": Field("Locale", _locale)},
        _numbers,
    ),
    _setup(
        "choose.calendar",
        "Choose the zone and the first weekday",
        "Monday is 0; an empty zone is the machine's.",
        {"zone": Field("Zone", _zone), "first_weekday": Field("First weekday", _weekday, default="0")},
        _calendar,
    ),
    _setup(
        "choose.keep",
        "Choose for how long the log is kept",
        "In days; empty keeps it forever.",
        {"keep_days": Field("Days", _days)},
        _keep,
    ),
    _setup(
        "choose.scenes",
        "Say which scenes there are",
        "One a line; and the signal that tells the present one.",
        {"scenes": Field("Scenes", _scenes), "scene_signal": Field("Signal", _scene_signal, kind="signal")},
        _name_scenes,
    ),
    _setup(
        "key.new", "Create an API key", "It is shown once and never kept.", {"name": Field("Name", line(40))}, _new_key
    ),
    _setup("key.revoke", "Stop a key", "It stops working.", _NUMBER, partial(_key_works, works=False)),
    _setup("key.restore", "Let a key work again", "One that was stopped.", _NUMBER, partial(_key_works, works=True)),
)
