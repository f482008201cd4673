"""Before a feed is kept, and beside it: trying it once, looking up what a service has, signing in there."""

from __future__ import annotations

from collections.abc import Awaitable, Callable, Mapping
from typing import Any

from tesoura.core.signals.payload import tree
from tesoura.errors import SourceError
from tesoura.feeds.api import NOTHING, FeedKind, FetchContext, NameMatch
from tesoura.feeds.echo import error_without_echo, without_echo
from tesoura.feeds.probe import try_once
from tesoura.links.registry import KINDS
from tesoura.runtime.feed_reports import Proof, failed


class FeedTrials:
    """What is asked of outside services once, for somebody who is setting up."""

    def __init__(
        self, context: Callable[..., Awaitable[FetchContext]], running: Callable[[str], tuple[FeedKind, FetchContext]]
    ) -> None:
        """`context` gives what a try is given; `running` the kind and the context of a feed that runs."""
        self._context, self._running = context, running

    async def probe(self, kind: str, choices: Mapping[str, Any], secrets: Mapping[str, str]) -> Proof:
        """Try a feed once, before it is kept."""
        context = await self._context(choices, secrets, trying=True)
        try:
            came = without_echo(await try_once(KINDS[kind], context), context)
        except SourceError as error:
            return failed(error_without_echo(error, context))
        shown = None if came.payload is NOTHING else tree(came.payload)
        return Proof(shown, took_ms=came.took_ms, size_bytes=came.size_bytes, note=came.note)

    async def look_up(
        self, kind: str, choices: Mapping[str, Any], secrets: Mapping[str, str], name: str
    ) -> list[NameMatch] | str:
        """What a service has under a name, or what is wrong."""
        ask = KINDS[kind].look_up
        context = await self._context(choices, secrets, trying=True)
        try:
            return await ask(context, name) if ask else []
        except SourceError as error:
            return str(error_without_echo(error, context))

    async def pattern(self, path: str, pattern: str) -> list[tuple[str, Mapping[str, Any] | None]] | str:
        """The last lines of a log, each with what a pattern finds in it; or what is wrong."""
        from tesoura.feeds.follow.tail import fitting

        context = await self._context({"path": path, "pattern": pattern}, {}, trying=True)
        try:
            return await fitting(path, pattern, context.folders)
        except SourceError as error:
            return str(error)

    async def begin_sign_in(self, name: str, back_to: str, state: str, verifier: str) -> str:
        """Where to send the user to sign in for a feed. Raises SourceError, a RuntimeError."""
        kind, context = self._running(name)
        assert kind.sign_in is not None
        return await kind.sign_in.begin(context, back_to, state, verifier)

    async def finish_sign_in(self, name: str, back_to: str, code: str, verifier: str) -> Mapping[str, str]:
        """The secrets to keep once the user has signed in. Raises SourceError."""
        kind, context = self._running(name)
        assert kind.sign_in is not None
        return await kind.sign_in.finish(context, back_to, code, verifier)
