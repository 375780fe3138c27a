"""Web Push (RFC 8030): one notice, encrypted for one phone (RFC 8291), signed by this
hub (VAPID, RFC 8292)."""

from __future__ import annotations

import asyncio
import hashlib
import json
import ssl
from base64 import urlsafe_b64decode, urlsafe_b64encode
from bisect import bisect_right
from collections import deque
from collections.abc import Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from functools import cache
from typing import Any, Protocol

import http_ece
import httpx
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    PublicFormat,
)
from py_vapid import Vapid, VapidException

from hombi.hub.notices.buttons import Buttons
from hombi.hub.notices.endpoints import addresses_of, is_named, leads_inside, why_not
from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from hombi.hub.notices.sending import Fate, Sent

TIME_TO_LIVE_S = 24 * 3600
# What is over is of no use to a phone that comes back a day later.
QUIET_TIME_TO_LIVE_S = 4 * 3600
TIMEOUT_S, CONNECT_S = 10.0, 4.0
AT_ONCE = 32
LONGEST_WAIT_S = 24 * 3600.0
# RFC 8030, 7.2: a push service takes 4,096 bytes; the encryption takes 103 of them.
ROOM = 3_900


class Push(Protocol):
    """A contact of bringing a notice to a phone."""

    async def send(self, phone: PhoneRecord, delivery: DeliveryRecord) -> Sent:
        """One attempt. Never raises for what the far end does."""


def fresh_vapid_key() -> str:
    """A new P-256 key as PEM."""
    key = ec.generate_private_key(ec.SECP256R1())
    return key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()).decode()


class WebPush:
    """Sends through the push service that a phone's subscription names."""

    def __init__(
        self, vapid_key: str, contact: str, services: Sequence[str], buttons: Buttons
    ) -> None:
        self._vapid, self._buttons = Vapid.from_pem(vapid_key.encode()), buttons
        self._contact, self.services = contact, tuple(services)
        # Threads of their own: a push service that hangs holds up nothing else.
        self._pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="push")

    @property
    def public_key(self) -> str:
        """The application server key that a browser subscribes with: an uncompressed
        point, base64url (RFC 8292, 3.2)."""
        point = self._vapid.public_key.public_bytes(Encoding.X962, PublicFormat.UncompressedPoint)
        return urlsafe_b64encode(point).rstrip(b"=").decode()

    async def send(self, phone: PhoneRecord, delivery: DeliveryRecord) -> Sent:
        """One attempt, in a thread of its own."""
        return await asyncio.get_running_loop().run_in_executor(
            self._pool, self._send, phone, delivery
        )

    def _send(self, phone: PhoneRecord, delivery: DeliveryRecord) -> Sent:
        if problem := why_not(phone.endpoint, self.services):
            return Sent(Fate.IMPOSSIBLE, problem)
        try:
            service = httpx.URL(phone.endpoint)
        except httpx.InvalidURL as error:
            return Sent(Fate.IMPOSSIBLE, f"this phone's endpoint is not an address: {error}")
        name = service.netloc.decode()
        try:
            addresses = addresses_of(service.raw_host.decode())
        except OSError:
            return Sent(Fate.LATER, f"the push service at {name} cannot be found")
        if not is_named(phone.endpoint, self.services) and leads_inside(addresses):
            return Sent(
                Fate.IMPOSSIBLE, f"{name} is an address within the house, not of a push service"
            )
        try:
            body = _encrypted(fitting(self._said(delivery)), phone)
            who = self._vapid.sign({"sub": self._contact, "aud": f"{service.scheme}://{name}"})
        except (ValueError, http_ece.ECEException, VapidException) as error:
            return Sent(Fate.IMPOSSIBLE, f"this phone's keys cannot be used: {error}")
        headers = {
            **who,
            "Content-Encoding": "aes128gcm",
            "TTL": str(_time_to_live_s(delivery)),
            "Urgency": _urgency(delivery),
            # RFC 8030, 5.4: a message with the same topic takes the place of one that
            # still waits.
            "Topic": topic_of(delivery),
        }
        try:
            return asyncio.run(_posted(service, addresses, body, headers))
        except (TimeoutError, httpx.HTTPError) as error:
            return Sent(
                Fate.LATER, f"the push service at {name} cannot be reached ({type(error).__name__})"
            )

    def _said(self, delivery: DeliveryRecord) -> dict[str, Any]:
        return {
            "title": delivery.title,
            "text": delivery.text,
            "path": delivery.path,
            "at": delivery.created_ms,
            "id": delivery.identity,
            "tag": delivery.subject or delivery.identity,
            "quiet": delivery.quiet,
            "urgent": delivery.urgent,
            "buttons": self._buttons.offered(delivery),
            "picture": self._buttons.to_see(delivery),
        }


@cache
def _authorities() -> ssl.SSLContext:
    """Whom the hub believes that a push service is what it says; loaded once."""
    return httpx.create_ssl_context(trust_env=False)


async def _posted(
    service: httpx.URL, addresses: Iterable[str], body: bytes, headers: Mapping[str, str]
) -> Sent:
    """What a push service answers, at the first of its addresses that takes a
    connection: the addresses that were looked at are those that are asked. What it says
    beyond its head is not read; a redirect is another's address, and not followed.
    Raises TimeoutError when all of it takes too long, and httpx.HTTPError."""
    untried = deque(addresses)
    async with (
        asyncio.timeout(TIMEOUT_S),
        httpx.AsyncClient(
            timeout=httpx.Timeout(None, connect=CONNECT_S), trust_env=False, verify=_authorities()
        ) as http,
    ):
        while True:
            try:
                async with http.stream(
                    "POST",
                    service.copy_with(host=untried.popleft()),
                    content=body,
                    headers={**headers, "Host": service.netloc.decode()},
                    extensions={"sni_hostname": service.raw_host.decode()},
                ) as answer:
                    return _fate(answer)
            except (httpx.ConnectError, httpx.ConnectTimeout):
                if not untried:
                    raise


def _encrypted(content: bytes, phone: PhoneRecord) -> bytes:
    """Content that only this phone can read (RFC 8291). Raises ValueError, or
    ECEException, for keys that are none."""
    return bytes(
        http_ece.encrypt(
            content,
            private_key=ec.generate_private_key(ec.SECP256R1()),
            dh=_decoded(phone.p256dh),
            auth_secret=_decoded(phone.auth),
            version="aes128gcm",
        )
    )


def _decoded(text: str) -> bytes:
    return urlsafe_b64decode(text + "=" * (-len(text) % 4))


def fitting(fields: dict[str, Any]) -> bytes:
    """What is said as JSON of at most ROOM bytes: the text is cut, then the title."""
    for cut in ("text", "title"):
        over = len(_json(fields)) - ROOM
        if over > 0:
            whole = fields[cut]
            room = len(_json(whole)) - over - len("…".encode())
            fits = bisect_right(range(len(whole)), room, key=lambda n: len(_json(whole[:n]))) - 1
            fields = {**fields, cut: whole[: max(0, fits)] + "…"}
    return _json(fields)


def _json(value: object) -> bytes:
    return json.dumps(value, ensure_ascii=False).encode(errors="replace")


def _urgency(delivery: DeliveryRecord) -> str:
    """RFC 8030, 5.3: what may wake a phone, and what may wait for the next time that it
    wakes by itself."""
    if delivery.quiet:
        return "low"
    return "high" if delivery.urgent else "normal"


def _time_to_live_s(delivery: DeliveryRecord) -> int:
    """RFC 8030, 5.2: how long the push service keeps it for a phone that is away."""
    return QUIET_TIME_TO_LIVE_S if delivery.quiet else TIME_TO_LIVE_S


def topic_of(delivery: DeliveryRecord) -> str:
    """RFC 8030, 5.4: at most 32 signs of base64url; the same for what is about the
    same."""
    if not delivery.subject:
        return delivery.identity
    return urlsafe_b64encode(hashlib.sha256(delivery.subject.encode()).digest()[:18]).decode()


def _fate(answer: httpx.Response) -> Sent:
    status = answer.status_code
    if 200 <= status < 300:
        return Sent(Fate.DELIVERED)
    if 300 <= status < 400:
        return Sent(
            Fate.IMPOSSIBLE,
            "the push service sends the hub on to another address; that is not followed",
        )
    if status in (404, 410):
        return Sent(Fate.GONE, f"the push service does not know this phone any more ({status})")
    if status == 429 or status >= 500:
        wait_s = _wait_s(answer.headers.get("Retry-After", ""))
        return Sent(Fate.LATER, f"the push service asks to try again later ({status})", wait_s)
    return Sent(Fate.IMPOSSIBLE, f"the push service refused the notice ({status})")


def _wait_s(retry_after: str) -> float:
    """How long a Retry-After header asks to wait: seconds, or until a date (RFC 9110,
    10.2.3); at most a day."""
    if retry_after.isdigit():
        return min(float(retry_after), LONGEST_WAIT_S)
    try:
        until = parsedate_to_datetime(retry_after)
    except ValueError:
        return 0.0
    if until.tzinfo is None:
        until = until.replace(tzinfo=UTC)
    return min(max(0.0, (until - datetime.now(UTC)).total_seconds()), LONGEST_WAIT_S)
