"""HTTPS as a client, a node and a proxy meet it: never with a certificate left
unchecked."""

from __future__ import annotations

import json
import shutil
import socket
import ssl
import subprocess
import threading
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from hombi.client import Hub, HubUnreachable
from hombi.links.crowd import AN_ADDRESS
from tests.conftest import make_service
from tests.house import (
    CLIMATE,
    OWNER,
    PASSWORD,
    Joined,
    Service,
    description,
    free_ports,
    let_in,
    until,
)


def secured(data: Path, **env: str) -> Service:
    """A hub that speaks HTTPS and MQTT over TLS."""
    https, mqtts = free_ports(2)
    return make_service(
        data,
        HOMBI_HTTPS_USE="true",
        HOMBI_HTTPS_PORT=str(https),
        HOMBI_MQTT_TLS_PORT=str(mqtts),
        HOMBI_HTTP_NAMES="mill.example",
        **env,
    )


@pytest.fixture(scope="module")
def service(tmp_path_factory: pytest.TempPathFactory, empty_database: Path) -> Iterator[Service]:
    data = tmp_path_factory.mktemp("hub")
    shutil.copy(empty_database, data)
    result = secured(data)
    result.start().sign_in_first()
    yield result
    result.kill()


@pytest.fixture(scope="module")
def rack(service: Service) -> Joined:
    return let_in(service, description("Cellar rack", **CLIMATE))


def secure_url(service: Service) -> str:
    return f"https://localhost:{service.env['HOMBI_HTTPS_PORT']}"


@pytest.fixture(scope="module")
def authority(service: Service, tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("device") / "house.pem"
    with Hub(service.url) as hub:
        path.write_text(hub.trust().certificate)
    return path


def browser(service: Service, authority: Path) -> httpx.Client:
    """What keeps cookies as a browser does."""
    trusting = ssl.create_default_context(cafile=str(authority))
    return httpx.Client(base_url=secure_url(service), verify=trusting, trust_env=False)


def test_the_client_speaks_over_it_only_when_it_trusts_the_house(
    service: Service, authority: Path
) -> None:
    with Hub(secure_url(service), service.token, authority) as hub:
        assert hub.house().name == "Test house"
    with pytest.raises(HubUnreachable, match="hombi trust --take"), Hub(secure_url(service)) as hub:
        hub.house()


def test_cookies_of_the_two_never_meet(service: Service, authority: Path) -> None:
    """Browsers keep cookies by host, whatever the port."""
    with browser(service, authority) as secure:
        secure.get("/api/first-sign-in")
        token = {"X-CSRFToken": secure.cookies["__Host-csrftoken"], "Referer": secure_url(service)}
        said = {"username": OWNER, "password": PASSWORD}
        entered = secure.post("/api/session", json=said, headers=token)
        assert entered.status_code == 200, entered.text
        own = [one for one in secure.cookies.jar if one.name == "__Host-sessionid"]
        assert [(one.secure, one.path) for one in own] == [(True, "/")]
        assert secure.get("/api/house").status_code == 200
        session = secure.cookies["__Host-sessionid"]
        # Planted by a page in the clear, under the name HTTP knows, it is nobody's.
        bare = httpx.Client(verify=ssl.create_default_context(cafile=str(authority)))
        planted = bare.get(
            f"{secure_url(service)}/api/house", headers={"Cookie": f"sessionid={session}"}
        )
        assert planted.status_code == 401
        # Nor is the secure one good in the clear.
        clear = httpx.get(
            f"{service.url}/api/house", headers={"Cookie": f"__Host-sessionid={session}"}
        )
        assert clear.status_code == 401
        token = {"X-CSRFToken": secure.cookies["__Host-csrftoken"], "Referer": secure_url(service)}
        assert secure.delete("/api/session", headers=token).status_code == 204
        assert secure.get("/api/house").status_code == 401


def test_http_stays_open_to_nodes(service: Service, authority: Path, rack: Joined) -> None:
    """A rule that browsers keep for all ports of a name would shut it."""
    with browser(service, authority) as secure:
        answer = secure.get("/")
        assert "Strict-Transport-Security" not in answer.headers
    assert rack.post([{"n": "temperature", "v": 11.5}]).is_success
    page = httpx.get(f"{service.url}/trust")
    port = service.env["HOMBI_HTTPS_PORT"]
    assert f"connect-src 'self' https://127.0.0.1:{port}" in page.headers["Content-Security-Policy"]


@pytest.mark.parametrize(
    ("form", "sort"),
    [
        ("pem", "application/x-pem-file"),
        ("crt", "application/x-x509-ca-cert"),
        ("mobileconfig", "application/x-apple-aspen-config"),
    ],
)
def test_anybody_may_fetch_the_certificate_and_nobody_its_key(
    service: Service, form: str, sort: str
) -> None:
    answer = httpx.get(f"{service.url}/api/trust/house.{form}")
    assert answer.headers["Content-Type"] == sort
    assert b"PRIVATE" not in answer.content
    assert answer.content
    for path in ("/authority.pem", "/https.pem", "/api/trust/authority.pem"):
        assert b"PRIVATE" not in httpx.get(service.url + path).content


def test_the_mqtt_door_shows_the_same_certificate(
    service: Service, authority: Path, rack: Joined
) -> None:
    done = subprocess.run(
        [
            "mosquitto_pub", "-h", "localhost", "-p", service.env["HOMBI_MQTT_TLS_PORT"],
            "--cafile", str(authority), "-u", rack.node, "-P", rack.key, "-q", "1",
            "-t", rack.topics["readings"], "-m", json.dumps([{"n": "humidity", "v": 81.5}]),
        ],
        capture_output=True, text=True, check=False, timeout=60,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    with service.hub() as hub:
        assert until(lambda: hub.entities.get("cellar-rack/humidity").value) == 81.5


def test_the_command_line_leads_through_it(service: Service, tmp_path: Path) -> None:
    away = {
        "XDG_CONFIG_HOME": str(tmp_path),
        "HOMBI_DATA": str(tmp_path / "none"),
        "HOMBI_PORT": "",
    }
    shown = service.hombi("trust")
    assert shown.returncode == 0, shown.stderr
    with Hub(service.url) as hub:
        assert hub.trust().fingerprint in shown.stdout
    assert "does not trust it yet" in shown.stdout
    to = f"127.0.0.1:{service.port}"
    refused = service.hombi("sign-in", "--hub", secure_url(service), env=away, stdin="ada\nx\n")
    assert refused.returncode == 3
    assert "hombi trust --take" in refused.stderr
    taken = service.hombi("trust", "--take", "--yes", "--hub", to, env=away)
    assert taken.returncode == 0, taken.stderr
    who = ("--username", OWNER, "--password", PASSWORD)
    signed = service.hombi("sign-in", "--hub", secure_url(service), *who, env=away)
    assert signed.returncode == 0, signed.stderr
    now = service.hombi("status", env=away)
    assert "Test house" in now.stdout
    doctor = service.hombi("doctor", env=away).stdout
    assert "HTTPS  its certificate is good until" in doctor
    assert "the house's authority  the certificate is good until" in doctor
    saved = service.hombi("trust", "--save", str(tmp_path / "out.pem"))
    assert saved.returncode == 0
    assert "BEGIN CERTIFICATE" in (tmp_path / "out.pem").read_text()


def test_a_port_that_is_taken_leaves_the_hub_on_http(
    own_service: Service, empty_database: Path
) -> None:
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
        own_service.env |= {
            "HOMBI_HTTPS_USE": "true",
            "HOMBI_HTTPS_PORT": str(port),
            "HOMBI_MQTT_TLS_PORT": str(port),
        }
        own_service.start()
        with own_service.hub() as hub:
            faults = {one.part: one.text for one in hub.doctor() if one.state == "fault"}
            assert f"port {port} cannot be opened" in faults["HTTPS"]
            assert f"port {port} cannot be opened" in faults["MQTT over TLS"]
            assert hub.trust().secure == ""
        own_service.stop()


def test_who_never_ends_a_handshake_shuts_nobody_out(own_service: Service, tmp_path: Path) -> None:
    """Each is counted from its first moment, not only once it is secured."""
    https, mqtts = free_ports(2)
    own_service.env |= {
        "HOMBI_HTTPS_USE": "true",
        "HOMBI_HTTPS_PORT": str(https),
        "HOMBI_MQTT_TLS_PORT": str(mqtts),
    }
    own_service.start().sign_in_first()
    house = tmp_path / "house.pem"
    with own_service.hub() as hub:
        house.write_text(hub.trust().certificate)
    for port, said in ((https, b""), (https, b"\x16\x03\x01\x02\x00\x01"), (mqtts, b"")):
        crowd = [_silent(port, said) for _ in range(AN_ADDRESS + 150)]
        until(lambda crowd=crowd: sum(map(_open, crowd)) <= AN_ADDRESS)
        with Hub(f"https://localhost:{https}", own_service.token, house) as hub:
            assert hub.house().name == "Test house"
        for one in crowd:
            one.close()
    # Plain words are not a handshake: that connection goes, and no other.
    with _silent(https, b"GET / HTTP/1.1\r\nHost: localhost\r\n\r\n") as lost:
        until(lambda: not _open(lost))
    with Hub(f"https://localhost:{https}", own_service.token, house) as hub:
        assert hub.house().name == "Test house"


def _silent(port: int, said: bytes) -> socket.socket:
    result = socket.create_connection(("127.0.0.1", port), 10)
    result.sendall(said)
    result.setblocking(False)
    return result


def _open(found: socket.socket) -> bool:
    try:
        while found.recv(1024):
            pass
    except BlockingIOError:
        return True
    except OSError:
        return False
    return False


NGINX = """
daemon off; pid {folder}/pid; error_log {folder}/error.log;
events {{ }}
http {{
  access_log off;
  client_body_temp_path {folder}/a; proxy_temp_path {folder}/b; fastcgi_temp_path {folder}/c;
  uwsgi_temp_path {folder}/d; scgi_temp_path {folder}/e;
  server {{
    listen 127.0.0.1:{port} ssl;
    ssl_certificate {certificate}; ssl_certificate_key {key};
    location / {{
      proxy_pass http://127.0.0.1:{hub};
      proxy_set_header Host $http_host;
      proxy_set_header X-Forwarded-For $remote_addr;
      proxy_set_header X-Forwarded-Proto https;
      proxy_http_version 1.1;
      proxy_read_timeout 1h;
    }}
  }}
}}
"""


@pytest.fixture
def proxy(tmp_path: Path, own_service: Service) -> Iterator[tuple[str, ssl.SSLContext]]:
    """nginx in front of a hub that believes it, with a certificate of another
    authority."""
    from tests.certificates import Authority

    others = Authority(tmp_path / "ca")
    certificate, key = others.issue("proxy")
    port = free_ports(1)[0]
    folder = tmp_path / "nginx"
    folder.mkdir()
    (folder / "nginx.conf").write_text(
        NGINX.format(
            folder=folder, port=port, certificate=certificate, key=key, hub=own_service.port
        )
    )
    own_service.env["HOMBI_HTTP_BEHIND"] = "127.0.0.1"
    own_service.start().sign_in_first()
    words = ["/usr/sbin/nginx", "-p", str(folder), "-c", str(folder / "nginx.conf")]
    with subprocess.Popen(words, stderr=subprocess.PIPE) as running:
        trusting = ssl.create_default_context(cafile=str(others.file))
        until(lambda: _answers(port))
        yield f"https://127.0.0.1:{port}", trusting
        running.terminate()


def _answers(port: int) -> bool:
    try:
        with socket.create_connection(("127.0.0.1", port), 1):
            return True
    except OSError:
        return False


def test_behind_nginx_people_sign_in_and_the_live_stream_is_not_held_up(
    own_service: Service, proxy: tuple[str, ssl.SSLContext]
) -> None:
    url, trusting = proxy
    rack = let_in(own_service, description("Cellar rack", **CLIMATE))
    with httpx.Client(base_url=url, verify=trusting, trust_env=False, timeout=30) as client:
        client.get("/api/first-sign-in")
        token = {"X-CSRFToken": client.cookies["__Host-csrftoken"], "Referer": url}
        said = {"username": OWNER, "password": PASSWORD}
        assert client.post("/api/session", json=said, headers=token).status_code == 200
        came = threading.Event()

        def listen() -> None:
            with client.stream("GET", "/api/live") as stream:
                for line in stream.iter_lines():
                    if "12.25" in line:
                        came.set()
                        return

        listening = threading.Thread(target=listen, daemon=True)
        listening.start()
        # Held up by a buffer, a single reading would come minutes later or never.
        until(lambda: rack.post([{"n": "temperature", "v": 12.25}]) and came.wait(0.5))
        listening.join(30)
