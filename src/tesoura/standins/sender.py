"""A service that sends signed messages (Standard Webhooks) to an address."""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import secrets
import time
from typing import Any

import httpx


def new_secret() -> str:
    """A signing secret, as a service shows it."""
    return "whsec_" + base64.b64encode(secrets.token_bytes(24)).decode()


def signed(secret: str, payload: Any, message_id: str, timestamp: int) -> tuple[dict[str, str], bytes]:
    """The heads and the body of a message."""
    body = json.dumps(payload).encode()
    key = base64.b64decode(secret.removeprefix("whsec_"))
    digest = hmac.new(key, f"{message_id}.{timestamp}.".encode() + body, hashlib.sha256).digest()
    signature = f"v1,{base64.b64encode(digest).decode()}"
    heads = {
        "content-type": "application/json",
        "webhook-id": message_id,
        "webhook-timestamp": str(timestamp),
        "webhook-signature": signature,
    }
    return heads, body


def send(
    address: str, secret: str, payload: Any, message_id: str | None = None, timestamp: int | None = None
) -> httpx.Response:
    """Send one message; what was answered."""
    heads, body = signed(
        secret,
        payload,
        message_id or f"msg_{secrets.token_hex(8)}",
        int(time.time()) if timestamp is None else timestamp,
    )
    return httpx.post(address, content=body, headers=heads, trust_env=False, timeout=10)
