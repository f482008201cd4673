"""A scene link for your own software: fit `scenes` and `switch` to it. It needs the package websockets, nothing else.

python scene_link_adapter.py ws://127.0.0.1:8765/scene-link/NAME   (the password stands in the variable LINK_PASSWORD)
"""

import asyncio
import base64
import hashlib
import hmac
import json
import os
import sys
from datetime import UTC, datetime

import websockets

SCENES, present = ["Play", "Talk", "Break"], "Play"


def scenes():
    """The names of all scenes, and that of the present one: ask your software."""
    return SCENES, present


def switch(scene):
    """Make this the present scene: tell your software."""
    globals()["present"] = scene


def proof(password, salt, nonce, role):
    """What shows that one knows the password."""
    key = hashlib.pbkdf2_hmac("sha256", password.encode(), salt.encode(), 100_000)
    return base64.b64encode(hmac.digest(key, f"{role}:{nonce}".encode(), "sha256")).decode()


def answer(method, params):
    """What is answered when Tesoura asks."""
    names, now = scenes()
    if method == "scene.list":
        return {"result": {"scenes": names, "current": now}}
    if method == "scene.switch" and params.get("scene") in names:
        switch(params["scene"])
        return {"result": {"scene": params["scene"], "before": now}}
    return {"error": {"code": 1 if method == "scene.switch" else -32601, "message": "There is no such one here"}}


async def watch(socket):
    """Tell every change of the scene, whoever made it."""
    before = scenes()[1]
    while True:
        await asyncio.sleep(0.05)
        if (now := scenes()[1]) != before:
            before, params = now, {"scene": now, "at": datetime.now(UTC).isoformat()}
            await socket.send(json.dumps({"jsonrpc": "2.0", "method": "scene.changed", "params": params}))


async def main(address, password):
    """Come in, and answer until it breaks; then again."""
    async for socket in websockets.connect(address):
        asked = json.loads(await socket.recv())["params"]
        shown, nonce = (
            proof(password, asked["salt"], asked["nonce"], "opener"),
            base64.b64encode(os.urandom(18)).decode(),
        )
        given = {"version": 1, "proof": shown, "salt": "adapter", "nonce": nonce}
        await socket.send(json.dumps({"jsonrpc": "2.0", "id": 0, "method": "link.prove", "params": given}))
        back = json.loads(await socket.recv()).get("result", {}).get("proof")
        if back != proof(password, "adapter", nonce, "listener"):
            sys.exit("The password is another than Tesoura's.")
        watching = asyncio.create_task(watch(socket))
        try:
            async for text in socket:
                asked = json.loads(text)
                said = {"jsonrpc": "2.0", "id": asked["id"], **answer(asked["method"], asked.get("params", {}))}
                await socket.send(json.dumps(said))
        finally:
            watching.cancel()


asyncio.run(main(sys.argv[1], os.environ["LINK_PASSWORD"]))
