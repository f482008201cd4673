"""Keys of the keyboard that fire the desk's buttons: how one is written, and which cannot be had.

A key is written as a person says it: `k`, `Shift+K`, `Ctrl+1`, `F13`, `Numpad 5`. Letters and signs are those that the
layout of the keyboard gives, so that what is written on the key is what is written on the button.
"""

from __future__ import annotations

import re

from tesoura.core.signals.by_hand import TAKEN_KEYS
from tesoura.errors import InvalidField

MODIFIERS = ("Ctrl", "Alt", "Shift", "Meta")
NAMED = (
    "Space",
    "Insert",
    "Delete",
    "Home",
    "End",
    "PageUp",
    "PageDown",
    "Pause",
    "ScrollLock",
    "ContextMenu",
    "MediaPlayPause",
    "MediaStop",
    "MediaTrackNext",
    "MediaTrackPrevious",
)
_BY_NAME = {one.casefold(): one for one in NAMED}
_FUNCTION = re.compile(r"F([1-9]|1\d|2[0-4])", re.IGNORECASE)
_NUMPAD = re.compile(r"numpad ?([0-9+\-*/.,]|enter)", re.IGNORECASE)
BROWSERS = {
    "F5": "reloads the page",
    "F11": "fills the screen",
    "F12": "opens the browser's tools",
    "Ctrl+W": "closes the page",
    "Ctrl+T": "opens another page",
    "Ctrl+N": "opens another window",
    "Ctrl+R": "reloads the page",
    "Ctrl+L": "goes to the address",
    "Ctrl+F": "searches the page",
    "Ctrl+C": "copies",
    "Ctrl+V": "pastes",
    "Ctrl+X": "cuts",
    "Ctrl+Z": "undoes typing",
    "Ctrl+A": "selects all",
    "Ctrl+P": "prints",
    "Ctrl+S": "saves the page",
    "Alt+F4": "closes the window",
    "Space": "presses what has the focus",
}
"""Keys that browsers keep for themselves, and what they do there."""


def desk_key(raw: object) -> str:
    """A key as it is written, or none. Raises InvalidField for what is no key, and for one that is taken for good."""
    typed = " ".join(str(raw).split())
    if not typed:
        return ""
    modifiers, name = _parts(typed)
    if len(name) == 1:
        name = name.upper() if modifiers and name.isalpha() else name.casefold()
    key = "+".join([*(one for one in MODIFIERS if one in modifiers), name])
    if key in BROWSERS:
        raise InvalidField(f"{key} {BROWSERS[key]} in the browser. Press another.")
    if key in TAKEN_KEYS:
        raise InvalidField(f"“{key}” is used by Tesoura's pages. Press another.")
    return key


def _parts(typed: str) -> tuple[set[str], str]:
    modifiers: set[str] = set()
    rest = typed
    while True:
        first, plus, after = rest.partition("+")
        known = next((one for one in MODIFIERS if one.casefold() == first.strip().casefold()), None)
        if not plus or known is None or not after:
            break
        modifiers.add(known)
        rest = after.strip()
    return modifiers, _name(rest)


def _name(rest: str) -> str:
    if len(rest) == 1 and rest.isprintable():
        return rest
    if _FUNCTION.fullmatch(rest):
        return rest.upper()
    if pad := _NUMPAD.fullmatch(rest):
        return f"Numpad {pad[1].capitalize()}"
    if (known := _BY_NAME.get(rest.casefold())) is not None:
        return known
    raise InvalidField("This key can't be used. Press a letter, sign or F-key, with or without Ctrl, Alt or Shift.")


SYSTEM_NAMES = {
    "space": "Space",
    "insert": "Insert",
    "delete": "Delete",
    "home": "Home",
    "end": "End",
    "page_up": "PageUp",
    "page_down": "PageDown",
    "pause": "Pause",
    "scroll_lock": "ScrollLock",
    "menu": "ContextMenu",
    "media_play_pause": "MediaPlayPause",
    "media_stop": "MediaStop",
    "media_next": "MediaTrackNext",
    "media_previous": "MediaTrackPrevious",
    **{f"f{number}": f"F{number}" for number in range(1, 25)},
}
"""What the system calls keys that write nothing, and how they are written here."""
SYSTEM_MODIFIERS = {
    name: modifier
    for modifier, names in (
        ("Ctrl", ("ctrl", "ctrl_l", "ctrl_r")),
        ("Alt", ("alt", "alt_l", "alt_r")),
        ("Shift", ("shift", "shift_l", "shift_r")),
        ("Meta", ("cmd", "cmd_l", "cmd_r")),
    )
    for name in names
}
_ALONE = (
    *(f"F{number}" for number in range(1, 25)),
    "Pause",
    "ScrollLock",
    "Insert",
    "MediaPlayPause",
    "MediaStop",
    "MediaTrackNext",
    "MediaTrackPrevious",
)


def is_for_everywhere(key: str) -> bool:
    """Whether a key may be heard in other programs too: not one that somebody types there."""
    parts = key.split("+")
    return bool({"Ctrl", "Alt", "Meta"} & set(parts[:-1])) or parts[-1] in _ALONE


def system_key(char: str | None, name: str | None, modifiers: frozenset[str]) -> str:
    """A key that the system told, as it is written; empty for one that cannot be had.

    `char` is what it writes, where it writes anything; with Ctrl that may be a control character. `name` is what the
    system calls it.
    """
    if char is not None and len(char) == 1:
        if ord(char) < 27 and "Ctrl" in modifiers:
            char = chr(ord(char) + 96)
        if not char.isprintable() or char.isspace():
            return ""
        letter = char.isalpha()
        held = [one for one in MODIFIERS if one in modifiers and (one != "Shift" or letter)]
        return "+".join([*held, char.upper() if held and letter else char.casefold()])
    known = SYSTEM_NAMES.get(name or "")
    return "+".join([*(one for one in MODIFIERS if one in modifiers), known]) if known else ""
