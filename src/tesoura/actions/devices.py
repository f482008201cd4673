"""Phones and pads: a pairing opened, a device given another name and other leaves, a device removed."""

from __future__ import annotations

from typing import Any

from tesoura.actions.action import Action, Doing, Done, Given
from tesoura.actions.roles import SET_UP
from tesoura.core.forms.checks import text, whole
from tesoura.core.forms.fields import Field
from tesoura.errors import Gone, InvalidField
from tesoura.links.device.protocol import LONGEST_NAME
from tesoura.store import devices

_DEVICE = {"device": Field("Device", whole(1, 2**53), kind="number")}


def _leaves(raw: object) -> tuple[str, ...]:
    given = raw.split(",") if isinstance(raw, str) else raw or ()
    if not isinstance(given, list | tuple):
        raise InvalidField("Give the ids of the button pages as a list.")
    found = tuple(dict.fromkeys(str(one).strip()[:20] for one in given if str(one).strip()))
    if not found:
        raise InvalidField("Choose at least one button page.")
    return found


def _known(doing: Doing, leaves: tuple[str, ...]) -> tuple[str, ...]:
    for one in leaves:
        doing.runtime.leaves.present.leaf(one)
    return leaves


async def _pair(doing: Doing, given: Given) -> Done:
    pairing = doing.runtime.devices.begin_pairing(_known(doing, given["leaves"]), " ".join(given["name"].split()))
    doing.runtime.touched("devices")
    words = "One phone or pad can be paired within two minutes."
    return Done(words, {"digits": pairing.digits, "secret": pairing.secret})


async def _close(doing: Doing, given: Given) -> Done:
    doing.runtime.devices.pairings.close()
    doing.runtime.touched("devices")
    return Done("Pairing is closed.")


async def _change(doing: Doing, given: Given) -> Done:
    number, name, leaves = given["device"], " ".join(given["name"].split()), _known(doing, given["leaves"])

    def job(session: Any) -> devices.Device | None:
        if any(one.name.casefold() == name.casefold() and one.id != number for one in devices.listed(session)):
            raise InvalidField(f"There is a device {name} already. Choose another name.")
        return devices.change(session, number, name, leaves)

    device = await doing.write(job)
    if device is None:
        raise Gone("This device no longer exists.")
    doing.runtime.devices.follow(device)
    doing.runtime.touched("devices")
    return Done(f"“{device.name}” shows the button pages you chose.")


async def _remove(doing: Doing, given: Given) -> Done:
    name = await doing.write(lambda session: devices.remove(session, given["device"]))
    if name is None:
        raise Gone("This device no longer exists.")
    doing.runtime.devices.send_away(given["device"])
    doing.runtime.touched("devices")
    return Done(f"“{name}” was removed. To use it again, pair it again.")


_LEAVES = {"leaves": Field("Button pages", _leaves, kind="data")}
ALL = (
    Action(
        "device.pair",
        "Pair a phone or a pad",
        "Valid once within two minutes; with a name unless the device gives its own.",
        {**_LEAVES, "name": Field("Name", text(LONGEST_NAME, empty=True))},
        _pair,
        noted=True,
        may=SET_UP,
    ),
    Action("device.close", "Stop pairing", "The current code stops working.", {}, _close, may=SET_UP),
    Action(
        "device.change",
        "Change a device",
        "Name and button pages.",
        {**_DEVICE, **_LEAVES, "name": Field("Name", text(LONGEST_NAME))},
        _change,
        noted=True,
        may=SET_UP,
    ),
    Action(
        "device.remove", "Remove a device", "Its connection closes at once.", _DEVICE, _remove, noted=True, may=SET_UP
    ),
)
