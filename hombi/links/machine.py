"""The addresses of this machine."""

from __future__ import annotations

import ipaddress
import socket

import ifaddr

Address = ipaddress.IPv4Address | ipaddress.IPv6Address


def own_addresses() -> set[Address]:
    """All of them."""
    result: set[Address] = set()
    for adapter in ifaddr.get_adapters():
        for one in adapter.ips:
            text = one.ip if isinstance(one.ip, str) else one.ip[0]
            result.add(ipaddress.ip_address(text.partition("%")[0]))
    return result


def own_address(interfaces: str = "all") -> str:
    """The one at which a node or a phone of the house reaches it. Nothing is sent to
    find it out."""
    if interfaces not in ("all", "off"):
        return interfaces.split(",", maxsplit=1)[0].strip()
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sock:
        try:
            sock.connect(("192.0.2.1", 9))
            return str(sock.getsockname()[0])
        except OSError:
            return "127.0.0.1"
