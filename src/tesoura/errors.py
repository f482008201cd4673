"""Every error that Tesoura raises across a room's door, in one tree, named by what to do next.

    TesouraError
    ├── Invalid                 what was given can be put right by whoever gave it
    │   ├── InvalidField        one field of a form, with what would be right
    │   │   ├── CommandRefused  a command that makes no sense now
    │   │   └── Ambiguous       it can be meant otherwise: ask which
    │   ├── InvalidPiece        several fields of a piece or a look
    │   ├── FormulaError        a formula that cannot be compiled, and where
    │   ├── FormatError         a format that does not exist or does not fit
    │   ├── ValueRefused        a value that cannot be a signal's
    │   ├── NothingPicked       a path that reaches nothing
    │   ├── NotAnEdit           an edit that there is not
    │   ├── Unreadable          a body that the API cannot take
    │   ├── SessionsOutOfOrder  a session's start before the one before it
    │   └── FileRefused         a file that cannot be used
    │       ├── NewerDocument   written by a later version: upgrade
    │       ├── RecipeRefused   no recipe, or not one for this version
    │       └── NotTokens       no design tokens
    ├── Gone                    it is no longer there: look again
    ├── NotAllowed              who asks may not
    │   ├── NotYours            his role may not do this
    │   ├── KeyRefused          no key, or one that does not work
    │   └── SignatureRefused    a message whose signature or age is wrong
    ├── SourceError             a try of a feed failed
    │   ├── SourceUnavailable   wait; it is tried again
    │   ├── CredentialsRejected ask the user for another key
    │   ├── ResponseNotUnderstood  show what came
    │   └── TooMuch             what came, or what is picked from it, goes beyond all bounds: paused
    ├── DataFolderError         the data folder cannot be used
    │   └── FolderInUse         another process holds it
    └── PortInUse               nothing can listen there

The message says what happened and why; `hint` says what to do where the message does not. No message holds a secret.
This module imports nothing of Tesoura, so every room may import it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any


class TesouraError(Exception):
    """The root of the tree."""

    hint: str = ""


class Invalid(TesouraError, ValueError):
    """What was given cannot be used; whoever gave it can put it right."""

    hint = "Correct the input and try again."


class InvalidField(Invalid):
    """What was typed cannot be used; the message says what can."""


class CommandRefused(InvalidField):
    """A command that makes no sense now; the message says why and what to do."""


class Ambiguous(InvalidField):
    """What was typed can be meant otherwise; each of `offers` is what a button says, and what it sends instead."""

    hint = "Choose one of the meanings."

    def __init__(self, question: str, offers: Sequence[tuple[str, dict[str, Any]]]) -> None:
        super().__init__(question)
        self.offers = offers


class InvalidPiece(Invalid):
    """Choices that cannot be made; `wrong` maps each field to what is wrong and what would be right."""

    def __init__(self, wrong: Mapping[str, str]) -> None:
        super().__init__(" ".join(f"{name}: {message}" for name, message in wrong.items()))
        self.wrong = wrong


class ChangedMeanwhile(InvalidPiece):
    """Choices that were changed in two places; with the `marks` of what is saved, saving again keeps one's own."""

    def __init__(self, wrong: Mapping[str, str], marks: Mapping[str, str]) -> None:
        super().__init__(wrong)
        self.marks = marks


class FormulaError(Invalid):
    """A formula that cannot be compiled. `column` counts from 1; `expected` is what would stand there."""

    def __init__(self, problem: str, column: int, expected: str) -> None:
        super().__init__(f"Column {column}: {problem}. Expected {expected}.")
        self.problem, self.column, self.expected = problem, column, expected

    def shifted(self, columns: int) -> FormulaError:
        """The same error, so many columns further right."""
        return FormulaError(self.problem, self.column + columns, self.expected)


class FormatError(Invalid):
    """A format that does not exist, or does not go with the value; the message says what would."""


class ValueRefused(Invalid):
    """A value cannot be a signal's; the message says why and what to do."""


class NothingPicked(Invalid):
    """A path gives nothing that a signal can hold; the message says why and what to do."""


class NotAnEdit(Invalid):
    """What was sent is no edit that there is."""


class Unreadable(Invalid):
    """What was sent cannot be taken; `wrong` lists each place and what is wrong there."""

    def __init__(self, detail: str, wrong: Sequence[dict[str, str]] = ()) -> None:
        super().__init__(detail)
        self.detail, self.wrong = detail, list(wrong)


class SessionsOutOfOrder(Invalid):
    """A session would begin before the one before it or after the one behind it; `between` are those two."""

    def __init__(self, between: tuple[datetime | None, datetime | None]) -> None:
        super().__init__("Sessions can't overlap.")
        self.between = between


class FileRefused(Invalid):
    """The file cannot be used; the message says why and what can."""

    hint = "Choose another file."


class NewerDocument(FileRefused):
    """A document that a later version of Tesoura wrote."""

    hint = "Install the newer version of Tesoura."


class RecipeRefused(FileRefused):
    """A text that is no recipe that can be used; the message says why and what to do."""


class NotTokens(FileRefused):
    """What was given is no file of design tokens; the message says what is missing."""


class Gone(TesouraError, LookupError):
    """What was to be changed is no longer there."""

    hint = "Reload and check what exists."


class NotAllowed(TesouraError, ValueError):
    """Whoever asks may not."""


class NotYours(NotAllowed):
    """Whoever asks may not do this in his role; the message says who may."""

    hint = "Use an account that is allowed to."


class KeyRefused(NotAllowed):
    """A request brought no key, or one that does not work: what to say."""

    hint = "Create a key under Preferences and send it as Authorization: Bearer KEY."

    def __init__(self, title: str, detail: str) -> None:
        super().__init__(title)
        self.title, self.detail = title, detail


class SignatureRefused(NotAllowed):
    """A message is not taken; the message says why and what to do."""


class SourceError(TesouraError, RuntimeError):
    """A try of a feed failed. The message says what happened, why, and what to do, and holds no secret."""

    payload: str | None = None


class SourceUnavailable(SourceError):
    """Nothing usable answered: wait, or see whether it runs. `retry_after_s` is the source's own wish."""

    hint = "Tesoura retries automatically."

    def __init__(self, message: str, retry_after_s: float | None = None) -> None:
        super().__init__(message)
        self.retry_after_s = retry_after_s


class CredentialsRejected(SourceError):
    """The source wants another key: ask the user."""

    hint = "Enter a new key for the feed."


class ResponseNotUnderstood(SourceError):
    """Something came that is not what was asked for: show it. `payload` is how it begins."""

    hint = "Check the response and the address."

    def __init__(self, message: str, payload: str) -> None:
        super().__init__(message)
        self.payload = payload

    def __reduce__(self) -> tuple[Any, ...]:
        """So that it comes whole from another process."""
        return type(self), (str(self), self.payload)


class TooMuch(SourceError):
    """Taking in what came used more time or memory than it may. The feed is paused, and can be changed or removed."""

    hint = "Request less or choose a simpler path, then resume the feed."


class DataFolderError(TesouraError, RuntimeError):
    """The data folder cannot be used; the message says why and what to do."""


class FolderInUse(DataFolderError):
    """Another process holds the data folder; the message says which."""


class PortInUse(TesouraError, OSError):
    """The port is taken, or may not be listened on; the message says what to do."""

    hint = "Choose another port with --port."
