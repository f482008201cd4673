"""Other machines let in and kept out again, keys heard in other programs: only from this machine itself."""

from __future__ import annotations

from tesoura.actions.action import Action, Doing, Done, Given
from tesoura.actions.roles import MACHINE
from tesoura.core.forms.checks import choice, text
from tesoura.core.forms.fields import Field
from tesoura.errors import InvalidField

LEAST_PASSWORD, MOST_PASSWORD = 8, 200


def _password(raw: object) -> str:
    typed = str(raw)
    if not LEAST_PASSWORD <= len(typed) <= MOST_PASSWORD:
        raise InvalidField(f"The password needs {LEAST_PASSWORD} characters or more.")
    return text(MOST_PASSWORD)(typed)


async def _on(doing: Doing, given: Given) -> Done:
    if doing.runtime.settings.on_network:
        raise InvalidField("Tesoura was already started for the network with its own password.")
    door = await doing.runtime.listening.switch_on(given["password"], given["tls"] == "yes")
    doing.runtime.touched("devices", "session")
    return Done(f"Other machines can connect on port {door.port}, with the password.", {"addresses": door.urls})


async def _off(doing: Doing, given: Given) -> Done:
    await doing.runtime.listening.switch_off()
    doing.runtime.touched("devices", "session")
    return Done("Network access is off. Everyone else was signed out.")


async def _keys(doing: Doing, given: Given) -> Done:
    on = given["on"] == "yes"
    await doing.runtime.system_keys.switch(on)
    doing.runtime.touched("devices", "leaves")
    return Done("Keys now work in other programs too." if on else "Keys now work only on the desk.")


ALL = (
    Action(
        "keys.everywhere",
        "Listen for keys everywhere",
        "F-keys and keys with Ctrl, Alt or Meta; with `on` no, only on the desk.",
        {"on": Field("Everywhere", choice(("yes", "no")), kind="switch", default="yes")},
        _keys,
        noted=True,
        may=MACHINE,
    ),
    Action(
        "listening.on",
        "Turn on network access",
        "On a separate port with a password, over TLS by default.",
        {
            "password": Field("Password", _password, kind="data"),
            "tls": Field("Over TLS", choice(("yes", "no")), kind="switch", default="yes"),
        },
        _on,
        needs=("password",),
        noted=True,
        may=MACHINE,
    ),
    Action("listening.off", "Turn off network access", "Signs everyone else out.", {}, _off, noted=True, may=MACHINE),
)
