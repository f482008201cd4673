"""What can go wrong with a feed, named by what to do next."""

from __future__ import annotations


class SourceError(RuntimeError):
    """A try of a feed failed. The message says what happened, why, and what to do, and holds no secret."""

    payload: str | None = None


class SourceUnavailable(SourceError):
    """Nothing usable answered: wait, or see whether it runs. `retry_after_s` is the source's own wish."""

    def __init__(self, message: str, retry_after_s: float | None = None) -> None:
        super().__init__(message)
        self.retry_after_s = retry_after_s


class CredentialsRejected(SourceError):
    """The source wants another key: ask the user."""


class ResponseNotUnderstood(SourceError):
    """Something came that is not what was asked for: show it. `payload` is how it begins."""

    def __init__(self, message: str, payload: str) -> None:
        super().__init__(message)
        self.payload = payload
