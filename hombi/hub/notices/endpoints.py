"""Where notices may be sent: a push subscription is a browser's word, and the hub sends
what it says to.

A push service on the internet is an https address with a public name. One of the
house's own is named in the settings (`notices.push_services`).
"""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Iterable
from urllib.parse import urlsplit

# Names that no public service has (RFC 6762, RFC 8375, RFC 6761, and what routers call
# their own).
_PRIVATE = ("local", "localhost", "internal", "lan", "home", "arpa", "test", "invalid", "onion")


def why_not(endpoint: str, services: Iterable[str]) -> str:
    """Why an endpoint is refused, in words; "" when it is one that may be used."""
    try:
        split = urlsplit(endpoint)
        _ = split.port  # raises for one that is not a number
    except ValueError:
        return "the endpoint of a push subscription is an https address"
    host = (split.hostname or "").rstrip(".")
    if is_named(endpoint, services):
        return ""
    if split.scheme != "https" or not host:
        return "the endpoint of a push subscription is an https address"
    if split.username is not None:
        return "the endpoint of a push subscription has no user name in it"
    if _is_address(host) or "." not in host or host.rpartition(".")[2] in _PRIVATE:
        return (
            f"{host} is not a public name of a push service; one of the house's own is named "
            f"in notices.push_services"
        )
    return ""


def is_named(endpoint: str, services: Iterable[str]) -> bool:
    """Whether the endpoint is at one of the push services that the settings name, with
    or without their port."""
    split = urlsplit(endpoint)
    origin = f"{split.scheme}://{split.hostname}"
    return any(service in (origin, f"{origin}:{split.port}") for service in services)


def addresses_of(host: str) -> list[str]:
    """What a name stands for, the most promising address first. Blocks; raises OSError
    when nobody knows it."""
    try:
        answers = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except UnicodeError as error:  # letters that no name has, or a part that is empty or too long
        raise OSError(f"{host[:60]!r} is not the name of a machine") from error
    return list(dict.fromkeys(str(answer[4][0]) for answer in answers))


def leads_inside(addresses: Iterable[str]) -> bool:
    """Whether a name that looks public stands for an address of the house."""
    return any(
        not ipaddress.ip_address(address.partition("%")[0]).is_global for address in addresses
    )


def _is_address(host: str) -> bool:
    try:
        ipaddress.ip_address(host)
    except ValueError:
        return host.replace(
            ".", ""
        ).isdigit()  # old ways of writing an address, which some resolvers still take
    return True
