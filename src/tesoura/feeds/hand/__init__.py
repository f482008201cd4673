"""A value set by hand: a number with steps and bounds, a text, a flag. From the desk, keys and the API."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.fields import Field
from tesoura.core.signals.by_hand import checked, key, number
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, Suggested

_NUMBER = ("what", ("number",))


def _suggested(choices: Mapping[str, Any]) -> Sequence[Suggested]:
    wanted = "number" if choices.get("what") == "number" else "text"
    return (Suggested("value", "@", str(choices.get("unit", "")), wanted),)


def _check(choices: Mapping[str, Any], secrets: Mapping[str, str]) -> Mapping[str, str]:
    if choices.get("what") == "number" and choices["low"] > choices["high"]:
        return {"high": "The maximum is less than the minimum."}
    try:
        checked(choices, choices["start"])
    except InvalidField as error:
        return {"start": str(error)}
    return {}


KIND = FeedKind(
    name="hand",
    title="Set by hand",
    about="A number, text or switch that you set on the desk, with a key, or from a program.",
    fields={
        "what": Field(
            "It is",
            choice(("number", "text", "flag")),
            kind="choice",
            default="number",
            options=(("number", "a number"), ("text", "a text"), ("flag", "yes or no")),
        ),
        "start": Field("Initial value", text(400, empty=True), default="0"),
        "step": Field("Step", number, kind="number", default="1", only_if=_NUMBER),
        "low": Field("Minimum", number, kind="number", default="0", only_if=_NUMBER),
        "high": Field("Maximum", number, kind="number", default="999999", only_if=_NUMBER),
        "unit": Field("Unit shown to viewers", text(60, empty=True), placeholder="lines lost", only_if=_NUMBER),
        "key_up": Field(
            "Desk key: up",
            key,
            placeholder="+",
            only_if=("what", ("number", "flag")),
            help="One letter, digit or sign. On the desk it steps up, or toggles a switch.",
        ),
        "key_down": Field("Desk key: down", key, placeholder="-", only_if=_NUMBER),
    },
    place=lambda choices: {"text": "a text", "flag": "yes or no"}.get(str(choices.get("what")), "a number"),
    suggested=_suggested,
    check=_check,
    called="Count",
)
