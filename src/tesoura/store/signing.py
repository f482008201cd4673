"""Documents signed with this data folder's own key, part by part, so that what was changed in one can be named."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Mapping
from typing import Any

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey

from tesoura.core.sponsors.report import written
from tesoura.store.secrets import Secrets

PURPOSE = "signing sponsors' reports"
"""What the key is derived for. It has signed reports under this name from the first on."""
WHOLE, PARTS = "Ed25519", "Ed25519 of parts"
MARK = "signed"
"""The part of a document that holds its signature."""


def public_key(secrets: Secrets) -> str:
    """The key with which this data folder's signatures are checked, in base64."""
    return base64.b64encode(_key_of(secrets).public_key().public_bytes_raw()).decode()


def signed(body: Mapping[str, Any], secrets: Secrets) -> dict[str, Any]:
    """A document with its signature: the hash of each of its parts, and a signature of all of these."""
    parts = {name: _hash(part) for name, part in body.items()}
    signature = base64.b64encode(_key_of(secrets).sign(_bytes(parts))).decode()
    return {**body, MARK: {"by": public_key(secrets), "how": PARTS, "parts": parts, "signature": signature}}


def changed_parts(document: Mapping[str, Any]) -> list[str] | None:
    """The parts of a signed document that were changed, removed or added since; None when its signature is not valid.

    A document of an earlier version is signed as a whole: it has either not changed, or no valid signature.
    """
    mark = document.get(MARK)
    body = {name: part for name, part in document.items() if name != MARK}
    if not isinstance(mark, Mapping):
        return None
    parts = mark.get("parts")
    by_parts = mark.get("how") == PARTS and isinstance(parts, Mapping)
    try:
        key = Ed25519PublicKey.from_public_bytes(base64.b64decode(str(mark.get("by", "")), validate=True))
        signature = base64.b64decode(str(mark.get("signature", "")), validate=True)
        key.verify(signature, _bytes(parts if by_parts else body))
    except (InvalidSignature, ValueError):
        return None
    if not isinstance(parts, Mapping) or not by_parts:
        return []
    return [
        name
        for name in dict.fromkeys([*parts, *body])
        if name not in body or name not in parts or parts[name] != _hash(body[name])
    ]


def signer(document: Mapping[str, Any]) -> str:
    """The key that a document names as the one it was signed with."""
    mark = document.get(MARK)
    return str(mark.get("by", "")) if isinstance(mark, Mapping) else ""


def _key_of(secrets: Secrets) -> Ed25519PrivateKey:
    return Ed25519PrivateKey.from_private_bytes(secrets.derive(PURPOSE))


def _hash(part: Any) -> str:
    return hashlib.sha256(_bytes(part)).hexdigest()


def _bytes(told: Any) -> bytes:
    return written(told).encode("utf-8", "surrogatepass")
