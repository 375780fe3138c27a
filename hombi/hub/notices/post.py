"""Notices as posts: JSON to an address that a person entered, signed so that the
receiver knows whom it is from and that it is fresh."""

from __future__ import annotations

import asyncio
import time

import httpx
import msgspec

from hombi.hub.notices import form
from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from hombi.hub.notices.sending import Fate, Sent
from hombi.hub.notices.signing import signed

TIMEOUT_S, WHOLE_S = 10.0, 20.0
LONGEST_WAIT_S = 3600.0
JSON = "application/json"


class Post:
    """Posts to the address of a contact."""

    def __init__(self) -> None:
        self._http: httpx.AsyncClient | None = None

    async def send(self, contact: PhoneRecord, delivery: DeliveryRecord) -> Sent:
        """One attempt. A redirect is another's address: it is not followed."""
        if self._http is None:
            self._http = httpx.AsyncClient(timeout=TIMEOUT_S, trust_env=False)
        fields = {
            "id": delivery.identity,
            "at": delivery.created_ms,
            "subject": delivery.subject,
            "title": delivery.title,
            "text": delivery.text,
            "urgent": delivery.urgent,
            "over": delivery.quiet,
        }
        body = form.filled(contact.form, fields) if contact.form else msgspec.json.encode(fields)
        try:
            url = httpx.URL(contact.endpoint)
            headers = signed(url, JSON, body, contact.auth, int(time.time()))
            async with (
                asyncio.timeout(WHOLE_S),
                self._http.stream("POST", url, content=body, headers=headers) as answer,
            ):
                status, wait = answer.status_code, answer.headers.get("Retry-After", "")
        except (TimeoutError, httpx.HTTPError, httpx.InvalidURL) as error:
            return Sent(
                Fate.LATER,
                f"{contact.endpoint} cannot be reached ({str(error) or type(error).__name__})",
            )
        if 200 <= status < 300:
            return Sent(Fate.DELIVERED)
        wait_s = min(float(wait), LONGEST_WAIT_S) if wait.isdigit() else 0.0
        if status in (408, 425, 429) or status >= 500:
            return Sent(
                Fate.LATER, f"{contact.endpoint} asks to try again later ({status})", wait_s
            )
        return Sent(Fate.IMPOSSIBLE, f"{contact.endpoint} refused it ({status})")
