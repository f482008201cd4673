"""A channel's counts, asked for again and again, and its events, as they come: one stream out of both."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Mapping
from typing import Any

from tesoura.core.instants import told_instant
from tesoura.core.values import from_json
from tesoura.errors import CredentialsRejected, ResponseNotUnderstood, SourceError, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched, Item
from tesoura.feeds.channel.tokens import SIGN_IN_AGAIN, is_due, places, renewed, tokens
from tesoura.feeds.formats import line_payload
from tesoura.feeds.http.address import host
from tesoura.feeds.http.ask import get
from tesoura.feeds.sse.listen import events

SILENCE_S = 60.0


async def listen(context: FetchContext) -> AsyncIterator[Fetched]:
    """Counts and events until one of them fails. Raises SourceError."""
    if is_due(context):
        yield Fetched(secrets=await renewed(context))
    where = await places(context)
    yield await _counts(context, where)
    if context.trying:
        return
    queue: asyncio.Queue[Fetched | SourceError] = asyncio.Queue(50)
    asked, heard = asyncio.ensure_future(_ask(context, where, queue)), _heard(context, where, queue)
    try:
        while True:
            came = await queue.get()
            if isinstance(came, SourceError):
                raise came
            yield came
            if came.secrets:
                # The events go on with the new permission: they are opened anew.
                heard.cancel()
                heard = _heard(context, where, queue)
    finally:
        for task in (asked, heard):
            task.cancel()
        await asyncio.gather(asked, heard, return_exceptions=True)


def _heard(
    context: FetchContext, where: Mapping[str, Any], queue: asyncio.Queue[Fetched | SourceError]
) -> asyncio.Future[None]:
    return asyncio.ensure_future(_hear(context, where, queue))


def _bearer(context: FetchContext) -> dict[str, str]:
    return {"Authorization": f"Bearer {tokens(context)['access']}"}


async def _counts(context: FetchContext, where: Mapping[str, Any]) -> Fetched:
    try:
        _, body = await get(context, where["data"], _bearer(context))
        payload = from_json(body)
    except CredentialsRejected:
        raise CredentialsRejected(f"{host(where['data'])} revoked the permission. {SIGN_IN_AGAIN}") from None
    except ValueError:
        raise ResponseNotUnderstood(f"{host(where['data'])} sent something other than JSON.", "") from None
    return Fetched(payload, len(body))


async def _ask(context: FetchContext, where: Mapping[str, Any], queue: asyncio.Queue[Fetched | SourceError]) -> None:
    try:
        while True:
            await asyncio.sleep(float(context.choices.get("period_s", 10.0)))
            if is_due(context):
                await queue.put(Fetched(secrets=await renewed(context)))
                continue
            await queue.put(await _counts(context, where))
    except SourceError as error:
        await queue.put(error)


async def _hear(context: FetchContext, where: Mapping[str, Any], queue: asyncio.Queue[Fetched | SourceError]) -> None:
    if not where["events"]:
        return
    try:
        async for event in events(context, where["events"], _bearer(context), SILENCE_S):
            if event is not None:
                memory = {"last_id": event.id} if event.id else None
                await queue.put(Fetched(items=(_item(event),), memory=memory))
        await queue.put(SourceUnavailable(f"{host(where['events'])} closed its event stream. Reconnecting."))
    except CredentialsRejected:
        await queue.put(CredentialsRejected(f"{host(where['events'])} doesn't allow reading events. {SIGN_IN_AGAIN}"))
    except SourceError as error:
        await queue.put(error)


def _item(event: Any) -> Item:
    payload = line_payload(event.data)
    data = payload if isinstance(payload, dict) else {"value": payload}
    known = str(data.get("id") or event.id or "") or None
    time = told_instant(data.get("time"))
    return Item(event.event or "message", {k: v for k, v in data.items() if k not in ("id", "time")}, known, time)
