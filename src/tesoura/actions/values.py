"""Values that are set: the scene, a value set by hand, a signal of a script; and commands to instruments."""

from __future__ import annotations

from typing import Any

from tesoura.actions.action import Action, Call, Doing, Done, Given, one_of_these
from tesoura.core.forms.checks import text
from tesoura.core.forms.fields import Field
from tesoura.core.instruments.commands import PLACE
from tesoura.core.names import is_signal_name
from tesoura.core.signals.assignments import SCRIPT_FEED
from tesoura.core.signals.by_hand import checked, stepped
from tesoura.core.values import Scalar, as_scalar
from tesoura.errors import Gone, InvalidField, ValueRefused
from tesoura.runtime.facade import Runtime

MAX_STEPS = 1_000


def _scene(raw: object) -> str:
    return " ".join(str(raw).split())[:60]


async def _set_scene(doing: Doing, given: Given) -> Done:
    before, scene = doing.runtime.stage.scene, given["scene"]
    await doing.runtime.set_scene(scene, doing.actor, doing.cause, doing.id)
    words = f"The scene is {scene or 'none'}.{_unheard(doing, scene)}"
    return Done(words, {"scene": scene}, Call("scene.set", {"scene": before}))


def _unheard(doing: Doing, scene: str) -> str:
    """A question about a scene of which nobody ever told, with those there are."""
    there = doing.runtime.scenes()
    if not scene or not there or scene.casefold() in {one.casefold() for one in there}:
        return ""
    return f" Check the name. Known scenes: {', '.join(there[:12])}."


async def _foresee_scene(doing: Doing, given: Given) -> str:
    words = f"{doing.runtime.stage.scene or 'no scene'} → {given['scene'] or 'no scene'}"
    return words + _unheard(doing, given["scene"])


SET_SCENE = Action(
    "scene.set",
    "Change the scene",
    "Set the current scene as the streaming software would report it.",
    {"scene": Field("Scene", _scene, kind="scene")},
    _set_scene,
    _foresee_scene,
)


# Set by hand


def _steps(raw: object) -> int:
    if raw in ("", None):
        return 0
    try:
        steps = int(str(raw))
    except ValueError:
        steps = 0
    if not 0 < abs(steps) <= MAX_STEPS:
        raise InvalidField("Give `step` as a whole number: 1 is up, -1 is down.")
    return steps


def _anything(raw: object) -> object:
    return raw


def _chosen(choices: Given, given: Given, present: Scalar | None) -> Scalar:
    """The value that is wished for: given, or so many steps from the present one. Raises InvalidField."""
    if not given["step"]:
        return checked(choices, given["value"])
    value = present
    for _ in range(abs(given["step"]) if choices.get("what") == "number" else 1):
        value = stepped(choices, value, 1 if given["step"] > 0 else -1)
    assert value is not None
    return value


def _by_hand(doing: Doing, name: str) -> tuple[str, Given]:
    choices, signal = doing.runtime.feeds.hand_choices(name), doing.runtime.feeds.hand_signal(name)
    if choices is None or signal is None:
        raise Gone(f"Nothing is set by hand under {name[:60]}.")
    return signal, choices


async def _set_by_hand(doing: Doing, given: Given) -> Done:
    name = given["name"].lower()
    signal, choices = _by_hand(doing, name)
    before = doing.runtime.engine.values.get(signal)
    made = await doing.runtime.set_values.by_hand(
        signal, lambda present: _chosen(choices, given, present), doing.actor, doing.id
    )
    undo = Call("hand.set", {"name": name, "value": before}) if before is not None else None
    return Done(f"{signal} is {made.value}.", {"signal": signal}, undo)


async def _foresee_by_hand(doing: Doing, given: Given) -> str:
    signal, choices = _by_hand(doing, given["name"].lower())
    present = doing.runtime.engine.values.get(signal)
    return f"{'nothing yet' if present is None else present} → {_chosen(choices, given, present)}"


SET_BY_HAND = Action(
    "hand.set",
    "Set a value by hand",
    "Set a hand-set value, or change it by steps.",
    {"name": Field("Which", text(60)), "value": Field("Value", _anything), "step": Field("Steps", _steps)},
    _set_by_hand,
    _foresee_by_hand,
)


# Signals of scripts


def signal_name(raw: object) -> str:
    """A signal of the script feed by its name; `lamp` is short for `script.lamp`. Raises InvalidField."""
    name = str(raw).strip().lower()
    full = name if "." in name else f"{SCRIPT_FEED}.{name}"
    if not is_signal_name(full):
        raise InvalidField(f"{name[:60]} is not a signal's name. Use lower case letters, digits and _: script.lamp_on")
    return full


def _fresh_for_s(raw: object) -> float | None:
    if raw in ("", None):
        return None
    try:
        seconds = float(str(raw))
    except ValueError:
        seconds = -1.0
    if not 0 < seconds <= 31_536_000:
        raise InvalidField("Give `fresh_for_s` in seconds, at most a year.")
    return seconds


async def _set_signal(doing: Doing, given: Given) -> Done:
    name = given["name"]
    if not name.startswith(f"{SCRIPT_FEED}."):
        own = f"{SCRIPT_FEED}.{name.partition('.')[2]}"
        raise InvalidField(f"{name} belongs to a feed or an event. Scripts set their own signals, such as {own}.")
    try:
        value = as_scalar(given["value"])
    except ValueRefused as error:
        raise InvalidField(str(error)) from None
    unit: Any = given["unit"] or None
    await doing.runtime.put_signal(name, value, unit, given["fresh_for_s"], doing.actor)
    return Done(f"{name} is {value}.", {"signal": name})


SET_SIGNAL = Action(
    "signal.set",
    "Set a signal",
    "Set a signal of the script feed.",
    {
        "name": Field("Name", signal_name),
        "value": Field("Value", _anything),
        "unit": Field("Unit", text(60, empty=True)),
        "fresh_for_s": Field("Fresh for", _fresh_for_s, unit="s"),
    },
    _set_signal,
    needs=("name", "value"),
)


# Instruments


def _instruments(doing: Doing) -> list[str]:
    return [one.name for one in doing.runtime.instruments.setups("instruments")]


def _without_names(given: Given) -> dict[str, Any]:
    return {name: value for name, value in given.items() if name not in ("instrument", "command")}


SEEN, WOULD_BE_SEEN = "viewers see", "viewers would see"


def as_seen(runtime: Runtime, name: str, effect: str) -> str:
    """An effect in words that are true of what viewers have: while no page has the instrument, they see none of it."""
    if SEEN not in effect or runtime.stage.pages_showing(name):
        return effect
    return f"{effect.replace(SEEN, WOULD_BE_SEEN)}; no page has it now"


async def _command(doing: Doing, given: Given) -> Done:
    name, command = given["instrument"].lower(), given["command"].lower()
    try:
        step = await doing.runtime.instruments.command(
            name, command, _without_names(given), doing.actor, doing.cause, doing.id
        )
    except LookupError:
        raise one_of_these("instrument", name, _instruments(doing)) from None
    undo = None
    if step.undo is not None:
        back, with_it = step.undo
        # What is added gets its id by the place in the log at which it is.
        with_it = {
            one: had.replace(PLACE, str(step.seq)) if isinstance(had, str) else had for one, had in with_it.items()
        }
        undo = Call("instrument.command", {**with_it, "instrument": name, "command": back})
    effect = as_seen(doing.runtime, name, step.effect)
    return Done(effect[:1].upper() + effect[1:], {"effect": effect}, undo)


async def _foresee_command(doing: Doing, given: Given) -> str:
    name, command = given["instrument"].lower(), given["command"].lower()
    try:
        effect = doing.runtime.instruments.attempt(name, command, _without_names(given), doing.actor).effect
        return as_seen(doing.runtime, name, effect)
    except LookupError:
        raise one_of_these("instrument", name, _instruments(doing)) from None


COMMAND = Action(
    "instrument.command",
    "Send a command to an instrument",
    "Give the command's parameters beside it, such as `by` with `add`; GET /api/instruments lists them.",
    {"instrument": Field("Instrument", text(60)), "command": Field("Command", text(40))},
    _command,
    _foresee_command,
    open=True,
)

ALL = (SET_SCENE, SET_BY_HAND, SET_SIGNAL, COMMAND)
