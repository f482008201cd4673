"""How pages and the API do anything: by an action, in the name of whoever asks."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlsplit

from flask import request

from tesoura.actions.action import Call, Doing, Done
from tesoura.actions.registry import do, would
from tesoura.actions.roles import MACHINE, role_of
from tesoura.core.values import from_json
from tesoura.errors import NotYours
from tesoura.web.shared.doors import actor, runtime


def act(action: str, /, **given: Any) -> Done:
    """Do it; it is done when this ends. Raises InvalidPiece, InvalidField, Gone, or another of Tesoura's errors."""
    who = actor()
    return runtime().call(lambda self: do(Doing(self, who), Call(action, given)))


def effect_of(action: str, /, **given: Any) -> str:
    """What it would do now, in words; nothing is done. Raises as `act` does."""
    who = actor()
    return runtime().call(lambda self: would(Doing(self, who), Call(action, given)))


def opened_with() -> dict[str, Any]:
    """The marks of what was saved when the form was opened; none where the page does not tell."""
    try:
        told = from_json(request.form.get("opened_with", "{}"))
    except ValueError:
        return {}
    return told if isinstance(told, dict) else {}


def must_be_here(what: str) -> None:
    """Let only the owner on this machine go on. Raises NotYours."""
    if role_of(actor()) not in MACHINE:
        raise NotYours(f"{what} is only allowed for: {', '.join(sorted(MACHINE))}.")


def back_to(otherwise: str) -> str:
    """The page of ours on which something was pressed, where its browser tells."""
    came = urlsplit(request.referrer or "")
    if not came.path.startswith("/") or came.path.startswith("//"):
        return otherwise
    return f"{came.path}?{came.query}" if came.query else came.path


def wrong_words(wrong: Any) -> str:
    """What is wrong with what was given, by parameter, in one line."""
    return " ".join(f"{name}: {words}" for name, words in wrong.items())
