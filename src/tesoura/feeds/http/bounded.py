"""Answers within bounds for libraries that read them whole: so many bytes, and not packed."""

from __future__ import annotations

from collections.abc import AsyncIterator

import httpx

from tesoura.errors import ResponseNotUnderstood


class BoundedTransport(httpx.AsyncHTTPTransport):
    """Lets an answer in up to `most_bytes`. Raises ResponseNotUnderstood for a longer one, and for a packed one."""

    def __init__(self, most_bytes: int) -> None:
        super().__init__(trust_env=False)
        self._most_bytes = most_bytes

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        """Send a request; its answer is read within bounds."""
        request.headers["Accept-Encoding"] = "identity"
        answer = await super().handle_async_request(request)
        where = request.url.netloc.decode("ascii", "replace")
        packed = answer.headers.get("content-encoding", "identity").strip().lower()
        if packed not in ("", "identity"):
            await answer.aclose()
            raise ResponseNotUnderstood(
                f"{where} sent a compressed response: “{packed[:20]}”, which was not requested.", ""
            )
        answer.stream = _Bounded(answer.stream, self._most_bytes, where)
        return answer


class _Bounded(httpx.AsyncByteStream):
    def __init__(self, stream: httpx.SyncByteStream | httpx.AsyncByteStream, left: int, where: str) -> None:
        assert isinstance(stream, httpx.AsyncByteStream)
        self._stream, self._left, self._where = stream, left, where

    async def __aiter__(self) -> AsyncIterator[bytes]:
        async for chunk in self._stream:
            self._left -= len(chunk)
            if self._left < 0:
                raise ResponseNotUnderstood(f"{self._where} sent too much data for a sign-in.", "")
            yield chunk

    async def aclose(self) -> None:
        await self._stream.aclose()
