"""Bodies counted as they come in, before anything of them is kept: too large a one is refused at its first byte too many, too slow a one is let go."""

from __future__ import annotations

import asyncio
import json
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from config.limits import TOO_LARGE, most_bytes

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[MutableMapping[str, Any], Receive, Send], Awaitable[None]]

PIECE_S = 20.0  # without a piece of a body that is not whole
WHOLE_S = 180.0  # for all of it
TOO_SLOW = "What was sent did not come whole in time. Nothing of it was stored; send it again."


class _Refused(Exception):
    def __init__(self, status: int, code: str, message: str) -> None:
        super().__init__(message)
        self.status, self.code, self.message = status, code, message


class Body:
    """The body of one request on its way in."""

    def __init__(self, receive: Receive, most: int) -> None:
        self._receive, self._most = receive, most
        self._came, self._is_whole = 0, False
        self._until = asyncio.get_running_loop().time() + WHOLE_S

    async def receive(self) -> Message:
        """The next piece, counted; once it is whole, whatever comes."""
        if self._is_whole:
            return await self._receive()
        left = min(PIECE_S, self._until - asyncio.get_running_loop().time())
        try:
            message = await asyncio.wait_for(self._receive(), max(0.0, left))
        except TimeoutError:
            raise _Refused(408, "too_slow", TOO_SLOW) from None
        if message["type"] == "http.request":
            self._came += len(message.get("body", b""))
            self._is_whole = not message.get("more_body", False)
            if self._came > self._most:
                raise _too_large(self._most)
        return message


def _too_large(most: int) -> _Refused:
    return _Refused(413, "too_large", TOO_LARGE.format(mb=most // 2**20))


class FrontDoor:
    """Stands before the application."""

    def __init__(self, app: App) -> None:
        self._app = app

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = dict(scope["headers"])
        most = most_bytes(headers.get(b"content-type", b"").decode("latin-1"), headers.get(b"cookie", b"").decode("latin-1"))
        length = headers.get(b"content-length", b"0")
        has_begun = False

        async def sending(message: Message) -> None:
            nonlocal has_begun
            has_begun = True
            await send(message)

        try:
            if not length.isdigit() or int(length) > most:
                raise _too_large(most)
            await self._app(scope, Body(receive, most).receive, sending)
        except _Refused as refused:
            if not has_begun:
                await tell(send, refused.status, refused.code, refused.message)


async def tell(send: Send, status: int, code: str, message: str, *, again_s: int = 0) -> None:
    """Answer with a failure in the one form that failures have, before the application."""
    body = json.dumps({"code": code, "message": message, "field": "", "details": {}}).encode()
    headers = [(b"content-type", b"application/json"), (b"content-length", str(len(body)).encode()), (b"cache-control", b"no-store")]
    headers += [(b"connection", b"close")]  # what is left of the body is not read
    headers += [(b"retry-after", str(again_s).encode())] if again_s else []
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
