"""The names by which the hub may be asked for. A page elsewhere that has its own name
point at the hub gets nothing.

The address at which a connection came in is always right: nobody can make another's
browser say it who does not send the browser there. Of names these are: localhost, the
machine's own, those that the hub announces, and what `http.names` adds.
"""

from __future__ import annotations

import ipaddress
import re
import socket
from collections.abc import MutableMapping
from typing import Any

OWN_NAMES = ("localhost", "hombi.local")
# Where there are several hubs, the later ones have a number after their name.
_NUMBERED = re.compile(r"hombi-\d{1,2}\.local")
_more: frozenset[str] = frozenset()


def learn(configured: tuple[str, ...]) -> None:
    """Take up the names of the settings, beside the machine's own."""
    global _more  # noqa: PLW0603 - as with the hub itself, one process has one set of them
    machine = socket.gethostname().lower()
    short = machine.partition(".")[0]
    _more = frozenset({machine, short, f"{short}.local", *(one.lower() for one in configured)})


def why_not(scope: MutableMapping[str, Any]) -> str:
    """Why a request's Host header is refused, in words; "" when it is one of ours."""
    given = [value for name, value in scope.get("headers", ()) if name == b"host"]
    if not given:
        return (
            ""
            if scope.get("http_version") == "1.0"
            else "a request of HTTP/1.1 has a Host header (RFC 9112, 3.2)"
        )
    if len(given) > 1:
        return "a request has one Host header, not several (RFC 9112, 3.2)"
    name = _name(given[0].decode("latin-1"))
    if name is None:
        return "the Host header is not a host"
    if name in OWN_NAMES or name in _more or _NUMBERED.fullmatch(name):
        return ""
    server = scope.get("server") or ("", 0)
    try:
        if ipaddress.ip_address(name) == _plain(str(server[0])):
            return ""
    except ValueError:
        pass
    return f"this hub is not called {name!r}; if it is, add the name to http.names in hombi.toml"


def _name(host: str) -> str | None:
    """The host without its port; None when it is none (RFC 3986, 3.2.2)."""
    host = host.strip().lower()
    if host.startswith("["):
        name, closed, rest = host[1:].partition("]")
        return name if closed and (not rest or rest[1:].isdigit()) else None
    name, _, port = host.partition(":")
    if not name or (port and not port.isdigit()) or set(name) & set("/@?# \\"):
        return None
    return name.rstrip(".")


def _plain(address: str) -> ipaddress.IPv4Address | ipaddress.IPv6Address:
    """An address; one of IPv4 that came in over IPv6 as what it is."""
    result = ipaddress.ip_address(address.partition("%")[0])
    return (result.ipv4_mapped or result) if isinstance(result, ipaddress.IPv6Address) else result
