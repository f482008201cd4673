"""JSON-RPC 2.0 messages as they are told over a socket: read, and written. Source: the JSON-RPC 2.0 specification."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from tesoura.core.values import from_json

LONGEST = 64_000
NOT_JSON, NOT_A_REQUEST, NO_SUCH_METHOD, WRONG_PARAMETERS, FAULT = -32700, -32600, -32601, -32602, -32603


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
        said = from_json(text, _no_constant)
    except ValueError:
        return Garbled(NOT_JSON, "Not JSON.")
    if not isinstance(said, dict) or said.get("jsonrpc") != "2.0":
        return Garbled(NOT_A_REQUEST, "Not a JSON-RPC 2.0 message.")
    number = said.get("id")
    if number is not None and (isinstance(number, bool) or not isinstance(number, int | str)):
        return Garbled(NOT_A_REQUEST, "The id must be a number or a text.")
    if isinstance(said.get("method"), str):
        params = said.get("params", {})
        if not isinstance(params, dict):
            return Garbled(WRONG_PARAMETERS, "Parameters must be named.")
        return RequestObject(said["method"][:100], params, number)
    if "result" in said:
        return ResponseObject(number, said["result"])
    error = said.get("error")
    if isinstance(error, dict) and isinstance(error.get("code"), int) and not isinstance(error["code"], bool):
        return ResponseObject(number, code=error["code"], words=" ".join(str(error.get("message", "")).split())[:200])
    return Garbled(NOT_A_REQUEST, "Neither a request nor a response.")


def _no_constant(name: str) -> Any:
    raise ValueError(f"{name} is not JSON")


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
