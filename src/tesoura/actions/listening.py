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
        raise InvalidField(f"Others must give a password of {LEAST_PASSWORD} characters or more.")
    return text(MOST_PASSWORD)(typed)


async def _on(doing: Doing, given: Given) -> Done:
    if doing.runtime.settings.on_network:
        raise InvalidField("This Tesoura was started for the network already, with a password of its own.")
    door = await doing.runtime.listening.switch_on(given["password"], given["tls"] == "yes")
    doing.runtime.touched("devices", "session")
    return Done(f"Other machines are let in at port {door.port}, with the password.", {"addresses": door.urls})


async def _off(doing: Doing, given: Given) -> Done:
    await doing.runtime.listening.switch_off()
    doing.runtime.touched("devices", "session")
    return Done("Nobody but this machine is let in. Who was in has been put out.")


async def _keys(doing: Doing, given: Given) -> Done:
    on = given["on"] == "yes"
    await doing.runtime.system_keys.switch(on)
    doing.runtime.touched("devices", "leaves")
    return Done("Keys of buttons are heard in other programs, too." if on else "Keys press on the desk alone.")


ALL = (
    Action(
        "keys.everywhere",
        "Hear keys in other programs",
        "Those that nobody types; with `on` no, on the desk.",
        {"on": Field("Heard everywhere", choice(("yes", "no")), kind="switch", default="yes")},
        _keys,
        noted=True,
        may=MACHINE,
    ),
    Action(
        "listening.on",
        "Let other machines in",
        "At a door of their own, with a password, over TLS unless told.",
        {
            "password": Field("Password", _password, kind="data"),
            "tls": Field("Over TLS", choice(("yes", "no")), kind="switch", default="yes"),
        },
        _on,
        needs=("password",),
        noted=True,
        may=MACHINE,
    ),
    Action(
        "listening.off", "Let nobody else in", "Who came in by that door is put out.", {}, _off, noted=True, may=MACHINE
    ),
)
