"""The address of a camera's picture, as a person writes it."""

from __future__ import annotations

import ipaddress
from urllib.parse import urlsplit

LONGEST_ADDRESS = 500


def picture_problem(address: str) -> str:
    """Why this cannot be the address of a picture in the house; "" for one that can."""
    try:
        parts = urlsplit(address)
        host, _ = parts.hostname, parts.port
    except ValueError:
        return f"{address[:60]!r} is not an address"
    if parts.scheme not in ("http", "https") or not host or len(address) > LONGEST_ADDRESS:
        return "write its address like http://192.0.2.30/snapshot.jpg"
    try:
        outside = ipaddress.ip_address(host).is_global
    except ValueError:
        return ""  # a name; what it stands for is seen when it is fetched
    return f"{host} is not in the house" if outside else ""
