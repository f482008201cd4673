"""What a service says itself about why it refuses: the sentence in its answer."""

from __future__ import annotations

from typing import Any

from tesoura.core.values import from_json

MOST = 160
_NAMES = ("message", "error_description", "detail", "error", "title", "reason")


def own_words(body: bytes) -> str:
    """The sentence in an answer, ready to stand behind another one; nothing where there is none to be read."""
    text = body[:4_000].decode("utf-8", "ignore").strip()
    try:
        said = _sentence(from_json(text), 0)
    except ValueError:
        said = "" if text.startswith("<") or "\n" in text else text
    said = " ".join("".join(char for char in said if char.isprintable()).split())
    return f" Message: “{said[:MOST]}”" if said else ""


def _sentence(payload: Any, depth: int) -> str:
    if isinstance(payload, str):
        return payload
    if isinstance(payload, dict) and depth < 3:
        for name in _NAMES:
            if found := _sentence(payload.get(name), depth + 1):
                return found
    return ""
