"""The server itself, for whichever plant the settings name."""

from __future__ import annotations

import warnings

import uvicorn


def serve(host: str, port: int) -> None:
    """Serve until it is stopped."""
    # Files are served from a synchronous reader, which is as meant; the stream of live readings is asynchronous.
    warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")
    uvicorn.run("config.asgi:application", host=host, port=port, log_level="warning", timeout_graceful_shutdown=2, proxy_headers=False)
