"""How the two sides of a scene link come together: each proves that it knows the password, and neither says it."""

from __future__ import annotations

import asyncio
from collections.abc import Mapping

from tesoura.errors import CredentialsRejected, ResponseNotUnderstood
from tesoura.links import rpc
from tesoura.links.rpc import RequestObject, ResponseObject
from tesoura.links.scene import protocol
from tesoura.links.scene.door import Wire
from tesoura.links.scene.protocol import Challenge


async def come_in(wire: Wire, password: str) -> None:
    """Come in where we have connected: answer its challenge, and have it prove itself. Raises SourceError."""
    said = rpc.read(await wire.hear())
    if not isinstance(said, RequestObject) or said.method != "link.challenge":
        raise ResponseNotUnderstood("This is not a scene link: it didn't start with a challenge.", "")
    if said.params.get("open") is True:
        await wire.send(rpc.request(0, "link.prove", {"version": protocol.VERSION}))
    else:
        theirs = Challenge(str(said.params.get("salt", "")), str(said.params.get("nonce", "")))
        if not password:
            raise CredentialsRejected("The program requires a password. Enter the one set there.")
        if len(theirs.nonce) < 16 or len(theirs.nonce) > 200 or len(theirs.salt) > 200:
            raise ResponseNotUnderstood("Invalid challenge: the nonce is too short or too long.", "")
        ours = protocol.new_challenge()
        shown = await asyncio.to_thread(protocol.proof, password, theirs, protocol.OPENER)
        given = {"version": protocol.VERSION, "proof": shown, "salt": ours.salt, "nonce": ours.nonce}
        await wire.send(rpc.request(0, "link.prove", given))
    came = rpc.read(await wire.hear())
    if not isinstance(came, ResponseObject) or came.code is not None:
        why = came.words if isinstance(came, ResponseObject) else ""
        raise CredentialsRejected(f"The program refused the password{f' ({why})' if why else ''}. Enter it again.")
    if said.params.get("open") is not True:
        shown_back = came.result.get("proof") if isinstance(came.result, Mapping) else None
        if not await asyncio.to_thread(protocol.proven, password, ours, protocol.LISTENER, shown_back):
            raise CredentialsRejected("The other side doesn't know the password, so nothing was sent.")


async def let_in(wire: Wire, password: str) -> None:
    """Let in who has connected to us: challenge it, and prove ourselves. Raises SourceError."""
    if not password:
        raise CredentialsRejected("A password is required. Set the same one here and in the program.")
    ours = protocol.new_challenge()
    await wire.send(rpc.notice("link.challenge", {"version": protocol.VERSION, "salt": ours.salt, "nonce": ours.nonce}))
    said = rpc.read(await wire.hear())
    if not isinstance(said, RequestObject) or said.method != "link.prove" or said.id is None:
        raise CredentialsRejected("The program didn't answer the challenge.")
    if not await asyncio.to_thread(protocol.proven, password, ours, protocol.OPENER, said.params.get("proof")):
        await wire.send(rpc.refusal(said.id, protocol.NOT_PROVEN, "Wrong password."))
        raise CredentialsRejected("Wrong password. Set the same one on both sides.")
    theirs = Challenge(str(said.params.get("salt", ""))[:200], str(said.params.get("nonce", ""))[:200])
    shown = await asyncio.to_thread(protocol.proof, password, theirs, protocol.LISTENER)
    await wire.send(rpc.answer(said.id, {"version": protocol.VERSION, "proof": shown}))
