"""Asking and following one feed in a test, without all that is around it."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import httpx
import pytest

from tesoura.errors import SourceError
from tesoura.feeds.api import NOTHING, FeedKind, FetchContext, Fetched, Folders
from tesoura.settings import wall_clock


async def context(
    client: httpx.AsyncClient, choices: Mapping[str, Any], folder: Path | None = None, **more: Any
) -> FetchContext:
    """What a feed is given, with one folder to read from and to run programs from."""
    folders = Folders((folder,), folder) if folder else Folders()
    return FetchContext(client, more.pop("clock", wall_clock), choices, folders=folders, **more)


def gather(
    kind: FeedKind,
    choices: Mapping[str, Any],
    count: int = 1,
    folder: Path | None = None,
    after: Callable[[int, Fetched], object] = lambda number, came: None,
    for_s: float = 15.0,
    **more: Any,
) -> list[Fetched]:
    """The first few payloads or items that a feed gives; `after` is called with each, notes included, from 1 on."""
    follow, fetch = kind.follow, kind.fetch

    async def run() -> list[Fetched]:
        found: list[Fetched] = []
        async with httpx.AsyncClient(trust_env=False) as client, asyncio.timeout(for_s):
            given = await context(client, choices, folder, **more)
            if fetch is not None:
                for _ in range(count):
                    found.append(await fetch(given))
                    given.keep(found[-1])
                    await asyncio.to_thread(after, len(found), found[-1])
                return found
            assert follow is not None
            seen = 0
            async with contextlib.aclosing(follow(given)) as stream:  # type: ignore[type-var]
                async for came in stream:
                    seen += 1
                    given.keep(came)
                    if came.payload is not NOTHING or came.items or came.secrets:
                        found.append(came)
                    await asyncio.to_thread(after, seen, came)
                    if len(found) >= count:
                        return found
        return found

    return asyncio.run(run())


def failure(kind: FeedKind, choices: Mapping[str, Any], wanted: type[SourceError] = SourceError, **more: Any) -> Any:
    """The error with which a feed fails."""
    with pytest.raises(wanted) as caught:
        gather(kind, choices, more.pop("count", 99), **more)
    return caught.value
