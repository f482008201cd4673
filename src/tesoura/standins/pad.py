"""A pad for the command line: a device on the socket that shows its buttons as a table and takes typed presses."""

from __future__ import annotations

import json
import uuid
from collections.abc import Callable
from contextlib import ExitStack
from typing import Any

from websockets.sync.client import connect

ROWS, COLUMNS, DIALS = 3, 5, 2
HELP = "Type a button's number to press it, h 3 to hold it, t 3 2 to turn it by two steps, l 2 for the second page."


class Pad:
    """A device that is paired by a code, or known by its token. `tell` is given each line that it shows."""

    def __init__(self, address: str, tell: Callable[[str], None], code: str = "", token: str = "") -> None:
        self._tell, self._number = tell, 0
        self.buttons: list[dict[str, Any]] = []
        self.leaves: list[dict[str, str]] = []
        self._open = ExitStack()
        self._socket = self._open.enter_context(connect(address, open_timeout=5))
        known = {"code": code} if code else {"token": token}
        self._send(
            "device.hello",
            version=1,
            name="Command line",
            buttons={"rows": ROWS, "columns": COLUMNS},
            dials=DIALS,
            **known,
        )
        told = self._read()
        if "error" in told:
            self.close()
            raise PermissionError(told["error"]["message"])
        self.token = told["result"].get("token", token)

    def _send(self, method: str, **params: Any) -> None:
        self._number += 1
        self._socket.send(json.dumps({"jsonrpc": "2.0", "id": self._number, "method": method, "params": params}))

    def _read(self) -> dict[str, Any]:
        told: dict[str, Any] = json.loads(self._socket.recv())
        return told

    def run(self) -> None:
        """Show what is told until the connection ends."""
        for text in self._socket:
            told = json.loads(text)
            if told.get("method") == "leaf.shown":
                self.buttons, self.leaves = told["params"]["buttons"], told["params"]["leaves"]
                self._tell("— " + " · ".join(one["name"] for one in self.leaves) + " —")
                for number, one in enumerate(self.buttons, 1):
                    self._tell(self.line(number, one))
            elif told.get("method") == "buttons.changed":
                news = {one["id"]: one for one in told["params"]["buttons"]}
                for at, one in enumerate(self.buttons):
                    if one["id"] in news:
                        self.buttons[at] = news[one["id"]]
                        self._tell(self.line(at + 1, news[one["id"]]))
            elif "error" in told:
                self._tell(f"✕ {told['error']['message']}")
            elif (told.get("result") or {}).get("done") is False:
                self._tell(f"✕ {told['result']['words']}")

    @staticmethod
    def line(number: int, one: dict[str, Any]) -> str:
        """A button as a line."""
        wait = f", {one['wait_s']:.0f} s left" if "wait_s" in one else ""
        value = f" [{one['value']}]" if "value" in one else ""
        return f"{number:2} {'●' if one['on'] else '○'} {one['words']}{value}: {one['state']}{wait}"

    def typed(self, line: str) -> None:
        """Carry out what was typed."""
        words = line.split()
        try:
            if words[0] == "l":
                self._send("leaf.show", leaf=self.leaves[int(words[1]) - 1]["id"])
                return
            one = self.buttons[int(words[-1] if words[0] == "h" else words[1] if words[0] == "t" else words[0]) - 1]
            if words[0] == "t":
                self._send("dial.turn", button=one["id"], by=int(words[2]))
            else:
                method = "button.hold" if words[0] == "h" else "button.press"
                self._send(method, button=one["id"], press=uuid.uuid4().hex, on=one["on"])
        except (IndexError, ValueError):
            self._tell(HELP)

    def close(self) -> None:
        """Go away."""
        self._open.close()
