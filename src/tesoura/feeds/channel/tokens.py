"""Signing in by OAuth 2 (RFC 6749) with PKCE (RFC 7636), where to do it by discovery (RFC 8414), and staying so."""

from __future__ import annotations

import asyncio
import json
import warnings
from collections.abc import Mapping
from typing import Any

import httpx
from authlib.deprecate import AuthlibDeprecationWarning
from authlib.integrations.base_client import OAuthError

from tesoura.core.values import from_json
from tesoura.errors import CredentialsRejected, ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import FetchContext
from tesoura.feeds.connecting import no_connection
from tesoura.feeds.http.address import checked_address, host
from tesoura.feeds.http.ask import get
from tesoura.feeds.http.bounded import BoundedTransport

WELL_KNOWN = "/.well-known/oauth-authorization-server"
EARLY_S = 90
"""A token is renewed so many seconds before it ends."""
TIMEOUT_S = 8.0
MOST_BYTES = 64_000
USUAL_S = 3_600.0
LONGEST_S = 10.0 * 365 * 86_400
SIGN_IN_AGAIN = "Press “Sign in again” on this feed's page."


async def places(context: FetchContext) -> Mapping[str, Any]:
    """Where the service does what, as it tells; asked once a run. Raises SourceError."""
    known: Mapping[str, Any] | None = context.scratch.get("places")
    if known is None:
        address = str(context.choices["address"]).rstrip("/")
        _, body = await get(context, address + WELL_KNOWN, {})
        try:
            told = from_json(body)
            known = {
                "authorize": checked_address(told["authorization_endpoint"]),
                "token": checked_address(told["token_endpoint"]),
                "data": context.choices.get("data_address") or _told(told, "channel_endpoint"),
                "events": context.choices.get("events_address") or _told(told, "events_endpoint"),
                "player": context.choices.get("data_address") or _told(told, "player_endpoint"),
            }
        except (ValueError, KeyError, TypeError):
            raise ResponseNotUnderstood(
                f"{host(address)} doesn't say where to sign in ({WELL_KNOWN}). Check that this is the "
                "service's main address.",
                body[:300].decode(errors="replace"),
            ) from None
        context.scratch["places"] = known
    return known


def _told(told: Mapping[str, Any], name: str) -> str:
    return checked_address(told[name]) if told.get(name) else ""


def _client(context: FetchContext, back_to: str | None = None) -> Any:
    # The library announces another client for a later version; nobody who runs Tesoura can do anything about that.
    warnings.simplefilter("ignore", AuthlibDeprecationWarning)
    from authlib.integrations.httpx_client import AsyncOAuth2Client

    secret = context.secrets.get("client_secret") or None
    return AsyncOAuth2Client(
        client_id=str(context.choices["client_id"]),
        client_secret=secret,
        redirect_uri=back_to,
        scope=str(context.choices.get("scope", "")) or None,
        code_challenge_method="S256",
        trust_env=False,
        token_endpoint_auth_method="client_secret_post" if secret else "none",
        timeout=TIMEOUT_S,
        transport=BoundedTransport(MOST_BYTES),
    )


async def begin(context: FetchContext, back_to: str, state: str, verifier: str) -> str:
    """The address to send the user to. Raises SourceError."""
    where = await places(context)
    async with _client(context, back_to) as client:
        address, _ = client.create_authorization_url(where["authorize"], state=state, code_verifier=verifier)
    return str(address)


async def finish(context: FetchContext, back_to: str, code: str, verifier: str) -> Mapping[str, str]:
    """The tokens that a code gives, to be kept as a secret. Raises SourceError."""
    where = await places(context)
    async with _client(context, back_to) as client:
        token = await _asked(
            client.fetch_token(where["token"], grant_type="authorization_code", code=code, code_verifier=verifier),
            host(where["token"]),
        )
    return {"tokens": json.dumps(_kept(token, context, {}))}


def _kept(token: Mapping[str, Any], context: FetchContext, before: Mapping[str, Any]) -> dict[str, Any]:
    return {
        "access": token["access_token"],
        "refresh": token.get("refresh_token") or before.get("refresh"),
        "until": context.clock().timestamp() + _lasts_s(token.get("expires_in")),
    }


def ends(secrets: Mapping[str, str]) -> float | None:
    """When the permission ends, in seconds since 1970; None for one that is renewed, or that there is none of."""
    try:
        kept: Mapping[str, Any] = json.loads(secrets.get("tokens", ""))
    except ValueError:
        return None
    return None if kept.get("refresh") else float(kept["until"])


def _lasts_s(told: Any) -> float:
    """For how long a permission is good, seconds: as the service says, or an hour when it says nothing usable."""
    try:
        lasts_s = float(told)
    except (TypeError, ValueError, OverflowError):
        return USUAL_S
    return min(lasts_s, LONGEST_S) if lasts_s > 0 else USUAL_S


async def _asked(context: Any, where: str) -> Mapping[str, Any]:
    try:
        token: Mapping[str, Any] = await asyncio.wait_for(context, TIMEOUT_S)
        if not (isinstance(token["access_token"], str) and token["access_token"]):
            raise TypeError
    except OAuthError as error:
        said = str(error.description or error.error or "no reason given")[:160]
        if error.error in ("invalid_grant", "unauthorized_client", "access_denied"):
            raise CredentialsRejected(f"{where} revoked the permission ({said}). {SIGN_IN_AGAIN}") from None
        if error.error == "invalid_client":
            raise CredentialsRejected(
                f"{where} doesn't know this app ({said}). Check that the client ID was pasted completely."
            ) from None
        raise SourceUnavailable(f"{where} didn't return a token ({said}). Try again later.") from None
    except httpx.ConnectError as error:
        raise SourceUnavailable(no_connection(where, error)) from None
    except (httpx.HTTPError, TimeoutError):
        raise SourceUnavailable(f"No answer from {where} while signing in. Try again later.") from None
    except (KeyError, ValueError, TypeError, AttributeError, OverflowError, RecursionError):
        raise ResponseNotUnderstood(f"{where} returned no valid token.", "") from None
    return token


def tokens(context: FetchContext) -> Mapping[str, Any]:
    """The tokens that are kept. Raises CredentialsRejected when nobody has signed in."""
    try:
        kept: Mapping[str, Any] = json.loads(context.secrets.get("tokens", ""))
    except ValueError:
        raise CredentialsRejected("Not signed in yet. Press “Sign in” on this feed's page.") from None
    return kept


def is_due(context: FetchContext) -> bool:
    """Whether the token ends soon."""
    return context.clock().timestamp() > float(tokens(context)["until"]) - EARLY_S


async def renewed(context: FetchContext) -> Mapping[str, str]:
    """New tokens in the place of those that end. Raises SourceError."""
    where, before = await places(context), tokens(context)
    if not before.get("refresh"):
        raise CredentialsRejected(f"The permission has expired and can't be renewed. {SIGN_IN_AGAIN}")
    async with _client(context) as client:
        token = await _asked(
            client.refresh_token(where["token"], refresh_token=before["refresh"]), host(where["token"])
        )
    return {"tokens": json.dumps(_kept(token, context, before))}
