"""What is said over a scene link, without a socket: JSON-RPC 2.0 messages, and who may come in.

Source: the JSON-RPC 2.0 specification. What the methods mean stands in `docs/scene-link.md`.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import math
import secrets
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

VERSION = 1
LONGEST = 64_000
ROUNDS = 100_000
OPENER, LISTENER = "opener", "listener"
NOT_JSON, NOT_A_REQUEST, NO_SUCH_METHOD, WRONG_PARAMETERS, FAULT = -32700, -32600, -32601, -32602, -32603
NO_SUCH_SCENE, NOT_NOW, NO_SUCH_SOURCE, NOT_PROVEN = 1, 2, 3, 4
MOST_SCENES = 200


@dataclass(frozen=True, slots=True)
class ResponseObject:
    """The answer to a request: its result, or the error's code and words."""

    id: int | str | None
    result: Any = None
    code: int | None = None
    words: str = ""


@dataclass(frozen=True, slots=True)
class RequestObject:
    """A request, or a notice when it has no id."""

    method: str
    params: Mapping[str, Any] = field(default_factory=dict)
    id: int | str | None = None


@dataclass(frozen=True, slots=True)
class Garbled:
    """What is no message: why, with the error's code."""

    code: int
    words: str


def read(text: str) -> ResponseObject | RequestObject | Garbled:
    """A message that came."""
    if len(text) > LONGEST:
        return Garbled(NOT_A_REQUEST, f"A message of over {LONGEST:,} characters.")
    try:
        said = json.loads(text, parse_constant=_no_constant)
    except (ValueError, RecursionError):
        return Garbled(NOT_JSON, "This is no JSON.")
    if not isinstance(said, dict) or said.get("jsonrpc") != "2.0":
        return Garbled(NOT_A_REQUEST, "This is no message of JSON-RPC 2.0.")
    number = said.get("id")
    if number is not None and (isinstance(number, bool) or not isinstance(number, int | str)):
        return Garbled(NOT_A_REQUEST, "Its id is neither a number nor a text.")
    if isinstance(said.get("method"), str):
        params = said.get("params", {})
        if not isinstance(params, dict):
            return Garbled(WRONG_PARAMETERS, "Parameters go by name.")
        return RequestObject(said["method"][:100], params, number)
    if "result" in said:
        return ResponseObject(number, said["result"])
    error = said.get("error")
    if isinstance(error, dict) and isinstance(error.get("code"), int) and not isinstance(error["code"], bool):
        return ResponseObject(number, code=error["code"], words=" ".join(str(error.get("message", "")).split())[:200])
    return Garbled(NOT_A_REQUEST, "It is neither a request nor an answer.")


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is no JSON")


def request(number: int, method: str, params: Mapping[str, Any]) -> str:
    """A request, as it is sent."""
    return json.dumps({"jsonrpc": "2.0", "id": number, "method": method, "params": params}, ensure_ascii=False)


def notice(method: str, params: Mapping[str, Any]) -> str:
    """A notice, as it is sent; nobody answers it."""
    return json.dumps({"jsonrpc": "2.0", "method": method, "params": params}, ensure_ascii=False)


def answer(number: int | str | None, result: Any) -> str:
    """An answer, as it is sent."""
    return json.dumps({"jsonrpc": "2.0", "id": number, "result": result}, ensure_ascii=False)


def refusal(number: int | str | None, code: int, words: str) -> str:
    """An answer that says what is wrong, as it is sent."""
    return json.dumps({"jsonrpc": "2.0", "id": number, "error": {"code": code, "message": words}}, ensure_ascii=False)


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
