"""Sends on to the process that holds the bench whatever is not known to be for any process: what reads, writes, or shows what is live."""

from __future__ import annotations

import asyncio
import re
from collections.abc import MutableMapping
from typing import TYPE_CHECKING, Any

from apps.bench.lease import LEASE, UNKNOWN, Lease
from config.front_door import App, Receive, Send, tell
from config.trouble import AGAIN_S, MOVING

if TYPE_CHECKING:
    from apps.bench.api.sending_on import Sender

MARK = b"x-sent-on"  # by another process of this plant, so that nothing goes in a circle
KNOWN_S, LOOK_S = 5.0, 0.05  # for so long who holds the bench may be open at a start, looked for so often
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

    def __init__(self, app: App, lease: Lease = LEASE, sender: Sender | None = None) -> None:
        self._app, self._lease, self._sender = app, lease, sender

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
            await not_now(send)
        else:
            await self._sending()(self._lease.address, scope, receive, send)

    def _sending(self) -> Sender:
        if self._sender is None:  # what it takes is loaded by those alone that do not hold the bench, so that a start is quick
            from apps.bench.api.sending_on import Sender

            self._sender = Sender()
        return self._sender


async def not_now(send: Send) -> None:
    """Nothing of it has reached anybody: the page asks again."""
    await tell(send, 503, MOVING.code, MOVING.message, again_s=AGAIN_S)
