"""Why nothing answers at an address, in a sentence."""

from __future__ import annotations

import socket
import ssl
from collections.abc import Iterator


def no_connection(where: str, error: BaseException) -> str:
    """Why a connection was not made: the name is not known, the certificate was refused, or nobody is there."""
    causes = list(_causes(error))
    if any(isinstance(one, socket.gaierror) for one in causes):
        return f"There is no {where} found. Check the address and your connection."
    if any(isinstance(one, ssl.SSLError) for one in causes) or "certificate" in str(error).lower():
        return f"{where} has an invalid certificate. Check the address."
    told = (one.strerror for one in causes if isinstance(one, OSError) and not isinstance(one, ConnectionRefusedError))
    reason = next((words for words in told if words), "the connection was refused")
    return f"No answer at {where}: {reason}. Check that the program is running and the port is right."


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
