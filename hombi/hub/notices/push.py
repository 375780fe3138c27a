"""Web Push (RFC 8030): one notice, encrypted for one phone (RFC 8291), signed by this
hub (VAPID, RFC 8292)."""

from __future__ import annotations

import asyncio
import json
from base64 import urlsafe_b64encode
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from enum import Enum
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

from hombi.hub.notices.endpoints import is_named, leads_inside, why_not
from hombi.hub.ports import DeliveryRecord, PhoneRecord

TIME_TO_LIVE_S = 24 * 3600
TIMEOUT_S = 10.0
AT_ONCE = 32
LONGEST_WAIT_S = 24 * 3600.0


class Fate(Enum):
    """What became of one attempt."""

    DELIVERED = "delivered"
    GONE = "gone"
    LATER = "later"
    IMPOSSIBLE = "impossible"


@dataclass(frozen=True, slots=True)
class PushResult:
    """The fate of an attempt, why, and how long the push service asks us to wait (0: it
    did not say)."""

    fate: Fate
    problem: str = ""
    wait_s: float = 0.0


class Push(Protocol):
    """A way of bringing a notice to a phone."""

    async def send(self, phone: PhoneRecord, delivery: DeliveryRecord) -> PushResult:
        """One attempt. Never raises for what the far end does."""


def fresh_vapid_key() -> str:
    """A new P-256 key as PEM."""
    key = ec.generate_private_key(ec.SECP256R1())
    return key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()).decode()


class WebPush:
    """Sends through the push service that a phone's subscription names."""

    def __init__(self, vapid_key: str, contact: str, services: Sequence[str] = ()) -> None:
        self._vapid = Vapid.from_pem(vapid_key.encode())
        self._contact, self.services = contact, tuple(services)
        # Threads of their own: a push service that hangs holds up nothing else.
        self._pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="push")

    @property
    def public_key(self) -> str:
        """The application server key that a browser subscribes with: an uncompressed
        point, base64url (RFC 8292, 3.2)."""
        point = self._vapid.public_key.public_bytes(Encoding.X962, PublicFormat.UncompressedPoint)
        return urlsafe_b64encode(point).rstrip(b"=").decode()

    async def send(self, phone: PhoneRecord, delivery: DeliveryRecord) -> PushResult:
        """One attempt, in a thread of its own."""
        return await asyncio.get_running_loop().run_in_executor(
            self._pool, self._send, phone, delivery
        )

    def _send(self, phone: PhoneRecord, delivery: DeliveryRecord) -> PushResult:
        # Imported here: they bring two HTTP clients with them, which would make every
        # start of the hub a fifth longer.
        import requests  # noqa: PLC0415
        from pywebpush import WebPushException, webpush  # noqa: PLC0415

        where = urlparse(phone.endpoint)
        if problem := why_not(phone.endpoint, self.services):
            return PushResult(Fate.IMPOSSIBLE, problem)
        try:
            inside = not is_named(phone.endpoint, self.services) and leads_inside(
                where.hostname or ""
            )
        except OSError:
            return PushResult(Fate.LATER, f"the push service at {where.netloc} cannot be found")
        if inside:
            return PushResult(
                Fate.IMPOSSIBLE,
                f"{where.netloc} is an address within the house, not of a push service",
            )
        said = {
            "title": delivery.title,
            "text": delivery.text,
            "path": delivery.path,
            "at": delivery.created_ms,
        }
        with requests.Session() as session:
            session.max_redirects = 0  # a redirect is another's address: it is not followed
            try:
                webpush(
                    subscription_info={
                        "endpoint": phone.endpoint,
                        "keys": {"p256dh": phone.p256dh, "auth": phone.auth},
                    },
                    data=json.dumps({**said, "tag": delivery.identity}),
                    vapid_private_key=self._vapid,
                    vapid_claims={"sub": self._contact, "aud": f"{where.scheme}://{where.netloc}"},
                    content_encoding="aes128gcm",
                    ttl=TIME_TO_LIVE_S,
                    timeout=TIMEOUT_S,
                    # RFC 8030, 5.4: a message with the same topic takes the place of
                    # one that still waits.
                    headers={"urgency": "high", "topic": delivery.identity},
                    requests_session=session,
                )
            except WebPushException as error:
                return _fate(error.response, str(error))
            except requests.TooManyRedirects:
                return PushResult(
                    Fate.IMPOSSIBLE,
                    "the push service sends the hub on to another address; that is not followed",
                )
            except requests.RequestException as error:
                return PushResult(
                    Fate.LATER,
                    f"the push service at {where.netloc} cannot be reached "
                    f"({type(error).__name__})",
                )
            except (ValueError, VapidException) as error:
                return PushResult(Fate.IMPOSSIBLE, f"this phone's keys cannot be used: {error}")
        return PushResult(Fate.DELIVERED)


def _fate(response: Any, said: str) -> PushResult:
    if response is None:
        return PushResult(Fate.IMPOSSIBLE, f"the notice cannot be encrypted for this phone: {said}")
    status = int(response.status_code)
    if 200 <= status < 300:  # the library knows of 201 and 202 only
        return PushResult(Fate.DELIVERED)
    if status in (404, 410):
        return PushResult(
            Fate.GONE, f"the push service does not know this phone any more ({status})"
        )
    if status == 429 or status >= 500:
        wait_s = _wait_s(str(response.headers.get("Retry-After", "")))
        return PushResult(
            Fate.LATER, f"the push service asks to try again later ({status})", wait_s
        )
    return PushResult(Fate.IMPOSSIBLE, f"the push service refused the notice ({status})")


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
