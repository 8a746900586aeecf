"""Which addresses a port may be set to: those that an administrator listed, by default this machine alone."""

from __future__ import annotations

import ipaddress
import os
from collections.abc import Mapping, Sequence
from typing import Any

from .base import PortError

LOOPBACK = ("127.0.0.0/8", "::1/128")
RIG_GROUP = "239.74.163.2"
"""Multicast group of the stand-ins' bus; it stays on this machine (time to live 0)."""


def listed_addresses() -> list[str]:
    """Return the addresses that an administrator listed in EWERER_PORTS, beside this machine's own."""
    return [x.strip() for x in os.environ.get("EWERER_PORTS", "").split(",") if x.strip()]


def check_address(settings: Mapping[str, Any], listed: Sequence[str]) -> None:
    """Raise PortError where a port's address is not among those listed (networks, ``serial:PATH``, ``can:CHANNEL``) or this machine."""
    kind = settings.get("kind")
    if kind == "replay":
        return
    if kind == "modbus-tcp":
        address = _ip(str(settings.get("host", "")))
        nets = [
            ipaddress.ip_network(n, strict=False) for n in (*LOOPBACK, *(x for x in listed if ":" not in x or x.count(":") > 1))
        ]
        if not any(address.version == n.version and address in n for n in nets):
            raise PortError(f"{address} is not among the addresses that are allowed; an administrator lists them in EWERER_PORTS")
        return
    wanted = f"serial:{settings.get('path')}" if kind == "modbus-rtu" else f"can:{settings.get('channel')}"
    if kind == "can" and settings.get("interface") == "udp_multicast" and settings.get("channel") == RIG_GROUP:
        return
    if kind == "can" and settings.get("interface") == "virtual":
        return
    if wanted not in listed:
        raise PortError(f"{wanted} is not among the addresses that are allowed; an administrator lists them in EWERER_PORTS")


def _ip(host: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address:
    try:
        return ipaddress.ip_address("127.0.0.1" if host == "localhost" else host)
    except ValueError:
        raise PortError(f"{host!r} is no address; right would be numbers such as 192.168.4.20") from None
