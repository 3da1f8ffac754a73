"""Who is asking, where a proxy stands before the server: its word counts only where the plant named it."""

from __future__ import annotations

import ipaddress
from collections.abc import Callable, Sequence

from django.conf import settings
from django.core.exceptions import ImproperlyConfigured
from django.http import HttpRequest, HttpResponse

Network = ipaddress.IPv4Network | ipaddress.IPv6Network
CLAIMS = (
    "HTTP_X_FORWARDED_FOR",
    "HTTP_X_FORWARDED_PROTO",
    "HTTP_X_FORWARDED_HOST",
    "HTTP_X_FORWARDED_PORT",
    "HTTP_X_REAL_IP",
    "HTTP_FORWARDED",
)


def read_networks(texts: Sequence[str]) -> list[Network]:
    """Addresses and networks as they are set; raises ImproperlyConfigured naming the wrong one."""
    out: list[Network] = []
    for text in texts:
        try:
            out.append(ipaddress.ip_network(text.strip(), strict=False))
        except ValueError:
            raise ImproperlyConfigured(
                f"TRUSTED_PROXIES names addresses or networks, like 10.1.2.3 or 10.1.2.0/24; '{text}' is none."
            ) from None
    return out


def is_among(address: str, networks: Sequence[Network]) -> bool:
    """Whether an address is one of theirs; one that can't be read is not."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        return False
    return any(found in n for n in networks)


def asker(remote: str, forwarded: str, trusted: Sequence[Network]) -> str:
    """Who is asking: going back from the last hop, the first address that is no trusted proxy. What stands before that was written by whoever asked.

    Whoever asks a proxy from its own machine is that machine's, and no further proxy: what they say of themselves does not count either.
    """
    at = remote
    for hop in reversed([h.strip() for h in forwarded.split(",") if h.strip()]):
        if not is_among(at, trusted):
            break
        try:
            found = ipaddress.ip_address(hop)
        except ValueError:
            break
        at = str(found)
        if found.is_loopback:
            break
    return at


class ForwardedMiddleware:
    """Puts the asker's address in the place of the proxy's, and drops what nobody is trusted to say."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response
        self.trusted = read_networks(settings.TRUSTED_PROXIES)

    def __call__(self, request: HttpRequest) -> HttpResponse:
        meta = request.META
        remote, scheme = meta.get("REMOTE_ADDR", ""), meta.get("HTTP_X_FORWARDED_PROTO", "")
        is_trusted = is_among(remote, self.trusted)
        if is_trusted:
            meta["REMOTE_ADDR"] = asker(remote, meta.get("HTTP_X_FORWARDED_FOR", ""), self.trusted)
        for claim in CLAIMS:
            meta.pop(claim, None)
        if is_trusted and scheme in ("http", "https"):
            meta["HTTP_X_FORWARDED_PROTO"] = scheme
        return self.get_response(request)
