"""Asking an online player what is played, with a permission that is renewed before it ends."""

from __future__ import annotations

import asyncio
import time
from collections.abc import AsyncIterator

from tesoura.core.values import from_json
from tesoura.errors import CredentialsRejected, ResponseNotUnderstood
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.feeds.channel.tokens import SIGN_IN_AGAIN, is_due, places, renewed, tokens
from tesoura.feeds.http.address import host
from tesoura.feeds.http.ask import get
from tesoura.feeds.music.telling import Teller


async def follow(context: FetchContext) -> AsyncIterator[Fetched]:
    """What is played, until asking fails. Raises SourceError."""
    if is_due(context):
        yield Fetched(secrets=await renewed(context))
    address = str((await places(context))["player"])
    if not address:
        raise ResponseNotUnderstood("The service doesn't say where its player is. Set it under “More settings”.", "")
    teller = Teller(context.choices, host(address), private=True)
    while True:
        if is_due(context):
            yield Fetched(secrets=await renewed(context))
        started = time.monotonic()
        bearer = {"Authorization": f"Bearer {tokens(context)['access']}"}
        try:
            _, body = await get(context, address, bearer)
            payload = from_json(body) if body.strip() else {}
        except CredentialsRejected:
            raise CredentialsRejected(f"{host(address)} revoked the permission. {SIGN_IN_AGAIN}") from None
        except ValueError:
            raise ResponseNotUnderstood(f"{host(address)} sent something other than JSON.", "") from None
        took_ms = (time.monotonic() - started) * 1000
        yield teller.fetched(payload, len(body), took_ms)
        if context.trying:
            return
        await asyncio.sleep(max(float(context.choices["period_s"]) - took_ms / 1000, 0.2))
