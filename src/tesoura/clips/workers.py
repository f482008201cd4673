"""Processes for clips: one that answers at once, one of low priority for what takes long; started, asked, ended."""

from __future__ import annotations

import asyncio
import contextlib
import json
import subprocess
import sys
from collections.abc import Callable, Mapping
from typing import Any

from tesoura.errors import FileRefused, TooMuch

QUICK_S, LONG_S, START_S = 20.0, 3_600.0, 30.0
NICE = 15
LINE_BYTES = 1_000_000
_WINDOWS_BELOW = 0x00004000
Told = Mapping[str, Any]
Tell = Callable[[float], None]


class ClipWorker:
    """One process, with one job at a time. It is started for the first, and ended when a job takes too long."""

    def __init__(self, limit_s: float = QUICK_S, nice: int = 0) -> None:
        self._limit_s, self._nice = limit_s, nice
        self._turn = asyncio.Lock()
        self._process: asyncio.subprocess.Process | None = None
        self._stopped = False

    async def run(self, do: str, given: Told, tell: Tell = lambda share: None) -> Told:
        """What a job gives. Raises FileRefused, and TooMuch when it takes too long; stopped when its task is."""
        async with self._turn:
            try:
                async with asyncio.timeout(self._limit_s):
                    return await self._run({**given, "do": do}, tell)
            except TimeoutError:
                await self._end()
                raise TooMuch(f"The clip took longer than {self._limit_s:.0f} s to read, so it was skipped.") from None
            except (asyncio.CancelledError, OSError, ValueError, EOFError):
                await self._end()
                raise

    async def _run(self, job: Told, tell: Tell) -> Told:
        process = await self._started()
        assert process.stdin is not None
        assert process.stdout is not None
        process.stdin.write(json.dumps(job).encode() + b"\n")
        await process.stdin.drain()
        while line := await process.stdout.readline():
            told = json.loads(line)
            if "progress" in told:
                tell(float(told["progress"]))
            elif "refused" in told:
                raise FileRefused(str(told["refused"]))
            elif "failed" in told:
                raise FileRefused(f"An error in Tesoura stopped this ({told['failed']}). See the terminal for details.")
            else:
                done: Told = told["done"]
                return done
        await self._end()
        raise FileRefused("Reading the clip crashed its process, so the clip was skipped.")

    async def _started(self) -> asyncio.subprocess.Process:
        process = self._process
        if process is None or process.returncode is not None:
            if self._stopped:
                raise FileRefused("Tesoura is shutting down, so the clip was not read.")
            more: dict[str, Any] = {}
            if sys.platform == "win32":
                more["creationflags"] = _WINDOWS_BELOW | subprocess.CREATE_NO_WINDOW if self._nice else 0
            process = self._process = await asyncio.create_subprocess_exec(
                sys.executable,
                "-m",
                "tesoura.clips.work",
                str(self._nice),
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                limit=LINE_BYTES,
                **more,
            )
            if self._stopped:
                await self._end()
            assert process.stdout is not None
            async with asyncio.timeout(START_S):
                await process.stdout.readline()
        return process

    async def warm(self) -> None:
        """Let it be there before it is needed."""
        async with self._turn:
            with contextlib.suppress(OSError, TimeoutError, FileRefused):
                await self._started()

    async def _end(self) -> None:
        process, self._process = self._process, None
        if process is not None and process.returncode is None:
            with contextlib.suppress(ProcessLookupError):
                process.kill()
            await process.wait()

    async def stop(self) -> None:
        """End the process, for good."""
        self._stopped = True
        await self._end()
