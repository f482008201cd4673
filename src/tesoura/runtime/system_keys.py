"""Keys of the desk's buttons heard while another program has the keyboard: off until it is switched on."""

from __future__ import annotations

import asyncio
import contextlib
import importlib
import logging
import threading
from collections.abc import Callable, Coroutine
from typing import Any

from sqlmodel import Session

from tesoura.core.desk.keys import SYSTEM_MODIFIERS, is_for_everywhere, system_key
from tesoura.errors import SourceUnavailable, TesouraError
from tesoura.links.device.protocol import ButtonPress
from tesoura.runtime.desk_leaves import DeskLeaves
from tesoura.runtime.devices import Operator
from tesoura.store import state
from tesoura.store.store import Store

KEPT = "system_keys"
READY_S = 5.0
ACTOR = "desk"
MISSING = "This needs another package. Run pip install tesoura[keys], then restart Tesoura."
NOT_ALLOWED = (
    "This system doesn't let a program read keys typed elsewhere ({error}). On macOS, allow the terminal "
    "under Privacy & Security, "
    "Input Monitoring. Under Wayland it isn't possible: start an X11 session. Keys on the desk still work."
)
log = logging.getLogger(__name__)


class SystemKeys:
    """Hears keys, and presses the buttons that have them. One loop owns it; the keys come from a thread."""

    operator: Operator

    def __init__(
        self, store: Store, leaves: DeskLeaves, start: Callable[[Coroutine[Any, Any, Any], str], object]
    ) -> None:
        self._store, self._leaves, self._start = store, leaves, start
        self.wished = store.read(lambda session: state.choice(session, KEPT)) == "yes"
        self.problem = ""
        self._listener: Any = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._down: set[str] = set()

    @property
    def heard(self) -> bool:
        """Whether keys are heard everywhere now."""
        return self._listener is not None

    async def start(self) -> None:
        """Hear them, if that was chosen before."""
        self._loop = asyncio.get_running_loop()
        if self.wished:
            with contextlib.suppress(SourceUnavailable):
                await self._listen()

    async def switch(self, on: bool) -> None:
        """Hear keys everywhere, or on the desk alone. Raises SourceUnavailable where the system does not let us."""
        if on:
            await self._listen()
        else:
            self.stop()
            self.problem = ""
        self.wished = on

        def job(session: Session) -> None:
            state.choose(session, KEPT, "yes" if on else "no")

        await asyncio.wrap_future(self._store.writer.submit(job))

    def stop(self) -> None:
        """Hear nothing any more."""
        listener, self._listener = self._listener, None
        self._down.clear()
        if listener is not None:
            listener.stop()

    async def _listen(self) -> None:
        if self._listener is not None:
            return
        try:
            self._listener = await asyncio.to_thread(self._opened)
            self.problem = ""
        except SourceUnavailable as error:
            self.problem = str(error)
            raise

    def _opened(self) -> Any:
        """A listener that hears. Raises SourceUnavailable."""
        try:
            keyboard = importlib.import_module("pynput.keyboard")
        except ModuleNotFoundError:
            raise SourceUnavailable(MISSING) from None
        except Exception as error:
            # What is raised where there is no screen differs from system to system.
            raise SourceUnavailable(NOT_ALLOWED.format(error=str(error)[:80] or type(error).__name__)) from None
        listener = keyboard.Listener(on_press=self._pressed, on_release=self._released)
        listener.daemon = True
        listener.start()
        ready = threading.Thread(target=listener.wait, daemon=True)
        ready.start()
        ready.join(READY_S)
        if ready.is_alive() or not listener.running:
            listener.stop()
            raise SourceUnavailable(NOT_ALLOWED.format(error="it didn't answer"))
        return listener

    # From the thread

    def _pressed(self, key: Any, *more: Any) -> None:
        name, char = getattr(key, "name", None), getattr(key, "char", None)
        if name in SYSTEM_MODIFIERS:
            self._down.add(name)
            return
        modifiers = frozenset(SYSTEM_MODIFIERS[one] for one in self._down if one in SYSTEM_MODIFIERS)
        written, own = system_key(char, name, modifiers), f"key {name or (char or '').casefold()}"
        if own in self._down:
            # Held down, it tells itself again and again.
            return
        self._down.add(own)
        if written and is_for_everywhere(written) and self._loop is not None:
            with contextlib.suppress(RuntimeError):
                self._loop.call_soon_threadsafe(self._fire, written)

    def _released(self, key: Any, *more: Any) -> None:
        name, char = getattr(key, "name", None), getattr(key, "char", None)
        self._down.discard(name or "")
        self._down.discard(f"key {name or (char or '').casefold()}")
        if name in SYSTEM_MODIFIERS:
            # Without it, what is still held writes something else, under which its release is told.
            self._down = {one for one in self._down if one in SYSTEM_MODIFIERS}

    # On the loop

    def _fire(self, written: str) -> None:
        for _, button in self._leaves.present.with_keys():
            if button.key == written:
                self._start(self._press(button.id), "A key")

    async def _press(self, button: str) -> None:
        with contextlib.suppress(TesouraError):
            await self.operator.press(ButtonPress(button), ACTOR)
