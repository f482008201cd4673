"""A program in the scripts folder, run again and again or kept running: JSON, JSON lines, or one line of text."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.forms.checks import choice
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField
from tesoura.feeds.api import FeedKind, FetchContext, Fetched
from tesoura.feeds.fields import optional_secret, seconds
from tesoura.feeds.script.run import kept_running, run_again
from tesoura.feeds.script.words import checked_words, may_be_variable

_AGAIN = ("mode", ("again",))


def _program(raw: object) -> str:
    name = str(raw).strip()
    if not name:
        raise InvalidField("Choose a script from the scripts folder.")
    if "/" in name or "\\" in name or name.startswith(".") or len(name) > 200:
        raise InvalidField("Give the file name only; it must be in the scripts folder.")
    return name


def _variable(raw: object) -> str:
    name = str(raw).strip()
    if name and not may_be_variable(name):
        raise InvalidField("The name must end in _KEY, _TOKEN, _SECRET or _PASSWORD, such as SERVICE_KEY.")
    return name


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the program says."""
    run = kept_running if context.choices.get("mode") == "kept" else run_again
    return run(context)


KIND = FeedKind(
    name="script",
    title="A script",
    on_machine=lambda choices: True,
    about="Your own script in the scripts folder, run regularly or kept running.",
    fields={
        "program": Field("Program", _program, kind="program", placeholder="disk_space.py"),
        "mode": Field(
            "It is",
            choice(("again", "kept")),
            kind="choice",
            default="again",
            options=(("again", "run regularly"), ("kept", "keep running; each line is an update")),
        ),
        "period_s": Field("Run every", seconds(1, 86_400), kind="number", default="30", unit="seconds", only_if=_AGAIN),
        "limit_s": Field("Time limit", seconds(0.5, 600), kind="number", default="10", unit="seconds", only_if=_AGAIN),
        "words": Field(
            "Arguments",
            checked_words,
            private=True,
            kind="wide",
            placeholder="--folder /home/mara/recordings",
            help="As you would type them; quotes keep spaces. Other shell features don't work.",
        ),
        "variable": Field(
            "Secret variable",
            _variable,
            placeholder="SERVICE_KEY",
            advanced=True,
            help="Passed in the script's environment, with no other secret.",
        ),
        "secret": Field("Secret", optional_secret, kind="secret", advanced=True),
    },
    follow=follow,
    lasting=True,
    place=lambda choices: _place(choices),
    called="Program",
)


def _place(choices: Mapping[str, Any]) -> str:
    return str(choices.get("program", ""))
