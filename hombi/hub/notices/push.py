"""Web Push (RFC 8030): one notice, encrypted for one phone (RFC 8291), signed by this
hub (VAPID, RFC 8292)."""

from __future__ import annotations

import asyncio
import hashlib
import json
from base64 import urlsafe_b64encode
from bisect import bisect_right
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from typing import Any, Protocol
from urllib.parse import urlparse

from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    PublicFormat,
)
from py_vapid import Vapid, VapidException

from hombi.hub.notices.buttons import Buttons
from hombi.hub.notices.endpoints import is_named, leads_inside, why_not
from hombi.hub.notices.sending import Fate, Sent
from hombi.hub.ports import DeliveryRecord, PhoneRecord

TIME_TO_LIVE_S = 24 * 3600
# What is over is of no use to a phone that comes back a day later.
QUIET_TIME_TO_LIVE_S = 4 * 3600
TIMEOUT_S = 10.0
AT_ONCE = 32
LONGEST_WAIT_S = 24 * 3600.0
# RFC 8030, 7.2: a push service takes 4,096 bytes; the encryption takes 103 of them.
ROOM = 3_900


class Push(Protocol):
    """A way of bringing a notice to a phone."""

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
        # Imported here: they bring two HTTP clients with them, which would make every
        # start of the hub a fifth longer.
        import requests  # noqa: PLC0415
        from pywebpush import WebPushException, webpush  # noqa: PLC0415

        where = urlparse(phone.endpoint)
        if problem := why_not(phone.endpoint, self.services):
            return Sent(Fate.IMPOSSIBLE, problem)
        try:
            inside = not is_named(phone.endpoint, self.services) and leads_inside(
                where.hostname or ""
            )
        except OSError:
            return Sent(Fate.LATER, f"the push service at {where.netloc} cannot be found")
        if inside:
            return Sent(
                Fate.IMPOSSIBLE,
                f"{where.netloc} is an address within the house, not of a push service",
            )
        said = {
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
        with requests.Session() as session:
            session.max_redirects = 0  # a redirect is another's address: it is not followed
            try:
                webpush(
                    subscription_info={
                        "endpoint": phone.endpoint,
                        "keys": {"p256dh": phone.p256dh, "auth": phone.auth},
                    },
                    data=fitting(said),
                    vapid_private_key=self._vapid,
                    vapid_claims={"sub": self._contact, "aud": f"{where.scheme}://{where.netloc}"},
                    content_encoding="aes128gcm",
                    ttl=_time_to_live_s(delivery),
                    timeout=TIMEOUT_S,
                    # RFC 8030, 5.4: a message with the same topic takes the place of
                    # one that still waits.
                    headers={"urgency": _urgency(delivery), "topic": topic_of(delivery)},
                    requests_session=session,
                )
            except WebPushException as error:
                return _fate(error.response, str(error))
            except requests.TooManyRedirects:
                return Sent(
                    Fate.IMPOSSIBLE,
                    "the push service sends the hub on to another address; that is not followed",
                )
            except requests.RequestException as error:
                return Sent(
                    Fate.LATER,
                    f"the push service at {where.netloc} cannot be reached "
                    f"({type(error).__name__})",
                )
            except (ValueError, VapidException) as error:
                return Sent(Fate.IMPOSSIBLE, f"this phone's keys cannot be used: {error}")
        return Sent(Fate.DELIVERED)


def fitting(said: dict[str, Any]) -> bytes:
    """What is said as JSON of at most ROOM bytes: the text is cut, then the title."""
    for cut in ("text", "title"):
        over = len(_json(said)) - ROOM
        if over > 0:
            whole = said[cut]
            room = len(_json(whole)) - over - len("…".encode())
            fits = bisect_right(range(len(whole)), room, key=lambda n: len(_json(whole[:n]))) - 1
            said = {**said, cut: whole[: max(0, fits)] + "…"}
    return _json(said)


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


def _fate(response: Any, said: str) -> Sent:
    if response is None:
        return Sent(Fate.IMPOSSIBLE, f"the notice cannot be encrypted for this phone: {said}")
    status = int(response.status_code)
    if 200 <= status < 300:  # the library knows of 201 and 202 only
        return Sent(Fate.DELIVERED)
    if status in (404, 410):
        return Sent(Fate.GONE, f"the push service does not know this phone any more ({status})")
    if status == 429 or status >= 500:
        wait_s = _wait_s(str(response.headers.get("Retry-After", "")))
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
