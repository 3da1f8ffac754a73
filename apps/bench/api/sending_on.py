"""A request sent on to another process of the same plant as it came, and its answer passed back as it comes."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Collection, MutableMapping
from contextlib import suppress
from typing import Any

import httpx

from apps.bench.api.elsewhere import MARK, not_now
from config.front_door import Receive, Send, tell

CONNECT_S, KEPT_S, KEPT = 3.0, 5.0, 20  # connections that are kept for the next request
BROKEN_OFF = "The server stopped while this was under way. It may have been stored: look before you do it once more."
OF_THE_CONNECTION = {  # RFC 9110, 7.6.1
    *(b"connection", b"keep-alive", b"proxy-connection"),
    *(b"te", b"trailer", b"transfer-encoding", b"upgrade"),
}
OF_THE_SERVER = {b"date", b"server"}  # told by each for itself


class Sender:
    """The connections to other processes."""

    def __init__(self, others: httpx.AsyncBaseTransport | None = None) -> None:
        limits = httpx.Limits(max_connections=None, max_keepalive_connections=KEPT, keepalive_expiry=KEPT_S)
        self._others = others or httpx.AsyncHTTPTransport(limits=limits)

    async def __call__(self, address: str, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        """Ask there, and answer with what comes back."""
        has_begun = False
        try:
            answer = await self._others.handle_async_request(_asked(address, scope, receive))
            try:
                has_begun = True
                headers = _kept(answer.headers.raw, OF_THE_SERVER)
                await send({"type": "http.response.start", "status": answer.status_code, "headers": headers})
                await _pass(answer, receive, send)
            finally:
                await answer.aclose()
        except (httpx.ConnectError, httpx.ConnectTimeout):
            await not_now(send)
        except httpx.TransportError:
            if not has_begun:  # else its end is missing, by which whoever reads it knows that it is not whole
                await tell(send, 502, "broken_off", BROKEN_OFF)


def _kept(headers: list[tuple[bytes, bytes]], but: Collection[bytes] = ()) -> list[tuple[bytes, bytes]]:
    """Without those that are of one connection only, and others."""
    return [(name.lower(), value) for name, value in headers if name.lower() not in OF_THE_CONNECTION and name.lower() not in but]


def _asked(address: str, scope: MutableMapping[str, Any], receive: Receive) -> httpx.Request:
    headers = [*_kept(scope["headers"]), (MARK, b"1")]
    path = scope.get("raw_path", scope["path"].encode()) + (b"?" + scope["query_string"] if scope["query_string"] else b"")
    has_body = any(name in (b"content-length", b"transfer-encoding") for name, _ in scope["headers"])
    timeout = {"connect": CONNECT_S, "read": None, "write": None, "pool": None}
    url = httpx.URL(address).copy_with(raw_path=path)
    return httpx.Request(
        scope["method"], url, headers=headers, content=_body(receive) if has_body else None, extensions={"timeout": timeout}
    )


async def _body(receive: Receive) -> AsyncIterator[bytes]:
    more = True
    while more:
        message = await receive()
        if message["type"] == "http.disconnect":
            raise httpx.ReadError("Whoever asked has gone.")
        yield message.get("body", b"")
        more = message.get("more_body", False)


async def _pass(answer: httpx.Response, receive: Receive, send: Send) -> None:
    """The answer piece by piece as it comes, such as a stream that has no end, until either side has gone."""

    async def pieces() -> None:
        async for piece in answer.aiter_raw():
            await send({"type": "http.response.body", "body": piece, "more_body": True})
        await send({"type": "http.response.body", "body": b""})

    async def until_gone() -> None:
        while (await receive())["type"] != "http.disconnect":
            pass

    passing, gone = asyncio.ensure_future(pieces()), asyncio.ensure_future(until_gone())
    try:
        await asyncio.wait((passing, gone), return_when=asyncio.FIRST_COMPLETED)
        if passing.done():
            passing.result()
    finally:
        for task in (passing, gone):
            task.cancel()
            with suppress(asyncio.CancelledError, Exception):
                await task
