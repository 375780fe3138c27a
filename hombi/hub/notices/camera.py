"""Fetching a camera's picture. The camera is a stranger: what it sends is bounded in
size and time, must be a picture by its first bytes, and it must stand in the house."""

from __future__ import annotations

import asyncio
import ipaddress
import socket
import threading

import httpx

from hombi.core.picture import picture_problem
from hombi.hub.errors import Invalid, Refused

MOST_BYTES = 6 * 1024 * 1024
PATIENCE_S = 8.0
# So many at once: each may hold as many bytes.
AT_ONCE = 4
_places = threading.BoundedSemaphore(AT_ONCE)
# By how a file begins.
SIGNS = (
    (b"\xff\xd8\xff", "image/jpeg"),
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"GIF8", "image/gif"),
)


def picture_at(address: str) -> tuple[str, bytes]:
    """The media type and the bytes of a picture in the house. It blocks, and belongs
    into a thread. Raises Invalid, or Refused with the reason."""
    if problem := picture_problem(address):
        raise Invalid(problem)
    url = httpx.URL(address)
    here = _in_the_house(url.host)
    if not _places.acquire(timeout=PATIENCE_S):
        raise Refused("other pictures are being fetched; try again in a moment")
    try:
        content = asyncio.run(_fetched(url, here))
    except TimeoutError as error:
        raise Refused(f"the picture did not come within {PATIENCE_S:.0f} s") from error
    except httpx.HTTPError as error:
        raise Refused(f"the camera cannot be reached: {error}") from error
    finally:
        _places.release()
    return media_type_of(content), content


async def _fetched(url: httpx.URL, here: str) -> bytes:
    """What comes, within the time that there is for all of it: a camera that says a
    little again and again gets no more."""
    content = bytearray()
    async with (
        asyncio.timeout(PATIENCE_S),
        httpx.AsyncClient(timeout=None, trust_env=False, verify=False) as http,  # noqa: S113, S501 - the time above; a camera's own certificate
        # The address that was looked at is the one that is asked.
        http.stream(
            "GET",
            url.copy_with(host=here),
            headers={"Host": url.netloc.decode(), "Accept-Encoding": "identity"},
            extensions={"sni_hostname": url.host},
        ) as answer,
    ):
        if answer.status_code != httpx.codes.OK:
            raise Refused(f"the camera answered {answer.status_code}")
        async for piece in answer.aiter_raw():
            content += piece
            if len(content) > MOST_BYTES:
                raise Refused(f"the picture is larger than {MOST_BYTES // 1024**2} MB")
    return bytes(content)


def media_type_of(content: bytes) -> str:
    """What sort of picture this is. Raises Refused for what is none."""
    for sign, media_type in SIGNS:
        if content.startswith(sign):
            return media_type
    raise Refused("what the camera sent is not a picture (JPEG, PNG or GIF)")


def _in_the_house(host: str) -> str:
    """Its address. Raises Refused for one outside."""
    try:
        result = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM)
    except OSError as error:
        raise Refused(f"there is no {host} in the network") from error
    for *_, place in result:
        if ipaddress.ip_address(str(place[0]).partition("%")[0]).is_global:
            raise Refused(f"{host} is not in the house")
    return str(result[0][4][0])
