"""Why nothing answers at an address, in a sentence."""

from __future__ import annotations

import socket
import ssl
from collections.abc import Iterator


def no_connection(where: str, error: BaseException) -> str:
    """Why a connection was not made: the name is not known, the certificate was refused, or nobody is there."""
    causes = list(_causes(error))
    if any(isinstance(one, socket.gaierror) for one in causes):
        return f"There is no {where} to be found. See that the address is spelled right and that you are online."
    if any(isinstance(one, ssl.SSLError) for one in causes) or "certificate" in str(error).lower():
        return f"{where} cannot prove who it is (its certificate was refused). See that the address is right."
    told = (one.strerror for one in causes if isinstance(one, OSError) and not isinstance(one, ConnectionRefusedError))
    reason = next((words for words in told if words), "the connection was refused")
    return f"Nothing answers at {where}: {reason}. Is the program running, and is the port right?"


def _causes(error: BaseException) -> Iterator[BaseException]:
    """An error, what led to it, and the errors of which it is made up: one for each address that was tried."""
    waiting, seen = [error], set[int]()
    while waiting:
        one = waiting.pop()
        if id(one) in seen:
            continue
        seen.add(id(one))
        yield one
        waiting += [cause for cause in (one.__cause__, one.__context__) if cause is not None]
        waiting += one.exceptions if isinstance(one, BaseExceptionGroup) else ()
