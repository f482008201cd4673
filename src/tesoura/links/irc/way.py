"""The way to a chat server: whether somebody on it could read what is sent."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from tesoura.core.hosts import is_this_machine


def readable_token(choices: Mapping[str, Any], secrets: Mapping[str, str]) -> str:
    """What is wrong with a token that would go over an open way; nothing when there is none, or the way is safe."""
    if not secrets.get("token") or choices.get("tls") == "yes" or is_this_machine(str(choices.get("host", ""))):
        return ""
    return "Others on the network could read the token. Choose “encrypted”."
