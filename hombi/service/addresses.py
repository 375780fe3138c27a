"""The addresses at which the hub is reached, as whoever asks reaches it."""

from __future__ import annotations

from urllib.parse import urlsplit

from django.http import HttpRequest
from rest_framework.request import Request

from hombi.core.hosts import in_url
from hombi.links.machine import own_address
from hombi.service.bridge import hub

_HERE = ("localhost", "127.0.0.1", "[::1]", "testserver")


def _asked(request: HttpRequest | Request) -> tuple[str, str]:
    """The host and the port that were asked; "" for a port that was not named."""
    result = urlsplit(f"//{request.get_host()}")
    host = result.hostname or ""
    return in_url(host), str(result.port or "")


def host_of(request: HttpRequest | Request) -> str:
    """The host that was asked, without its port; for one that is only this machine's
    own name for itself, its address in the house."""
    host, _ = _asked(request)
    if host not in _HERE:
        return host
    config = hub().config
    interfaces = getattr(config.links.get("wifi"), "discovery", "all")
    anywhere = config.http_host in ("0.0.0.0", "::")  # noqa: S104
    return own_address(interfaces) if anywhere else config.http_host


def directly(request: HttpRequest | Request) -> bool:
    """Whether a secure request came to the hub itself, not to a proxy in front of
    it."""
    return int(request.get_port()) == hub().config.https_port


def house_address(request: HttpRequest | Request) -> str:
    """The hub as a node reaches it: over plain HTTP, or as the proxy in front of it is
    reached. A port that was asked is kept: it may be another's, which leads here."""
    host, port = _asked(request)
    if request.is_secure():
        if not directly(request):
            return f"https://{request.get_host()}"
        port = ""
    elif host not in _HERE:
        return f"http://{request.get_host()}"
    return f"http://{host_of(request)}:{port or hub().config.http_port}"


def page_address(request: HttpRequest | Request) -> str:
    """The console as another device reaches it: securely if who asks did."""
    if request.is_secure() and directly(request):
        return secure_origin(request)
    return house_address(request)


def secure_origin(request: HttpRequest | Request, *, here: bool = False) -> str:
    """The same hub over HTTPS; "" where it speaks none. `here` leaves the host as it
    was asked."""
    config = hub().config
    if not config.https:
        return ""
    host = _asked(request)[0] if here else host_of(request)
    return f"https://{host}:{config.https_port}"
