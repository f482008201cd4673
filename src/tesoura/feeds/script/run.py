"""Running a program: within its time, with an end to what it may say, and all that it started gone with it."""

from __future__ import annotations

import asyncio
import contextlib
import os
import signal
import time
from asyncio.subprocess import PIPE, Process
from collections.abc import AsyncIterator

from tesoura.core.values import MAX_TEXT
from tesoura.errors import ResponseNotUnderstood, SourceUnavailable
from tesoura.feeds.api import FetchContext, Fetched
from tesoura.feeds.formats import line_payload, numbers_in, read
from tesoura.feeds.script.words import command, environment

MAX_BYTES = 1_000_000
MAX_LINE = 64_000
MAX_ERRORS = 4_000
LINES_AT_ONCE = 200
TOLD_S = 20.0


async def _start(context: FetchContext, told: bool = False) -> Process:
    choices = context.choices
    program = str(choices["program"])
    words = command(context.folders.scripts, program, str(choices.get("words", "")))
    env = environment(os.environ, str(choices.get("variable", "")), context.secrets.get("secret", ""))
    try:
        return await asyncio.create_subprocess_exec(
            *words,
            stdin=PIPE if told else asyncio.subprocess.DEVNULL,
            stdout=PIPE,
            stderr=PIPE,
            env=env,
            cwd=context.folders.scripts,
            limit=MAX_LINE,
            start_new_session=os.name == "posix",
        )
    except OSError as error:
        raise SourceUnavailable(f"{program} couldn't be started ({error.strerror or error}).") from None


async def _end(process: Process) -> None:
    """Let nothing that it started live on."""
    with contextlib.suppress(ProcessLookupError, PermissionError):
        if os.name == "posix":
            os.killpg(process.pid, signal.SIGKILL)
        else:
            process.kill()
    transport = getattr(process, "_transport", None)
    if transport is not None:
        transport.close()
    with contextlib.suppress(TimeoutError, ProcessLookupError):
        await asyncio.wait_for(process.wait(), 5)


class Errors:
    """The end of what a program writes to its standard error."""

    def __init__(self, process: Process) -> None:
        self._kept = bytearray()
        self._task = asyncio.ensure_future(self._read(process))

    async def _read(self, process: Process) -> None:
        assert process.stderr is not None
        while chunk := await process.stderr.read(8_192):
            self._kept += chunk
            del self._kept[:-MAX_ERRORS]

    async def text(self) -> str:
        """What it wrote, once it has nothing more to say."""
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(asyncio.shield(self._task), 1)
        return self.now()

    def now(self) -> str:
        """What it has written so far."""
        return self._kept.decode("utf-8", "replace").strip()

    def stop(self) -> None:
        """Do not listen any more."""
        self._task.cancel()


async def run_again(context: FetchContext) -> AsyncIterator[Fetched]:
    """What each run gave, the next one after a while, until one fails."""
    while True:
        yield await run_once(context)
        if context.trying:
            return
        await asyncio.sleep(float(context.choices.get("period_s", 30.0)))


async def run_once(context: FetchContext) -> Fetched:
    """One run from start to end. Raises SourceError."""
    began = time.monotonic()
    said, wrote = await _ran(context, float(context.choices.get("limit_s", 10.0)))
    payload = _payload(said.decode("utf-8", "replace"), str(context.choices["program"]), wrote)
    return Fetched(payload, len(said), (time.monotonic() - began) * 1000, note=_wrote(wrote))


async def run_told(context: FetchContext, told: str) -> str:
    """One run that is told a line on its standard input; how what it said begins. Raises SourceError.

    It is no argument: what viewers typed can become no option of the program.
    """
    said, _ = await _ran(context, TOLD_S, told)
    return " ".join(said[:800].decode("utf-8", "replace").split())[:200]


async def _ran(context: FetchContext, limit_s: float, told: str | None = None) -> tuple[bytes, str]:
    """What a run said, and what it wrote to its errors."""
    program = str(context.choices["program"])
    process = await _start(context, told is not None)
    errors = Errors(process)
    assert process.stdout is not None
    said = bytearray()
    try:
        async with asyncio.timeout(limit_s):
            if told is not None:
                await _tell(process, told)
            while chunk := await process.stdout.read(65_536):
                said += chunk
                if len(said) > MAX_BYTES:
                    raise ResponseNotUnderstood(
                        f"{program} wrote more than {MAX_BYTES // 1_000_000} MB and was stopped. It must write less.",
                        said[:300].decode("utf-8", "replace"),
                    )
            code = await process.wait()
        wrote = await errors.text()
    except TimeoutError:
        wrote = errors.now()
        raise _failed(f"{program} didn't finish within {limit_s:g} s and was stopped.", wrote) from None
    finally:
        errors.stop()
        await _end(process)
    if code != 0:
        raise _failed(f"{program} ended with exit code {code}.", wrote)
    return bytes(said), wrote


async def _tell(process: Process, told: str) -> None:
    assert process.stdin is not None
    # One that does not read, or has ended already, is told nothing, and that is all.
    with contextlib.suppress(OSError, RuntimeError):
        process.stdin.write(f"{' '.join(told.split())}\n".encode())
        await process.stdin.drain()
        process.stdin.close()


def _failed(message: str, wrote: str) -> SourceUnavailable:
    error = SourceUnavailable(f"{message} {'Its error output is below.' if wrote else ''}".strip())
    error.payload = wrote[-300:] or None
    return error


def _wrote(errors: str) -> str:
    return f"Error output: {errors[-300:]}" if errors else ""


def _payload(said: str, program: str, errors: str) -> object:
    lines = [line for line in said.splitlines() if line.strip()]
    if not lines:
        raise _failed(f"{program} printed nothing. It must print JSON or one line of text.", errors)
    if said.lstrip()[:1] in "{[":
        if len(lines) > 1 and all(line.lstrip()[:1] == "{" for line in lines):
            with contextlib.suppress(ValueError):
                return {"lines": [_strict(line) for line in lines], "last": _strict(lines[-1])}
        return read(said, "json", program)
    if len(lines) > 1:
        raise ResponseNotUnderstood(
            f"{program} printed {len(lines)} lines that are not JSON. Print JSON or one line of text.", said[:300]
        )
    return {"text": lines[0][:MAX_TEXT], "numbers": numbers_in(lines[0][:MAX_TEXT])}


def _strict(line: str) -> object:
    payload = line_payload(line)
    if isinstance(payload, dict) and set(payload) == {"text", "numbers"}:
        raise ValueError
    return payload


async def kept_running(context: FetchContext) -> AsyncIterator[Fetched]:
    """What each line said, until the program ends. Raises SourceError then."""
    program = str(context.choices["program"])
    process = await _start(context)
    errors = Errors(process)
    assert process.stdout is not None
    try:
        yield Fetched(note="Running. Its output appears here.")
        while True:
            try:
                line = await process.stdout.readline()
            except ValueError:
                raise ResponseNotUnderstood(
                    f"{program} wrote a line of over {MAX_LINE // 1_000} kB and was stopped. It must write less.", ""
                ) from None
            if not line:
                break
            text = line.decode("utf-8", "replace").strip()
            if text:
                payload = line_payload(text)
                yield Fetched(payload, len(line), message=payload, note=_wrote(errors.now()))
        code = await process.wait()
        raise _failed(f"{program} ended with exit code {code}. Restarting.", await errors.text())
    finally:
        errors.stop()
        await _end(process)
