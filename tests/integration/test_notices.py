"""A notice's whole way: an automation's start, the real Web Push request, the lab's
phone that checks and decrypts it."""

from __future__ import annotations

import asyncio
import contextlib
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from pathlib import Path

import pytest
import uvicorn
from starlette.applications import Starlette
from starlette.routing import Route

from hombi.lab.phone import LabPhone
from tests.house import Joined, Service, free_ports, until


@contextlib.contextmanager
def phone_service(path: Path, port: int) -> Iterator[LabPhone]:
    """The lab's phone behind its push service."""
    phone = LabPhone.kept_in(path, "Lab phone")
    app = Starlette(
        routes=[
            Route("/push/{channel}", phone.push, methods=["POST"]),
            Route("/phone/notices", phone.shown),
            Route("/phone", phone.page),
        ]
    )
    server = uvicorn.Server(
        uvicorn.Config(app, host="127.0.0.1", port=port, log_level="error", lifespan="off")
    )
    thread = threading.Thread(target=lambda: asyncio.run(server.serve()), daemon=True)
    thread.start()
    until(lambda: server.started)
    try:
        yield phone
    finally:
        server.should_exit = True
        thread.join(30)


@pytest.fixture
def push(tmp_path: Path) -> Iterator[tuple[LabPhone, int]]:
    (port,) = free_ports(1)
    with phone_service(tmp_path / "phone.json", port) as phone:
        yield phone, port


def add(service: Service, phone: LabPhone, port: int) -> int:
    with service.hub() as hub:
        return hub.phones.add(
            phone.name, f"http://127.0.0.1:{port}/push/{phone.channel}", phone.keys()
        ).id


def test_an_automation_tells_a_phone(
    service: Service, rack: Joined, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    add(service, phone, port)
    with service.hub() as hub:
        hub.automations.add(
            'name = "Damp"\n[watch]\nentity = "cellar-rack/humidity"\nover = "90 %"\n'
            '[[starts]]\nnotify = "ada"\ntitle = "Cellar is damp – Käse"\ntext = '
            '"{value}, limit {limit}"\n'
        )
        rack.post([{"n": "humidity", "v": 95.5}])
        until(lambda: phone.notices)
        (notice,) = phone.notices
        assert (notice["title"], notice["text"], notice["path"]) == (
            "Cellar is damp – Käse",
            "95.5 %, limit 90 %",
            "/automations/damp",
        )
        assert phone.refused == 0
        until(lambda: hub.phones.notices()[0].state == "delivered")
        until(lambda: list(hub.journal(event="NoticeDelivered")))
        hub.automations.remove("damp")
        for known in hub.phones.list():
            hub.phones.remove(known.id)


def test_a_busy_push_service_is_tried_again(service: Service, push: tuple[LabPhone, int]) -> None:
    phone, port = push
    number = add(service, phone, port)
    phone.answer = 503
    with service.hub() as hub:
        hub.phones.test(number)
        until(lambda: hub.phones.notices()[0].attempts == 1)
        assert hub.phones.notices()[0].state == "waiting"
        assert "503" in hub.phones.notices()[0].problem
        phone.answer = 201
        until(lambda: phone.notices)
        hub.phones.remove(number)


@pytest.mark.parametrize("status", [404, 410])
def test_a_phone_that_is_gone_is_removed(
    service: Service, push: tuple[LabPhone, int], status: int
) -> None:
    phone, port = push
    number = add(service, phone, port)
    phone.answer = status
    with service.hub() as hub:
        hub.phones.test(number)
        until(lambda: number not in [p.id for p in hub.phones.list()])
        until(lambda: any(f"({status})" in e.text for e in hub.journal(event="PhoneRemoved")))


def test_what_the_push_service_refuses_is_said(
    service: Service, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    number = add(service, phone, port)
    phone.answer = 403
    with service.hub() as hub:
        hub.phones.test(number)
        until(lambda: hub.phones.notices()[0].state == "failed")
        assert any("did not reach" in need.text for need in hub.house().needs)
        hub.phones.remove(number)


def test_a_push_service_that_says_nothing_has_taken_it(
    service: Service, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    number = add(service, phone, port)
    phone.answer = 204
    with service.hub() as hub:
        hub.phones.test(number)
        until(lambda: hub.phones.notices()[0].state == "delivered")
        hub.phones.remove(number)


def test_a_push_service_that_sends_the_hub_elsewhere_is_not_followed(
    service: Service, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    number = add(service, phone, port)
    # What a hub that follows would do: post the notice to itself, from inside the
    # house.
    phone.answer, phone.headers = (
        307,
        {"Location": f"http://127.0.0.1:{port}/push/{phone.channel}?again"},
    )
    with service.hub() as hub:
        hub.phones.test(number)
        until(lambda: hub.phones.notices()[0].state == "failed")
        assert "not followed" in hub.phones.notices()[0].problem
        assert hub.phones.notices()[0].attempts == 1
        hub.phones.remove(number)


def test_a_date_until_which_to_wait_is_waited_for(
    service: Service, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    number = add(service, phone, port)
    begun = time.time()
    phone.answer, phone.headers = (
        503,
        {"Retry-After": format_datetime(datetime.now(UTC) + timedelta(seconds=8), usegmt=True)},
    )
    with service.hub() as hub:
        hub.phones.test(number)
        until(lambda: hub.phones.notices()[0].attempts == 1)
        phone.answer = 201
        until(lambda: phone.notices)
        assert time.time() - begun > 6
        hub.phones.remove(number)


def test_a_hub_that_is_killed_while_a_phone_takes_its_notice_rings_once(
    own_service: Service, tmp_path: Path
) -> None:
    own_service.start()
    own_service.claim()
    (port,) = free_ports(1)
    with phone_service(tmp_path / "phone.json", port) as phone:
        number = add(own_service, phone, port)
        phone.slow_s = 5.0
        with own_service.hub() as hub:
            hub.phones.test(number)
            until(lambda: phone.taken == 1)
        own_service.kill()
        phone.slow_s = 0.0
        own_service.start()
        with own_service.hub() as hub:
            until(lambda: hub.phones.notices()[0].state == "delivered")
        assert (phone.taken, phone.rings, len(phone.notices)) == (2, 1, 1), (
            "it came twice, and is one notice"
        )


def test_a_phone_whose_service_hangs_holds_up_nobody_elses(
    service: Service, push: tuple[LabPhone, int], tmp_path: Path
) -> None:
    phone, port = push
    (second_port,) = free_ports(1)
    with phone_service(tmp_path / "second.json", second_port) as quick:
        slow, fast = add(service, phone, port), add(service, quick, second_port)
        phone.slow_s = 8.0
        with service.hub() as hub:
            for _ in range(3):
                hub.phones.test(slow)
            until(lambda: phone.taken)
            begun = time.monotonic()
            hub.phones.test(fast)
            until(lambda: quick.notices)
            assert time.monotonic() - begun < 5
            for number in (slow, fast):
                hub.phones.remove(number)


def test_a_notice_that_waits_outlives_a_killed_hub(own_service: Service, tmp_path: Path) -> None:
    own_service.start()
    own_service.claim()
    (port,) = free_ports(1)
    with phone_service(tmp_path / "phone.json", port) as phone:
        number = add(own_service, phone, port)
    with own_service.hub() as hub:  # nobody listens there now
        hub.phones.test(number)
        until(lambda: hub.phones.notices()[0].attempts == 1)
        assert "cannot be reached" in hub.phones.notices()[0].problem
    own_service.kill()
    own_service.start()
    with phone_service(tmp_path / "phone.json", port) as again:
        until(lambda: again.notices)


def test_the_lab_phone_takes_nothing_that_is_not_signed_and_encrypted_for_it(
    push: tuple[LabPhone, int],
) -> None:
    import httpx

    phone, port = push
    url = f"http://127.0.0.1:{port}/push/{phone.channel}"
    assert httpx.post(f"http://127.0.0.1:{port}/push/another", content=b"x").status_code == 404
    assert httpx.post(url, content=b"x").status_code == 403
    headers = {"content-encoding": "aes128gcm", "ttl": "60"}
    assert httpx.post(url, content=b"x", headers=headers).status_code == 403
    assert (
        httpx.post(
            url, content=b"x", headers={**headers, "authorization": "vapid t=a.b.c,k=x"}
        ).status_code
        == 403
    )
    assert phone.notices == []
    assert "Nothing yet" in httpx.get(f"http://127.0.0.1:{port}/phone").text
