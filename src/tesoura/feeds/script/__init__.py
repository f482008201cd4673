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
        raise InvalidField("Choose a program. Those in the scripts folder are offered.")
    if "/" in name or "\\" in name or name.startswith(".") or len(name) > 200:
        raise InvalidField("Give the program's bare name; it must lie in the scripts folder itself.")
    return name


def _variable(raw: object) -> str:
    name = str(raw).strip()
    if name and not may_be_variable(name):
        raise InvalidField("Give a name that ends in _KEY, _TOKEN, _SECRET or _PASSWORD, such as SERVICE_KEY.")
    return name


def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What the program says."""
    run = kept_running if context.choices.get("mode") == "kept" else run_again
    return run(context)


KIND = FeedKind(
    name="script",
    title="A script",
    on_machine=lambda choices: True,
    about="A program of yours in the scripts folder, run every few seconds or kept running.",
    fields={
        "program": Field("Program", _program, kind="program", placeholder="disk_space.py"),
        "mode": Field(
            "It is",
            choice(("again", "kept")),
            kind="choice",
            default="again",
            options=(("again", "run again and again"), ("kept", "kept running; each line is news")),
        ),
        "period_s": Field(
            "Run it every", seconds(1, 86_400), kind="number", default="30", unit="seconds", only_if=_AGAIN
        ),
        "limit_s": Field(
            "Give up after", seconds(0.5, 600), kind="number", default="10", unit="seconds", only_if=_AGAIN
        ),
        "words": Field(
            "Words behind its name",
            checked_words,
            private=True,
            kind="wide",
            placeholder="--folder /home/mara/recordings",
            help="Arguments, as you would type them; quotes keep spaces. Nothing else of a shell works.",
        ),
        "variable": Field(
            "A secret in the variable",
            _variable,
            placeholder="SERVICE_KEY",
            advanced=True,
            help="The program finds it in its environment, and no other secret.",
        ),
        "secret": Field("The secret", optional_secret, kind="secret", advanced=True),
    },
    follow=follow,
    lasting=True,
    place=lambda choices: _place(choices),
    called="Program",
)


def _place(choices: Mapping[str, Any]) -> str:
    return str(choices.get("program", ""))
