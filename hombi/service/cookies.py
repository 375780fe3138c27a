"""The names of cookies over HTTPS are others than over HTTP.

A browser keeps cookies by host, whatever the port: without names of their own, a page
in the clear could plant a session into the one over HTTPS, and whoever had signed in
over HTTPS could not sign in over HTTP any more. The prefix `__Host-` has the browser
see to it (RFC 6265bis, 4.1.3.2).
"""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse

PREFIX = "__Host-"


def _plain() -> tuple[str, str]:
    return settings.SESSION_COOKIE_NAME, settings.CSRF_COOKIE_NAME


def received(request: HttpRequest) -> None:
    """Have Django find the cookies of a secure request under the names that it
    knows."""
    if request.is_secure():
        for name in _plain():
            request.COOKIES.pop(name, None)
            if (value := request.COOKIES.pop(PREFIX + name, None)) is not None:
                request.COOKIES[name] = value


def sent(request: HttpRequest, response: HttpResponse) -> None:
    """Give the cookies of a secure answer their own names."""
    if not request.is_secure():
        return
    for name in _plain():
        if (cookie := response.cookies.pop(name, None)) is not None:
            response.cookies[PREFIX + name] = cookie.value
            fresh = response.cookies[PREFIX + name]
            fresh.update({key: value for key, value in cookie.items() if value})
            fresh["secure"], fresh["path"], fresh["domain"] = True, "/", ""
