"""A notice's whole contact: an automation's start, the real Web Push request, the lab's
phone that checks and decrypts it."""

from __future__ import annotations

import asyncio
import base64
import contextlib
import hashlib
import hmac
import json
import re
import ssl
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from email.utils import format_datetime
from pathlib import Path
from typing import Any

import httpx
import pytest
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from hombi.lab.mailbox import Mailbox
from hombi.lab.phone import LabPhone
from tests.cameras import PNG, SEEN, camera, says
from tests.certificates import Authority
from tests.house import CLIMATE, Joined, Service, description, free_ports, let_in, until
from tests.phones import add_phone, phone_service, served


def test_an_automation_tells_a_phone(
    service: Service, rack: Joined, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    add_phone(service, phone, port)
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
        until(lambda: hub.contacts.notices()[0].state == "delivered")
        until(lambda: list(hub.journal(event="NoticeDelivered")))
        hub.automations.remove("damp")
        for known in hub.contacts.list():
            hub.contacts.remove(known.id)


def test_what_a_push_service_is_asked_follows_from_what_the_notice_is(
    service: Service, rack: Joined, push: tuple[LabPhone, int]
) -> None:
    """TTL, urgency and topic of RFC 8030; on the phone one place for what is about the
    same; a button that needs no sign-in."""
    phone, port = push
    add_phone(service, phone, port)
    with service.hub() as hub:
        hub.automations.add(
            'name = "Hot"\n[watch]\nentity = "cellar-rack/temperature"\nover = "30 °C"\n'
            '[[starts]]\nnotify = "everyone"\ntitle = "Cellar is hot"\nurgent = true\n'
        )
        rack.post([{"n": "temperature", "v": 31.0}])
        until(lambda: phone.notices)
        first = dict(phone.asked)
        assert (first["urgency"], first["ttl"]) == ("high", "86400")
        rack.post([{"n": "temperature", "v": 12.0}])
        until(lambda: phone.taken == 2)
        assert phone.asked["urgency"] == "low"
        assert int(phone.asked["ttl"]) < 86400
        assert phone.asked["topic"] == first["topic"]
        (shown,) = phone.notices
        assert (shown["title"], shown["quiet"]) == ("Cellar is hot", True)
        assert shown["text"].startswith("over after ")
        assert phone.rings == 1
        rack.post([{"n": "temperature", "v": 33.0}])
        until(lambda: phone.rings == 2)
        button = phone.notices[0]["buttons"][-1]
        assert button["label"] == "Not again for an hour"
        press = f"{service.url}/api/notices/press"
        answer = httpx.post(press, json={"right": button["right"]})
        assert (answer.status_code, answer.json()) == (200, {"done": "Not again for an hour"})
        again = httpx.post(press, json={"right": button["right"]})
        assert again.status_code == 409
        assert "pressed already" in again.json()["detail"]
        # What it is good for, and nothing beside.
        bearer = {"Authorization": f"Bearer {button['right']}"}
        assert httpx.get(f"{service.url}/api/house", headers=bearer).status_code == 401
        rack.post([{"n": "temperature", "v": 12.0}])
        rack.post([{"n": "temperature", "v": 34.0}])
        until(lambda: hub.automations.get("hot").phase == "on")
        hub.automations.remove("hot")
        for known in hub.contacts.list():
            hub.contacts.remove(known.id)


class Receiver:
    """A receiver of somebody's own, as the documentation shows it."""

    def __init__(self, secret: str = "") -> None:
        self.secret, self.told, self.answer = secret, [], 204
        self.refused = 0

    async def take(self, request: Request) -> Response:
        body = await request.body()
        digest = base64.b64encode(hashlib.sha256(body).digest()).decode()
        params = request.headers["signature-input"].removeprefix("hombi=")
        base = "\n".join(
            [
                '"@method": POST',
                f'"@target-uri": {request.url}',
                f'"content-type": {request.headers["content-type"]}',
                f'"content-digest": sha-256=:{digest}:',
                f'"@signature-params": {params}',
            ]
        )
        mac = hmac.new(self.secret.encode(), base.encode(), "sha256").digest()
        made = f"hombi=:{base64.b64encode(mac).decode()}:"
        fits = hmac.compare_digest(made, request.headers["signature"])
        at = re.search(r"created=(\d+)", params)
        if not fits or at is None or abs(time.time() - int(at[1])) > 300:
            self.refused += 1
            return Response(status_code=403)
        if self.answer == 204:
            self.told.append(json.loads(body))
        return Response(status_code=self.answer)


def test_a_post_is_signed_tried_again_and_given_up_where_it_is_refused(service: Service) -> None:
    (port,) = free_ports(1)
    receiver = Receiver()
    with served([Route("/told", receiver.take, methods=["POST"])], port), service.hub() as hub:
        made = hub.contacts.add("post", f"http://127.0.0.1:{port}/told", "ledger")
        assert made.contact == "ada/ledger"
        assert made.address == f"127.0.0.1:{port}"
        assert hub.contacts.list()[0].as_dict().get("secret") is None, "it is told once"
        receiver.secret, receiver.answer = made.secret, 503
        hub.contacts.test(made.id)
        until(lambda: hub.contacts.notices()[0].attempts == 1)
        assert "503" in hub.contacts.notices()[0].problem
        receiver.answer = 204
        until(lambda: receiver.told)
        (told,) = receiver.told
        assert (told["title"], told["over"]) == ("Hombi can reach you", False)
        form = '{"message": {"said": ["{title}: {text}", 5]}, "urgent": "{urgent}", "at": "{at}"}'
        odd = f"http://127.0.0.1:{port}/told?by=%C3%A4#here"
        shaped = hub.contacts.add("post", odd, "shaped", form=form)
        receiver.secret = shaped.secret
        hub.contacts.test(shaped.id)
        until(lambda: len(receiver.told) == 2)
        message, urgent, at = (receiver.told[1][one] for one in ("message", "urgent", "at"))
        assert message == {"said": ["Hombi can reach you: This is shaped.", 5]}
        assert (urgent, abs(at / 1000 - time.time()) < 60) == (True, True)
        hub.contacts.remove(shaped.id)
        receiver.secret = "another"
        hub.contacts.test(made.id)
        until(lambda: hub.contacts.notices()[0].state == "failed")
        assert "403" in hub.contacts.notices()[0].problem
        hub.contacts.remove(made.id)


@contextlib.contextmanager
def mail_server(mailbox: Mailbox, port: int, **how: Any) -> Iterator[None]:
    """The lab's mail server, in a loop of its own."""
    loop = asyncio.new_event_loop()
    server = loop.run_until_complete(mailbox.open(port, **how))
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()
    try:
        yield
    finally:
        loop.call_soon_threadsafe(server.close)
        loop.call_soon_threadsafe(loop.stop)
        thread.join(30)
        loop.close()


@pytest.mark.parametrize("secure", ["starttls", "tls"])
def test_a_mail_goes_over_tls_with_a_sign_in(
    own_service: Service, tmp_path: Path, secure: str
) -> None:
    authority = Authority(tmp_path / "ca")
    certificate, key = authority.issue("mail")
    tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    tls.load_cert_chain(certificate, key)
    mailbox = Mailbox("hub@mill.example", "wheel and weir")
    (port,) = free_ports(1)
    settings = (
        f'[mail]\nhost = "127.0.0.1"\nport = {port}\nsecure = "{secure}"\n'
        'user = "hub@mill.example"\npassword = "PASSWORD"\nca = "CA"\n'
    )
    file = own_service.data / "hombi.toml"
    right = settings.replace("PASSWORD", "wheel and weir").replace("CA", str(authority.file))
    file.write_text(settings.replace("PASSWORD", "wrong").replace("CA", str(authority.file)))
    own_service.start().sign_in_first()
    how = {"tls": tls, "starttls": secure == "starttls"}
    with mail_server(mailbox, port, **how), own_service.hub() as hub:
        contact = hub.contacts.add("mail", "ada@mill.example", "mail")
        hub.contacts.test(contact.id)
        until(lambda: "refuses the sign-in" in hub.contacts.notices()[0].problem)
        assert hub.contacts.notices()[0].state == "waiting", "a password can be put right"
        file.write_text(right)
        until(lambda: mailbox.mails)
        (mail,) = mailbox.mails
        assert (mail.to, mail.sender) == ("ada@mill.example", "hub@mill.example")
        assert mail.subject == "Test house: Hombi can reach you"
        assert mail.headers["Auto-Submitted"] == "auto-generated"
        assert "/notices" in mail.text
        until(lambda: hub.contacts.notices()[0].state == "delivered")
        with camera(says("200 OK", f"Content-Length: {len(PNG)}", PNG)) as address:
            rack = let_in(own_service, description("Cellar rack", **CLIMATE))
            hub.automations.add(SEEN.replace("ADDRESS", address))
            rack.post([{"n": "humidity", "v": 95}])
            until(lambda: len(mailbox.mails) == 2)
            assert mailbox.mails[-1].attached == [("image/png", PNG)]
            assert "Somebody is in the yard" in mailbox.mails[-1].text
        mailbox.answer = "550 no such mailbox"
        hub.contacts.test(contact.id)
        until(lambda: hub.contacts.notices()[0].state == "failed")
        assert "550 no such mailbox" in hub.contacts.notices()[0].problem
    own_service.stop()


def test_a_mail_server_with_a_certificate_of_nobody_gets_no_password(
    own_service: Service, tmp_path: Path
) -> None:
    certificate, key = Authority(tmp_path / "ca").issue("mail")
    tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    tls.load_cert_chain(certificate, key)
    mailbox = Mailbox("hub", "wheel and weir")
    (port,) = free_ports(1)
    own_service.env |= {
        "HOMBI_MAIL_HOST": "127.0.0.1",
        "HOMBI_MAIL_PORT": str(port),
        "HOMBI_MAIL_USER": "hub",
        "HOMBI_MAIL_PASSWORD": "wheel and weir",
    }
    own_service.start().sign_in_first()
    with mail_server(mailbox, port, tls=tls), own_service.hub() as hub:
        contact = hub.contacts.add("mail", "ada@mill.example", "mail")
        hub.contacts.test(contact.id)
        until(lambda: "not trusted" in hub.contacts.notices()[0].problem)
        assert mailbox.mails == []
    own_service.stop()


def test_a_busy_push_service_is_tried_again(service: Service, push: tuple[LabPhone, int]) -> None:
    phone, port = push
    number = add_phone(service, phone, port)
    phone.answer = 503
    with service.hub() as hub:
        hub.contacts.test(number)
        until(lambda: hub.contacts.notices()[0].attempts == 1)
        assert hub.contacts.notices()[0].state == "waiting"
        assert "503" in hub.contacts.notices()[0].problem
        phone.answer = 201
        until(lambda: phone.notices)
        hub.contacts.remove(number)


@pytest.mark.parametrize("status", [404, 410])
def test_a_phone_that_is_gone_is_removed(
    service: Service, push: tuple[LabPhone, int], status: int
) -> None:
    phone, port = push
    number = add_phone(service, phone, port)
    phone.answer = status
    with service.hub() as hub:
        hub.contacts.test(number)
        until(lambda: number not in [p.id for p in hub.contacts.list()])
        until(lambda: any(f"({status})" in e.text for e in hub.journal(event="PhoneRemoved")))


def test_what_the_push_service_refuses_is_said(
    service: Service, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    number = add_phone(service, phone, port)
    phone.answer = 403
    with service.hub() as hub:
        hub.contacts.test(number)
        until(lambda: hub.contacts.notices()[0].state == "failed")
        assert any("did not reach" in need.text for need in hub.house().needs)
        hub.contacts.remove(number)


def test_a_push_service_that_says_nothing_has_taken_it(
    service: Service, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    number = add_phone(service, phone, port)
    phone.answer = 204
    with service.hub() as hub:
        hub.contacts.test(number)
        until(lambda: hub.contacts.notices()[0].state == "delivered")
        hub.contacts.remove(number)


def test_a_push_service_that_sends_the_hub_elsewhere_is_not_followed(
    service: Service, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    number = add_phone(service, phone, port)
    # What a hub that follows would do: post the notice to itself, from inside the
    # house.
    phone.answer, phone.headers = (
        307,
        {"Location": f"http://127.0.0.1:{port}/push/{phone.channel}?again"},
    )
    with service.hub() as hub:
        hub.contacts.test(number)
        until(lambda: hub.contacts.notices()[0].state == "failed")
        assert "not followed" in hub.contacts.notices()[0].problem
        assert hub.contacts.notices()[0].attempts == 1
        hub.contacts.remove(number)


def test_a_date_until_which_to_wait_is_waited_for(
    service: Service, push: tuple[LabPhone, int]
) -> None:
    phone, port = push
    number = add_phone(service, phone, port)
    begun = time.time()
    phone.answer, phone.headers = (
        503,
        {"Retry-After": format_datetime(datetime.now(UTC) + timedelta(seconds=8), usegmt=True)},
    )
    with service.hub() as hub:
        hub.contacts.test(number)
        until(lambda: hub.contacts.notices()[0].attempts == 1)
        phone.answer = 201
        until(lambda: phone.notices)
        assert time.time() - begun > 6
        hub.contacts.remove(number)


def test_a_hub_that_is_killed_while_a_phone_takes_its_notice_rings_once(
    own_service: Service, tmp_path: Path
) -> None:
    own_service.start()
    own_service.sign_in_first()
    (port,) = free_ports(1)
    with phone_service(tmp_path / "phone.json", port) as phone:
        number = add_phone(own_service, phone, port)
        phone.slow_s = 5.0
        with own_service.hub() as hub:
            hub.contacts.test(number)
            until(lambda: phone.taken == 1)
        own_service.kill()
        phone.slow_s = 0.0
        own_service.start()
        with own_service.hub() as hub:
            until(lambda: hub.contacts.notices()[0].state == "delivered")
        assert (phone.taken, phone.rings, len(phone.notices)) == (2, 1, 1), (
            "it came twice, and is one notice"
        )


def test_a_phone_whose_service_hangs_holds_up_nobody_elses(
    service: Service, push: tuple[LabPhone, int], tmp_path: Path
) -> None:
    phone, port = push
    (second_port,) = free_ports(1)
    with phone_service(tmp_path / "second.json", second_port) as quick:
        slow, fast = add_phone(service, phone, port), add_phone(service, quick, second_port)
        phone.slow_s = 8.0
        with service.hub() as hub:
            for _ in range(3):
                hub.contacts.test(slow)
            until(lambda: phone.taken)
            begun = time.monotonic()
            hub.contacts.test(fast)
            until(lambda: quick.notices)
            assert time.monotonic() - begun < 5
            for number in (slow, fast):
                hub.contacts.remove(number)


def test_a_notice_that_waits_outlives_a_killed_hub(own_service: Service, tmp_path: Path) -> None:
    own_service.start()
    own_service.sign_in_first()
    (port,) = free_ports(1)
    with phone_service(tmp_path / "phone.json", port) as phone:
        number = add_phone(own_service, phone, port)
    with own_service.hub() as hub:  # nobody listens there now
        hub.contacts.test(number)
        until(lambda: hub.contacts.notices()[0].attempts == 1)
        assert "cannot be reached" in hub.contacts.notices()[0].problem
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
