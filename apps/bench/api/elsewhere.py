"""Sends on to the process that holds the bench whatever is not known to be for any process: what reads, writes, or shows what is live."""

from __future__ import annotations

import asyncio
import json
import re
from collections.abc import AsyncIterator, Collection, MutableMapping
from contextlib import suppress
from typing import Any

import httpx

from apps.bench.lease import LEASE, UNKNOWN, Lease
from config.front_door import App, Receive, Send
from config.trouble import AGAIN_S, MOVING

MARK = b"x-sent-on"  # by another process of this plant, so that nothing goes in a circle
KNOWN_S, LOOK_S = 5.0, 0.05  # for so long who holds the bench may be open at a start, looked for so often
CONNECT_S = 3.0
BROKEN_OFF = "The server stopped while this was under way. It may have been stored: look before you do it once more."
OF_THE_CONNECTION = {  # RFC 9110, 7.6.1
    *(b"connection", b"keep-alive", b"proxy-connection"),
    *(b"te", b"trailer", b"transfer-encoding", b"upgrade"),
}
OF_THE_SERVER = {b"date", b"server"}  # told by each for itself
ANYWHERE = re.compile(
    r"/(?!api/)"
    r"|/api/schema/"
    r"|/api/v1/(session|first-start|access|password|second-factor|entry|people|qualifications|policies"
    r"|areas|imports|exports|labels|find|documents|intakes|beginning|references|kit"
    r"|records|calculators|functions|follow-ups|plans|due|deferrals|feeds|calendars|year|journal)(/|$)"
    r"|/api/v1/evidence/verify\.py$"
    r"|/api/v1/instruments/(?!.*/(samples|validity)/$)"
    r"|/api/v1/runs/[^/]+/(certificate\.pdf|export\.csv|export\.json|evidence\.zip)$"
)


class Elsewhere:
    """Stands before the application of every process of a plant."""

    def __init__(self, app: App, lease: Lease = LEASE, others: httpx.AsyncBaseTransport | None = None) -> None:
        self._app, self._lease, self._others = app, lease, others

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or self._lease.is_here or ANYWHERE.match(scope["path"]):
            await self._app(scope, receive, send)
            return
        left = KNOWN_S
        while self._lease.state == UNKNOWN and left > 0:
            await asyncio.sleep(LOOK_S)
            left -= LOOK_S
        if self._lease.is_here:
            await self._app(scope, receive, send)
        elif self._lease.state == UNKNOWN or any(name == MARK for name, _ in scope["headers"]):
            await _tell(send, 503, MOVING.code, MOVING.message)
        else:
            await self._send_on(scope, receive, send)

    async def _send_on(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        has_begun = False
        try:
            answer = await self._transport().handle_async_request(_asked(self._lease.address, scope, receive))
            try:
                has_begun = True
                await send(
                    {"type": "http.response.start", "status": answer.status_code, "headers": _kept(answer.headers.raw, OF_THE_SERVER)}
                )
                await _pass(answer, receive, send)
            finally:
                await answer.aclose()
        except (httpx.ConnectError, httpx.ConnectTimeout):  # nothing of it has reached anybody
            await _tell(send, 503, MOVING.code, MOVING.message)
        except httpx.TransportError:
            if not has_begun:  # else its end is missing, by which whoever reads it knows that it is not whole
                await _tell(send, 502, "broken_off", BROKEN_OFF)

    def _transport(self) -> httpx.AsyncBaseTransport:
        if self._others is None:  # made within the loop that uses it
            self._others = httpx.AsyncHTTPTransport(
                limits=httpx.Limits(max_connections=None, max_keepalive_connections=20, keepalive_expiry=5)
            )
        return self._others


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


async def _tell(send: Send, status: int, code: str, message: str) -> None:
    body = json.dumps({"code": code, "message": message, "field": "", "details": {}}).encode()
    again = [(b"retry-after", str(AGAIN_S).encode())] if status == 503 else []
    headers = [
        (b"content-type", b"application/json"),
        (b"content-length", str(len(body)).encode()),
        (b"cache-control", b"no-store"),
        *again,
    ]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
