"""One account with as many live streams and connections as it can open: everybody else
goes on as before."""

from __future__ import annotations

import contextlib
import os
import re
import socket
from collections import Counter

import httpx

from hombi.client import Hub
from hombi.service.streams import A_KEY, AN_ACCOUNT, Streams
from tests.house import CLIMATE, OWNER, PASSWORD, Joined, Service, description, let_in, until

# `make soak` opens thousands.
OPENED = int(os.environ.get("STREAMS", "400"))


def resident_kb(service: Service) -> int:
    """The memory of the hub, in kB."""
    assert service.process is not None
    with open(f"/proc/{service.process.pid}/status", encoding="ascii") as status:
        (result,) = re.findall(r"VmRSS:\s+(\d+) kB", status.read())
    return int(result)


def guest_of(service: Service, name: str) -> str:
    """A token of a guest who sees the cellar."""
    with service.hub() as hub:
        code = hub.people.invite("guest", rooms=["Cheese cellar"]).code
    with Hub(service.url) as hub:
        hub.people.join(code, name, PASSWORD)
        return str(hub.sign_in(name, PASSWORD).token)


def opened(service: Service, path: str, authorization: str) -> socket.socket:
    """A connection over which something was asked; its answer is not read."""
    sock = socket.create_connection(("127.0.0.1", service.port), timeout=20)
    with contextlib.suppress(OSError):  # the hub may close it at once
        sock.sendall(
            f"GET {path} HTTP/1.1\r\nHost: 127.0.0.1\r\n"
            f"Authorization: {authorization}\r\n\r\n".encode()
        )
    return sock


def status(sock: socket.socket) -> int:
    """The status of the answer; 0 when the connection was closed."""
    with contextlib.suppress(OSError):
        line = sock.recv(4096).split(b"\r\n")[0]
        return int(line.split()[1]) if line else 0
    return 0


def all_is_well(service: Service, rack: Joined, token: str) -> None:
    """Everybody else gets what they ask, over connections of their own."""
    auth = {"Authorization": f"Bearer {token}"}
    for path in ("/", "/api/health", "/api/house"):
        assert httpx.get(service.url + path, headers=auth, timeout=10).status_code == 200, path
    signed_in = {"username": OWNER, "password": PASSWORD}
    assert httpx.post(f"{service.url}/api/session", json=signed_in, timeout=10).status_code == 200
    assert rack.post([{"n": "humidity", "v": 61}]).status_code == 200
    assert "cellar-rack/humidity" in service.hombi("now").stdout
    with httpx.stream("GET", f"{service.url}/api/live", headers=auth, timeout=10) as stream:
        assert stream.status_code == 200


def test_a_guest_with_many_streams_shuts_nobody_out(own_service: Service) -> None:
    own_service.start()
    own_service.sign_in_first()
    rack = let_in(own_service, description("Cellar rack", **CLIMATE))
    token = guest_of(own_service, "bo")
    with Hub(own_service.url) as hub:
        owner = str(hub.sign_in(OWNER, PASSWORD).token)
    with contextlib.closing(opened(own_service, "/api/live", f"Bearer {owner}")) as first:
        assert status(first) == 200
    before = resident_kb(own_service)
    with contextlib.ExitStack() as stack:
        socks = [
            stack.enter_context(opened(own_service, "/api/live", f"Bearer {token}"))
            for _ in range(OPENED)
        ]
        answers = Counter(map(status, socks))
        all_is_well(own_service, rack, owner)
        assert answers[200] == A_KEY
        assert answers[429] + answers[0] == OPENED - A_KEY
        assert resident_kb(own_service) - before < 20_000
        with own_service.hub() as hub:
            hub.people.remove("bo")
        all_is_well(own_service, rack, owner)


def test_the_places_of_streams_that_ended_are_free_again(service: Service, rack: Joined) -> None:
    token = guest_of(service, "cleo")
    for _ in range(3):
        socks = [opened(service, "/api/live", f"Bearer {token}") for _ in range(A_KEY)]
        assert [status(sock) for sock in socks] == [200] * A_KEY
        for sock in socks:
            sock.close()
        # The hub notices that the client has gone.
        until(lambda: httpx_status(service, token) == 200)


def httpx_status(service: Service, token: str) -> int:
    auth = {"Authorization": f"Bearer {token}"}
    with httpx.stream("GET", f"{service.url}/api/live", headers=auth, timeout=10) as stream:
        return stream.status_code


def test_a_node_that_asks_over_many_connections_shuts_nobody_out(
    service: Service, rack: Joined
) -> None:
    body = b'[{"n":"humidity","v":60}]'
    basic = httpx.BasicAuth(rack.node, rack.key)
    header = next(basic.auth_flow(httpx.Request("POST", service.url))).headers["Authorization"]
    asked = (
        f"POST /api/intake HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: {header}\r\n"
        f"Content-Length: {len(body)}\r\n\r\n"
    ).encode() + body
    with contextlib.ExitStack() as stack:
        socks = []
        for _ in range(OPENED):
            sock = stack.enter_context(
                socket.create_connection(("127.0.0.1", service.port), timeout=20)
            )
            with contextlib.suppress(OSError):
                sock.sendall(asked)
            socks.append(sock)
        assert Counter(map(status, socks))[200] >= AN_ACCOUNT
        all_is_well(service, rack, service.token)


def test_an_account_and_each_of_its_tokens_have_a_bound() -> None:
    streams = Streams()
    tokens = [streams.take("ada", "1") for _ in range(A_KEY + 1)]
    assert tokens.count(None) == 1
    others = [streams.take("ada", str(number)) for number in range(2, AN_ACCOUNT)]
    assert len([other for other in others if other is not None]) == AN_ACCOUNT - A_KEY
    assert streams.take("bo", "99") is not None
    for one in (*tokens, *others):
        if one is not None:
            one.leave()
            one.leave()
    assert all(streams.take("ada", str(number)) for number in range(AN_ACCOUNT))
