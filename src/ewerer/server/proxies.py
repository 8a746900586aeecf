"""What a proxy says of the one behind it counts only from a proxy that is trusted."""

from __future__ import annotations

import ipaddress
import os
from collections.abc import Callable, Sequence

from django.http import HttpRequest, HttpResponse

FORWARDED = ("HTTP_X_FORWARDED_FOR", "HTTP_X_FORWARDED_PROTO", "HTTP_X_FORWARDED_HOST", "HTTP_FORWARDED", "HTTP_X_REAL_IP")
Network = ipaddress.IPv4Network | ipaddress.IPv6Network


def trusted() -> list[Network]:
    """Return the networks of EWERER_PROXIES, this machine alone where nothing is said; raises ValueError for what is none."""
    text = os.environ.get("EWERER_PROXIES", "127.0.0.1, ::1")
    return [ipaddress.ip_network(part.strip(), strict=False) for part in text.split(",") if part.strip()]


def _address(text: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address | None:
    try:
        return ipaddress.ip_address(text.strip().strip("[]"))
    except ValueError:
        return None


def address_of(request: HttpRequest) -> str:
    """Return the address a request comes from; behind a proxy that is trusted, the one that the proxy names."""
    return str(request.META.get("REMOTE_ADDR", ""))[:45]


def _trusts(proxies: Sequence[Network], text: str) -> bool:
    address = _address(text)
    return address is not None and any(address in network for network in proxies)


def asking(here: str, forwarded: str, proxies: Sequence[Network]) -> str:
    """Return the address that asks: where a connection comes from, or, where that is a trusted proxy, the one that it names."""
    if not _trusts(proxies, here):
        return here
    # From the nearest outwards: the first that is no proxy of ours is who asks. What that one claims is not read.
    for text in reversed(forwarded.split(",")):
        address = _address(text)
        if address is None:
            break
        here = str(address)
        if not _trusts(proxies, here):
            break
    return here


class FromProxy:
    """Middleware: take the address from a trusted proxy's word, and take no such word from anybody else."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response
        self.proxies = trusted()

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Return the response to a request whose address is that of the one who asks."""
        meta = request.META
        here = meta.get("REMOTE_ADDR", "")
        if _trusts(self.proxies, here):
            meta["REMOTE_ADDR"] = asking(here, meta.get("HTTP_X_FORWARDED_FOR", ""), self.proxies)
        else:
            for name in FORWARDED:
                meta.pop(name, None)
        return self.get_response(request)
