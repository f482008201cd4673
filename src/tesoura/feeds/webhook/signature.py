"""The signature of Standard Webhooks: HMAC-SHA256 over `id.timestamp.body`, with an age that is limited.

Source: the Standard Webhooks specification, symmetric signatures, version `v1`.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import hmac
from collections.abc import Mapping
from datetime import datetime

from tesoura.errors import SignatureRefused

MAX_AGE_S = 300
PREFIX = "whsec_"


def secret_bytes(secret: str) -> bytes:
    """The key in a secret as it is written, `whsec_` and base64. Raises ValueError."""
    if not secret.startswith(PREFIX):
        raise ValueError("A signing secret begins with whsec_. Copy it from the sender again.")
    try:
        key = base64.b64decode(secret.removeprefix(PREFIX), validate=True)
    except (binascii.Error, ValueError):
        key = b""
    if not 8 <= len(key) <= 256:
        raise ValueError("This signing secret is incomplete. Copy it from the sender again.")
    return key


def sign(secret: str, message_id: str, timestamp: int, body: bytes) -> str:
    """The value of `webhook-signature` for a message."""
    signed = f"{message_id}.{timestamp}.".encode() + body
    digest = hmac.new(secret_bytes(secret), signed, hashlib.sha256).digest()
    return f"v1,{base64.b64encode(digest).decode()}"


def verify(headers: Mapping[str, str], body: bytes, secret: str, now: datetime) -> None:
    """See that a message is from who it says and not old. Raises SignatureRefused."""
    message_id, stamped = headers.get("webhook-id", ""), headers.get("webhook-timestamp", "")
    given = headers.get("webhook-signature", "")
    if not (message_id and stamped and given):
        raise SignatureRefused(
            "The message has no signature. It needs webhook-id, webhook-timestamp and webhook-signature."
        )
    if not stamped.isdecimal() or len(stamped) > 12:
        raise SignatureRefused("webhook-timestamp is not a number of seconds since 1970.")
    age_s = now.timestamp() - int(stamped)
    if age_s > MAX_AGE_S:
        raise SignatureRefused(f"The message is {age_s / 60:.0f} minutes old; 5 are allowed. Check the clocks.")
    if age_s < -MAX_AGE_S:
        raise SignatureRefused("The message is from the future. Check the sender's and this machine's clock.")
    try:
        right = sign(secret, message_id, int(stamped), body)
    except ValueError as error:
        raise SignatureRefused(str(error)) from None
    if not any(hmac.compare_digest(one.encode(), right.encode()) for one in given.split(" ")[:10]):
        raise SignatureRefused("Wrong signature. Check that both sides have the same signing secret.")
