"""What a stranger may do at the web server's port, with bytes that no client of ours
sends."""

from __future__ import annotations

import contextlib
import json
import os
import resource
import socket
import subprocess
import sys
import time
from pathlib import Path

import httpx
import pytest

from hombi.links import crowd as c
from hombi.service import connections
from tests.house import OWNER, PASSWORD, Service, started_after, until


def raw(service: Service, data: bytes, wait_s: float = 5.0) -> bytes:
    """What the server answers to these bytes, until it closes or says no more."""
    with socket.create_connection(("127.0.0.1", service.port), timeout=wait_s) as sock:
        sock.sendall(data)
        answer = b""
        with contextlib.suppress(TimeoutError):
            while part := sock.recv(65536):
                answer += part
                head, result, body = answer.partition(b"\r\n\r\n")
                length = [
                    line
                    for line in head.lower().split(b"\r\n")
                    if line.startswith(b"content-length:")
                ]
                if result and length and len(body) >= int(length[0].split(b":")[1]):
                    break
        return answer


def test_who_connects_a_thousand_times_shuts_nobody_out(own_service: Service) -> None:
    limits = resource.getrlimit(resource.RLIMIT_NOFILE)
    resource.setrlimit(resource.RLIMIT_NOFILE, (min(8192, limits[1]), limits[1]))
    # A hard limit that the hub cannot raise.
    few = "import resource; resource.setrlimit(resource.RLIMIT_NOFILE, (1024, 1024))"
    with started_after(own_service, few):
        own_service.sign_in_first()
        with contextlib.ExitStack() as stack, httpx.Client(base_url=own_service.url) as known:
            auth = {"Authorization": f"Bearer {own_service.token}"}
            assert known.get("/api/house", headers=auth).status_code == 200
            idle = []
            for number in range(1005):
                sock = stack.enter_context(
                    socket.create_connection(("127.0.0.1", own_service.port), timeout=5)
                )
                with contextlib.suppress(OSError):  # it may be turned out while it speaks
                    if number % 2:
                        sock.sendall(b"GET /api/health HTTP/1.1\r\nHost: local")
                idle.append(sock)
            assert httpx.get(f"{own_service.url}/api/health", timeout=10).status_code == 200
            with httpx.Client(base_url=own_service.url) as new:
                assert (
                    new.post(
                        "/api/session", json={"username": OWNER, "password": PASSWORD}
                    ).status_code
                    == 200
                )
            assert known.get("/api/house", headers=auth).status_code == 200
            doors = [
                stack.enter_context(socket.create_connection(("127.0.0.1", own_service.mqtt_port)))
                for _ in range(1005)
            ]
            assert len(doors) == 1005
            with httpx.Client(base_url=own_service.url, headers=auth, timeout=20) as client:
                checks = {one["part"]: one for one in client.get("/api/doctor").json()}
            assert "of 1024 left" in checks["open files"]["text"]


def test_half_a_request_does_not_stay(service: Service, monkeypatch: pytest.MonkeyPatch) -> None:
    assert connections.HEAD_S <= 10
    began = time.monotonic()
    answer = raw(
        service, b"GET /api/health HTTP/1.1\r\nHost: 127.0.0.1", wait_s=connections.HEAD_S + 20
    )
    assert answer == b""
    assert time.monotonic() - began < connections.HEAD_S + 15


class Guest:
    def __init__(self, busy: bool = False) -> None:
        self.busy, self.out = busy, False

    def turn_out(self) -> None:
        self.out = True


def test_in_a_crowd_the_stranger_who_was_idle_longest_goes() -> None:
    crowd = c.Crowd(places=8, an_address=3)
    first, second, third, known = Guest(), Guest(), Guest(busy=True), Guest()
    assert crowd.enter(known, "a")
    crowd.recognised(known, "ada")
    for guest in (first, second, third):
        assert crowd.enter(guest, "a")
    crowd.active(first)
    assert crowd.enter(Guest(), "a")
    assert (first.out, second.out, third.out, known.out) == (False, True, False, False)
    others = [Guest(busy=True) for _ in range(10)]
    assert [crowd.enter(guest, str(number)) for number, guest in enumerate(others)].count(True) == 3
    assert first.out, "half of all places are kept for who is known"
    assert not known.out
    crowd.leave(known)
    assert len(crowd) == 4


@pytest.mark.parametrize("count", [40])
def test_a_forwarded_address_from_anybody_counts_for_nothing(
    own_service: Service, count: int
) -> None:
    own_service.start()
    own_service.sign_in_first()
    answers = [
        httpx.post(
            f"{own_service.url}/api/session",
            json={"username": OWNER, "password": "wrong"},
            headers={"X-Forwarded-For": f"10.0.0.{number}", "Forwarded": f"for=10.0.0.{number}"},
        ).status_code
        for number in range(count)
    ]
    assert answers.count(429) >= count - 11
    assert (
        httpx.post(
            f"{own_service.url}/api/session", json={"username": OWNER, "password": PASSWORD}
        ).status_code
        == 429
    )


def test_behind_a_named_proxy_the_forwarded_address_counts(own_service: Service) -> None:
    own_service.env["HOMBI_HTTP_BEHIND"] = "127.0.0.1"
    own_service.start()
    own_service.sign_in_first()

    def tries(address: str) -> int:
        wrong = {"username": OWNER, "password": "wrong"}
        headers = {"X-Forwarded-For": address}
        return httpx.post(f"{own_service.url}/api/session", json=wrong, headers=headers).status_code

    assert [tries("10.0.0.1") for _ in range(12)].count(429) >= 1
    assert tries("10.0.0.2") == 401
    secure = httpx.post(
        f"{own_service.url}/api/session",
        json={"username": OWNER, "password": PASSWORD},
        headers={"X-Forwarded-For": "10.0.0.3", "X-Forwarded-Proto": "https"},
    )
    assert secure.status_code == 200
    assert secure.headers["Strict-Transport-Security"].startswith("max-age=")
    assert all("Secure" in one for one in secure.headers.get_list("set-cookie"))


@pytest.mark.parametrize(
    ("method", "path", "status"),
    [
        ("GET", "/" + "x" * 300, 200),
        ("GET", "/" + "x" * 300 + ".js", 404),
        ("GET", "/assets/%00", 200),
        ("GET", "/assets/%00.js", 404),
        ("GET", "/%2e%2e/%2e%2e/etc/passwd", 200),
        ("DELETE", "/api/nothing", 404),
        ("POST", "/api/intake/", 404),
        ("POST", "/", 405),
        ("PUT", "/api/house", 401),
    ],
)
def test_odd_addresses_are_answered_and_problems_are_problem_details(
    service: Service, method: str, path: str, status: int
) -> None:
    answer = raw(
        service,
        f"{method} {path} HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 0\r\n\r\n".encode(),
    )
    head, _, body = answer.partition(b"\r\n\r\n")
    assert int(head.split()[1]) == status, answer[:300]
    if path.startswith("/api") or method == "POST":
        assert b"application/problem+json" in head
        assert json.loads(body)["status"] == status


@pytest.mark.parametrize("path", ["/api/arrivals", "/api/session", "/api/first-sign-in"])
@pytest.mark.parametrize("depth", [65, 400, 990, 100_000])
def test_deeply_nested_json_is_refused_in_words(service: Service, path: str, depth: int) -> None:
    nested = '{"a":' * depth + "1" + "}" * depth
    body = f'{{"description": {nested}, "proof": "{"0" * 64}"}}'
    with httpx.Client(base_url=service.url, headers={"X-Forwarded-For": "1.2.3.4"}) as client:
        answer = client.post(path, content=body, headers={"Content-Type": "application/json"})
    assert answer.status_code in (400, 413, 429), answer.text
    assert answer.headers["content-type"] == "application/problem+json"


def test_foreign_names_are_refused_and_more_can_be_named(own_service: Service) -> None:
    own_service.env["HOMBI_HTTP_NAMES"] = "mill.example"
    own_service.start()

    def asked(*hosts: str, version: str = "1.1") -> int:
        lines = "".join(f"Host: {host}\r\n" for host in hosts)
        return int(
            raw(own_service, f"GET /api/health HTTP/{version}\r\n{lines}\r\n".encode()).split()[1]
        )

    port = own_service.port
    good = ["127.0.0.1", f"127.0.0.1:{port}", "localhost", f"LOCALHOST:{port}",
            "hombi.local", "mill.example", "mill.example.",
            socket.gethostname()]  # fmt: skip
    assert {host: asked(host) for host in good} == dict.fromkeys(good, 200)
    bad = [
        "evil.example",
        "127.0.0.1.evil.example",
        "192.0.2.7",
        "localhost.evil.example",
        "mill.example:80:80",
        "a/b",
        "[::1",
        "",
    ]
    assert {host: asked(host) in (400, 421) for host in bad} == dict.fromkeys(bad, True)
    assert asked() == 400
    assert asked("127.0.0.1", "evil.example") == 400
    assert asked(version="1.0") == 200


def test_wrong_codes_of_one_address_do_not_void_the_right_one(own_service: Service) -> None:
    own_service.start()
    said = own_service.hombi("token", "first-code")
    assert said.returncode == 0, said.stderr
    assert f"Open {own_service.url}/first-sign-in and enter the code" in said.stdout
    code = said.stdout.split()[-1]
    assert code != own_service.code
    wrong = {"code": "AAAA-AAAA", "username": "eve", "password": PASSWORD}
    answers = [
        httpx.post(f"{own_service.url}/api/first-sign-in", json=wrong).status_code
        for _ in range(30)
    ]
    assert set(answers) == {409, 429}
    # The throttle is the stranger's address's own; the code is what it was.
    again = own_service.hombi("token", "first-code").stdout.split()[-1]
    with httpx.Client(
        transport=httpx.HTTPTransport(local_address="127.0.0.9"), base_url=own_service.url
    ) as other:
        assert other.post("/api/first-sign-in", json={**wrong, "code": code}).status_code == 409, (
            "the one before is void"
        )
        assert (
            other.post(
                "/api/first-sign-in", json={"code": again, "username": OWNER, "password": PASSWORD}
            ).status_code
            == 201
        )
    refused = own_service.hombi("token", "first-code")
    assert refused.returncode == 1
    assert "has an owner" in refused.stderr


def test_the_policy_is_the_same_on_every_page(service: Service) -> None:
    with httpx.Client(base_url=service.url) as client:
        policies = {
            client.get(path).headers["Content-Security-Policy"]
            for path in ("/", "/api/docs", "/api/health", "/nodes")
        }
        assert len(policies) == 1
        assert "script-src" not in policies.pop()
        page = client.get("/api/docs").text
        assert "<script>" not in page


def test_django_has_nothing_to_warn_of(tmp_path: Path) -> None:
    env = {
        **os.environ,
        "HOMBI_DATA": str(tmp_path),
        "DJANGO_SETTINGS_MODULE": "hombi.service.settings",
    }
    run = subprocess.run(
        [sys.executable, "-m", "django", "check", "--deploy", "--fail-level", "WARNING"],
        env=env, capture_output=True, text=True, timeout=90, check=False,
    )  # fmt: skip
    assert run.returncode == 0, run.stderr
    assert "(0 silenced)" not in run.stdout + run.stderr


def test_a_slow_body_is_not_waited_for(service: Service) -> None:
    head = (
        b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: "
        b"application/json\r\nContent-Length: 100\r\n\r\n{"
    )
    with socket.create_connection(
        ("127.0.0.1", service.port), timeout=connections.BODY_S + 20
    ) as sock:
        sock.sendall(head)
        assert until(lambda: sock.recv(1) == b"" or None, connections.BODY_S + 20)


def test_over_ipv6_one_strangers_wrong_sign_ins_lock_out_only_that_stranger(
    own_service: Service,
) -> None:
    own_service.env["HOMBI_HTTP_HOST"] = "::"
    own_service.start()
    own_service.sign_in_first()
    assert f"http://127.0.0.1:{own_service.port}" in "".join(own_service.said)

    def tries(source: str) -> int:
        transport = httpx.HTTPTransport(local_address=source)
        with httpx.Client(transport=transport) as client:
            wrong = {"username": OWNER, "password": "wrong"}
            return client.post(f"{own_service.url}/api/session", json=wrong).status_code

    assert [tries("127.0.0.1") for _ in range(20)].count(429) >= 8
    assert tries("127.0.0.2") != 429


def test_an_ipv6_address_is_printed_with_brackets_and_reached(own_service: Service) -> None:
    own_service.env["HOMBI_HTTP_HOST"] = "::1"
    own_service.start()
    said = "".join(own_service.said)
    assert f"http://[::1]:{own_service.port}" in said
    assert f"http://[::1]:{own_service.port}/first-sign-in" in said
    assert own_service.hombi("status").returncode == 0
