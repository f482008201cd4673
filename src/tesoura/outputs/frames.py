"""uvicorn's WebSocket protocol, which here can also write a frame that was made once for many connections."""

from __future__ import annotations

from typing import Any

from uvicorn.protocols.websockets.websockets_sansio_impl import WebSocketsSansIOProtocol
from websockets.exceptions import InvalidState

from tesoura.outputs.sockets import WRITE_FRAME


class FrameWriter(WebSocketsSansIOProtocol):
    """Offers `write_frame` to the application, in the connection's scope."""

    def handle_connect(self, event: Any) -> None:
        """Shake hands, then put the offer into the scope, before the application runs."""
        super().handle_connect(event)
        if hasattr(self, "scope"):
            extensions: dict[str, Any] = self.scope["extensions"]
            extensions[WRITE_FRAME] = self.write_frame

    def shutdown(self) -> None:
        """End with the server. A page that is leaving at this moment must not keep it from ending in good order."""
        try:
            super().shutdown()
        except InvalidState:
            self.transport.close()

    def write_frame(self, frame: bytes) -> bool:
        """Write a whole frame now; False, and nothing written, when the connection is busy, closing or not open."""
        if not self.handshake_complete or self.close_sent or not self.writable.is_set() or self.transport.is_closing():
            return False
        self.transport.write(frame)
        return True
