"""What is said over a scene link, without a socket, and who may come in.

What the methods mean stands in `docs/scene-link.md`.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import math
import secrets
from collections.abc import Mapping
from dataclasses import dataclass

VERSION = 1
ROUNDS = 100_000
OPENER, LISTENER = "opener", "listener"
NO_SUCH_SCENE, NOT_NOW, NO_SUCH_SOURCE, NOT_PROVEN = 1, 2, 3, 4
MOST_SCENES = 200


# Who may come in


@dataclass(frozen=True, slots=True)
class Challenge:
    """What one side asks of the other: to show that it knows the password, without saying it."""

    salt: str
    nonce: str


def new_challenge() -> Challenge:
    """A challenge that was never asked before."""
    return Challenge(_random(), _random())


def _random() -> str:
    return base64.b64encode(secrets.token_bytes(18)).decode()


def proof(password: str, challenge: Challenge, role: str) -> str:
    """What shows that one knows the password: HMAC-SHA256 of one's role and the nonce, keyed by it and the salt.

    With the role in it, nobody can hand a challenge back to who asked it and use what he answers.
    """
    key = hashlib.pbkdf2_hmac("sha256", password.encode(), challenge.salt.encode(), ROUNDS)
    return base64.b64encode(hmac.digest(key, f"{role}:{challenge.nonce}".encode(), "sha256")).decode()


def proven(password: str, challenge: Challenge, role: str, shown: object) -> bool:
    """Whether what was shown proves it."""
    return isinstance(shown, str) and hmac.compare_digest(shown.encode(), proof(password, challenge, role).encode())


# What is told


def scenes_in(told: object) -> tuple[str, ...] | None:
    """The names in a list of scenes, in their order; None when there is none. Each is one line of 60 characters."""
    if not isinstance(told, Mapping) or not isinstance(told.get("scenes"), list):
        return None
    found = (one.get("name") if isinstance(one, Mapping) else one for one in told["scenes"][:MOST_SCENES])
    return tuple(dict.fromkeys(name for one in found if (name := scene_name(one))))


def scene_name(told: object) -> str:
    """A scene's name as it is told; empty for none."""
    return " ".join(told.split())[:60] if isinstance(told, str) else ""


def seconds(told: object) -> float | None:
    """A number of seconds; None for what is none."""
    if isinstance(told, bool) or not isinstance(told, int | float) or not math.isfinite(told):
        return None
    return float(told)
