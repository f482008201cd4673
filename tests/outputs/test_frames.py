"""The connection of a page: it ends with the server, whatever the page does at that moment."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

from websockets.server import ServerProtocol

from tesoura.outputs.frames import FrameWriter


def test_a_page_that_is_just_leaving_does_not_keep_the_server_from_ending() -> None:
    closed: list[str] = []
    page: Any = FrameWriter.__new__(FrameWriter)
    page.stop_keepalive = lambda: None
    page.close_sent, page.handshake_complete = False, True
    page.queue = SimpleNamespace(put_nowait=lambda told: None)
    page.transport = SimpleNamespace(close=lambda: closed.append("closed"))
    # A connection that was never opened can send no close frame, as one that the page has just closed.
    page.conn = ServerProtocol()
    page.shutdown()
    assert closed == ["closed"]
