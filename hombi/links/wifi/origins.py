"""Where a node's forms may lead: to its own origin, and to those that a person ticked;
never to the hub itself.

A description is a stranger's word. Without this, one could have the hub send requests,
and the node's secret with them, to whatever it names.
"""

from __future__ import annotations

import asyncio
import ipaddress
import socket
from collections.abc import Iterable
from dataclasses import dataclass, field
from urllib.parse import urlsplit

from hombi.core.hosts import in_url
from hombi.links.base import LinkError
from hombi.links.machine import Address, own_addresses

_PORTS = {"http": 80, "https": 443}


def origin_of(url: str) -> str:
    """Scheme, host and port of an address (RFC 6454, section 4); "" for what is
    none."""
    try:
        split, port = urlsplit(url), urlsplit(url).port
    except ValueError:
        return ""
    if split.scheme not in _PORTS or not split.hostname:
        return ""
    return f"{split.scheme}://{in_url(split.hostname)}:{port or _PORTS[split.scheme]}"


@dataclass
class Guard:
    """Looks at each address before the hub asks anything of it. `ports` are those that
    the hub itself listens on."""

    ports: Iterable[int] = ()
    _own: set[Address] = field(default_factory=own_addresses)

    async def check(self, url: str, home: str = "") -> None:
        """Raises LinkError for an address that is the hub's. `home` is the address of
        the description that names it: what runs on the hub's own machine may be
        described there, but nobody elsewhere may send the hub to itself."""
        result = await self._resolve(url)
        if not any(self._is_own(one) for one in result):
            return
        port = urlsplit(url).port or _PORTS.get(urlsplit(url).scheme, 0)
        if port in set(self.ports):
            raise LinkError(f"{url} is the hub itself; nothing is asked there on behalf of a node")
        if home and not any(self._is_own(one) for one in await self._resolve(home)):
            raise LinkError(
                f"{url} is on the hub's own machine, and the node is not; nothing is "
                f"asked there on its behalf"
            )

    def _is_own(self, address: Address) -> bool:
        plain = (
            address.ipv4_mapped or address
            if isinstance(address, ipaddress.IPv6Address)
            else address
        )
        return plain.is_loopback or plain.is_unspecified or plain in self._own

    async def _resolve(self, url: str) -> set[Address]:
        host = urlsplit(url).hostname or ""
        try:
            return {ipaddress.ip_address(host.partition("%")[0])}
        except ValueError:
            pass
        try:
            result = await asyncio.get_running_loop().getaddrinfo(
                host, None, type=socket.SOCK_STREAM
            )
        except OSError:
            return set()  # nothing is asked of a name that nobody knows; the request says so
        except (
            UnicodeError
        ) as error:  # letters that no name has, or a part that is empty or too long
            raise LinkError(f"{host[:60]!r} is not the name of a machine") from error
        return {ipaddress.ip_address(str(one[4][0]).partition("%")[0]) for one in result}
