"""A stand-in phone with its push service: takes the real Web Push request, checks it,
decrypts it, and shows the notice."""

from __future__ import annotations

import asyncio
import base64
import html
import json
import secrets
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import http_ece
import httpx
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    PublicFormat,
    load_pem_private_key,
)
from py_vapid import Vapid02
from starlette.requests import Request
from starlette.responses import (
    HTMLResponse,
    JSONResponse,
    PlainTextResponse,
    RedirectResponse,
    Response,
)

MAX_SHOWN = 200
_TOPIC = set("ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_")
_URGENCIES = ("very-low", "low", "normal", "high")
_PAGE = Path(__file__).with_name("phone.html")


def _base64url(data: bytes) -> str:
    return base64.urlsafe_b64encode(data).rstrip(b"=").decode()


@dataclass
class LabPhone:
    """One phone. `answer` makes its push service answer with another status, to see
    what the hub makes of it, `headers` with more than that, and `slow_s` so much later.
    As on a real phone, a notice takes the place of the one with the same tag, and only
    what is new rings."""

    name: str
    private_key: ec.EllipticCurvePrivateKey
    auth: bytes
    channel: str
    hub: str = ""
    notices: list[dict[str, Any]] = field(default_factory=list)
    answer: int = 201
    headers: dict[str, str] = field(default_factory=dict)
    slow_s: float = 0.0
    refused: int = 0
    taken: int = 0
    rings: int = 0
    asked: dict[str, str] = field(default_factory=dict)

    @classmethod
    def kept_in(cls, path: Path, name: str) -> LabPhone:
        """The phone of before, or a new one."""
        if path.exists():
            kept = json.loads(path.read_text())
            key = load_pem_private_key(kept["key"].encode(), None)
            assert isinstance(key, ec.EllipticCurvePrivateKey)
            return cls(name, key, base64.b64decode(kept["auth"]), kept["channel"])
        phone = cls(
            name,
            ec.generate_private_key(ec.SECP256R1()),
            secrets.token_bytes(16),
            secrets.token_urlsafe(12),
        )
        pem = phone.private_key.private_bytes(
            Encoding.PEM, PrivateFormat.PKCS8, NoEncryption()
        ).decode()
        path.write_text(
            json.dumps(
                {
                    "key": pem,
                    "auth": base64.b64encode(phone.auth).decode(),
                    "channel": phone.channel,
                }
            )
        )
        path.chmod(0o600)
        return phone

    def keys(self) -> dict[str, str]:
        """The keys of its subscription (RFC 8291, section 3)."""
        point = self.private_key.public_key().public_bytes(
            Encoding.X962, PublicFormat.UncompressedPoint
        )
        return {"p256dh": _base64url(point), "auth": _base64url(self.auth)}

    async def push(self, request: Request) -> Response:
        """A push message from the hub (RFC 8030, section 5)."""
        if request.path_params["channel"] != self.channel:
            return PlainTextResponse("no such subscription", 404)
        if not 200 <= self.answer < 300:
            headers = self.headers or ({"Retry-After": "1"} if self.answer == 429 else {})
            return PlainTextResponse("as it was told", self.answer, headers=headers)
        problem = self._check(request)
        if problem:
            self.refused += 1
            return PlainTextResponse(problem, 403)
        try:
            message = http_ece.decrypt(
                await request.body(),
                private_key=self.private_key,
                auth_secret=self.auth,
                version="aes128gcm",
            )
        except http_ece.ECEException as error:
            self.refused += 1
            return PlainTextResponse(f"cannot be decrypted: {error}", 400)
        self._show(json.loads(message))
        await asyncio.sleep(self.slow_s)  # the phone has it, and the hub does not know yet
        return Response(status_code=self.answer)

    def _show(self, notice: dict[str, Any]) -> None:
        """Show it as the console's service worker does: in the place of the one with
        the same tag. It rings unless it is quiet, or the same one once more
        (Notifications API, 2.4 and 3.4)."""
        self.taken += 1
        shown = {**notice, "received_at": round(time.time() * 1000)}
        same = [
            n
            for n, one in enumerate(self.notices)
            if notice.get("tag") and one.get("tag") == notice["tag"]
        ]
        again = any(self.notices[n].get("id") == notice.get("id") for n in same)
        if not notice.get("quiet") and not again:
            self.rings += 1
        for place in same:
            del self.notices[place]
        self.notices.append(shown)
        del self.notices[:-MAX_SHOWN]

    def _check(self, request: Request) -> str:
        """What is wrong with the request's headers; VAPID per RFC 8292."""
        if request.headers.get("content-encoding") != "aes128gcm":
            return "the content is not encrypted with aes128gcm"
        if not request.headers.get("ttl", "").isdigit():
            return "there is no TTL"
        if request.headers.get("urgency", "normal") not in _URGENCIES:  # RFC 8030, 5.3
            return "there is no such urgency"
        self.asked = {one: request.headers.get(one, "") for one in ("ttl", "urgency", "topic")}
        topic = request.headers.get("topic", "")
        if len(topic) > 32 or set(topic) - _TOPIC:  # RFC 8030, 5.4
            return "the topic is not one of 32 signs of base64url"
        authorization = request.headers.get("authorization", "")
        # py_vapid checks the signature and the expiry; whom it is for is ours to check.
        try:
            if not Vapid02.verify(authorization):
                return "the VAPID signature is wrong"
            claims = json.loads(_decode(authorization.split("t=")[1].split(".")[1]))
        except Exception as error:  # noqa: BLE001 - whatever is wrong with a stranger's header, it is a 403
            return f"the VAPID header is wrong: {error}"
        if claims["aud"] != f"{request.url.scheme}://{request.url.netloc}":
            return f"the VAPID token is for {claims['aud']}"
        return (
            ""
            if time.time() < claims["exp"] < time.time() + 24 * 3600 + 60
            else "the VAPID token has expired, or is good for too long"
        )

    async def shown(self, request: Request) -> Response:
        """What the phone shows, as JSON, the latest first."""
        return JSONResponse(list(reversed(self.notices)))

    async def page(self, request: Request) -> Response:
        """What the phone shows, as a page."""
        rows = "".join(
            f"<li><b>{html.escape(n['title'])}</b><p>{html.escape(n['text'])}</p>"
            f"{_picture(n.get('picture', ''))}{_buttons(n.get('buttons', ()))}"
            f"<time>{_clock(n['received_at'])}</time></li>"
            for n in reversed(self.notices)
        )
        body = rows or "<li class='none'>Nothing yet. This phone shows what the hub tells it.</li>"
        return HTMLResponse(
            _PAGE.read_text()
            .replace("{{name}}", html.escape(self.name))
            .replace("{{notices}}", body)
        )

    async def picture(self, request: Request) -> Response:
        """`GET /phone/picture?path=…`: the picture of a notice, from the hub, without a
        sign-in, as a browser fetches it for its notification."""
        path = request.query_params.get("path", "")
        async with httpx.AsyncClient(trust_env=False, timeout=20) as http:
            answer = await http.get(f"{self.hub}{path}")
        kind = answer.headers["content-type"]
        return Response(answer.content, answer.status_code, media_type=kind)

    async def press(self, request: Request) -> Response:
        """`POST /phone/press?right=…`: press a button, as the console's service worker
        does: without a sign-in."""
        right = request.query_params.get("right", "")
        async with httpx.AsyncClient(trust_env=False) as http:
            answer = await http.post(f"{self.hub}/api/notices/press", json={"right": right})
        if "text/html" in request.headers.get("accept", ""):
            return RedirectResponse("/phone", 303)
        return JSONResponse(answer.json(), answer.status_code)

    async def behave(self, request: Request) -> Response:
        """`POST /phone/answer?status=429`: how its push service answers from now on."""
        self.answer = int(request.query_params.get("status", "201"))
        return JSONResponse({"answer": self.answer})


def _picture(path: str) -> str:
    return f'<img src="/phone/picture?path={html.escape(path)}" alt="">' if path else ""


def _buttons(offered: Sequence[dict[str, str]]) -> str:
    return "".join(
        f'<form method="post" action="/phone/press?right={html.escape(one["right"])}">'
        f"<button>{html.escape(one['label'])}</button></form>"
        for one in offered
    )


def _decode(text: str) -> bytes:
    return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))


def _clock(ms: int) -> str:
    return time.strftime("%H:%M:%S", time.localtime(ms / 1000))
