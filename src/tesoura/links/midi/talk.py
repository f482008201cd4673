"""An open MIDI port: what comes in, and what the device is shown. Source: the MIDI 1.0 specification, by mido."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncGenerator, Mapping
from types import ModuleType
from typing import Any

from tesoura.core.desk.controls import ControlMoved, midi_sign
from tesoura.errors import SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.links.moves import Moves

MOST = 127


def moved(message: Any) -> ControlMoved | None:
    """The control that a message moves; None for one that moves none."""
    kind = message.type
    if kind in ("note_on", "note_off"):
        value = message.velocity / MOST if kind == "note_on" else 0.0
        # However softly it was touched, it was touched.
        return ControlMoved(midi_sign("note", message.note, message.channel + 1), 1.0 if value > 0 else 0.0)
    if kind == "control_change":
        return ControlMoved(midi_sign("control", message.control, message.channel + 1), message.value / MOST)
    return None


def shown(sign: str, value: float) -> dict[str, Any]:
    """What is sent to show where a control stands."""
    what, number, _, _, channel = sign.split()
    if what == "note":
        return {
            "type": "note_on",
            "note": int(number),
            "channel": int(channel) - 1,
            "velocity": MOST if value >= 0.5 else 0,
        }
    return {"type": "control_change", "control": int(number), "channel": int(channel) - 1, "value": round(value * MOST)}


class MidiLink:
    """The device while its port is open."""

    def __init__(self, mido: ModuleType, output: Any) -> None:
        self._mido, self._output = mido, output
        self._loop = asyncio.get_running_loop()
        self.moves = Moves()

    def came(self, message: Any) -> None:
        """A message came; told from another thread."""
        with contextlib.suppress(RuntimeError):
            self._loop.call_soon_threadsafe(self._came, moved(message))

    def _came(self, one: ControlMoved | None) -> None:
        if one is not None:
            self.moves.add(one)

    def show(self, sign: str, value: float) -> None:
        """Show where a control stands, at the device."""
        if self._output is not None and not sign.startswith("/"):
            with contextlib.suppress(OSError, ValueError):
                self._output.send(self._mido.Message(**shown(sign, value)))

    def standing(self) -> Mapping[str, Any]:
        """How it stands, for its page."""
        return {"heard": self.moves.heard, "dropped": self.moves.dropped}

    def close(self) -> None:
        """Show nothing any more."""
        if self._output is not None:
            self._output.close()


def _mido() -> ModuleType:
    try:
        import mido
    except ImportError:
        raise SourceUnavailable(
            "MIDI needs another package. Run pip install tesoura[midi] and restart Tesoura."
        ) from None
    return mido  # type: ignore[no-any-return]


def _named(names: list[str], wished: str, what: str) -> str:
    """The port of this name, or the first whose name has it. Raises SourceUnavailable, which names those there are."""
    found = [one for one in names if wished.casefold() in one.casefold()]
    if not found:
        there = f"There are: {', '.join(names)}." if names else "No device found. Connect one."
        raise SourceUnavailable(f"There is no MIDI {what} {wished or ''} here. {there}".replace("  ", " "))
    return found[0]


async def talk(context: FetchContext) -> AsyncGenerator[Fetched]:
    """What comes, until it is stopped. Raises SourceUnavailable."""
    mido, wished = _mido(), str(context.choices.get("device") or "")
    try:
        names = await asyncio.to_thread(lambda: list(mido.get_input_names()))
        name = _named(names, wished, "device")
        outputs = await asyncio.to_thread(lambda: list(mido.get_output_names()))
        output = next((one for one in outputs if one == name or (wished and wished.casefold() in one.casefold())), None)
        link = MidiLink(mido, mido.open_output(output) if output else None)
        port = mido.open_input(name, callback=link.came)
    except (OSError, ImportError, RuntimeError) as error:
        raise SourceUnavailable(
            f"The MIDI device can't be opened ({error}). Check whether another program is using it."
        ) from None
    try:
        yield Fetched({}, quiet=True, note=f"{name} is open. Touch a control.")
        if context.trying:
            return
        context.link = link
        async for came in link.moves.told():
            yield came
    finally:
        context.link = None
        port.close()
        link.close()
