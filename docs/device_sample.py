"""A pad for a terminal: shows its buttons, and presses the one whose number you type.

python device_sample.py ws://127.0.0.1:8765/device-socket 190905   (the digits only at first)
"""

import asyncio
import json
import sys
import uuid
from pathlib import Path

import websockets

KEPT = Path(__file__).with_suffix(".token")
buttons = {}


def draw():
    """All buttons, a line each: what stands on it, and what a press would do."""
    for number, one in enumerate(buttons.values(), 1):
        wait = f" ({one['wait_s']:.0f} s left)" if "wait_s" in one else ""
        print(f"{number:2} {'●' if one['on'] else '○'} {one['words']}: {one['state']}{wait}", flush=True)


async def send(socket, number, method, **params):
    """Ask for something."""
    await socket.send(json.dumps({"jsonrpc": "2.0", "id": number, "method": method, "params": params}))


async def press(socket):
    """Press what is typed, until there is no more."""
    while line := await asyncio.to_thread(sys.stdin.readline):
        if line.strip().isdigit() and 0 < int(line) <= len(buttons):
            one = list(buttons.values())[int(line) - 1]
            await send(socket, int(line) + 1, "button.press", button=one["id"], press=uuid.uuid4().hex, on=one["on"])


async def hear(socket):
    """Take in what is told."""
    async for text in socket:
        told = json.loads(text)
        params = told.get("params", {})
        if told.get("method") == "leaf.shown":
            buttons.clear()
        if params:
            buttons.update({one["id"]: one for one in params["buttons"]})
            draw()
        elif "token" in (told.get("result") or {}):
            KEPT.write_text(told["result"]["token"])


async def main(address, code):
    """Come in, by the digits or by what is kept of them."""
    async with websockets.connect(address) as socket:
        known = {"code": code} if code else {"token": KEPT.read_text()}
        await send(socket, 1, "device.hello", version=1, name="Terminal pad", **known)
        await asyncio.gather(hear(socket), press(socket))


asyncio.run(main(sys.argv[1], (sys.argv[2:] or [""])[0]))
