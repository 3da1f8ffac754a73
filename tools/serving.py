"""The server itself, for whichever plant the settings name."""

from __future__ import annotations

import os
import warnings

import uvicorn

MOST_CONNECTIONS = 800  # at once; a page holds one or two


def tell_own_address(host: str, port: int) -> None:
    """Where other processes of the same plant reach this one, unless the environment says it."""
    at = {"0.0.0.0": "127.0.0.1", "::": "[::1]"}.get(host, f"[{host}]" if ":" in host else host)  # noqa: S104 -- all addresses: this machine's own is one of them
    os.environ.setdefault("OWN_ADDRESS", f"http://{at}:{port}")


def serve(host: str, port: int) -> None:
    """Serve until it is stopped."""
    # Files are served from a synchronous reader, which is as meant; the stream of live readings is asynchronous.
    warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
    uvicorn.run(
        "config.asgi:application",
        host=host,
        port=port,
        log_level="warning",
        timeout_graceful_shutdown=2,
        timeout_keep_alive=10,
        limit_concurrency=MOST_CONNECTIONS,
        proxy_headers=False,  # who is asking is for config.proxies to say
    )
