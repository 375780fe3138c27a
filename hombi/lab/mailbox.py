"""A stand-in mail server with one mailbox: it speaks SMTP (RFC 5321) and shows what it
was given."""

from __future__ import annotations

import asyncio
import html
import ssl
import time
from base64 import b64encode
from dataclasses import dataclass
from email import message_from_bytes, policy
from email.message import EmailMessage
from typing import Any

from aiosmtpd.smtp import SMTP, AuthResult, Envelope, LoginPassword
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Route

MAX_SHOWN = 100


@dataclass(frozen=True, slots=True)
class Mail:
    """One that came."""

    to: str
    sender: str
    subject: str
    text: str
    headers: dict[str, str]
    at_ms: int
    # What is attached: its media type and its bytes.
    attached: list[tuple[str, bytes]]


class Mailbox:
    """Takes mail from whoever signs in; without `password`, from anybody. `answer` is
    what it says to a recipient, to see what the hub makes of it."""

    def __init__(self, user: str = "", password: str = "") -> None:
        self.mails: list[Mail] = []
        self.answer = ""
        self._user, self._password = user, password

    async def open(
        self, port: int, *, tls: ssl.SSLContext | None = None, starttls: bool = True
    ) -> asyncio.Server:
        """Its server on loopback. With `tls` it wants TLS: by STARTTLS (RFC 3207), or
        from the first byte (RFC 8314)."""
        more: dict[str, Any] = {}
        if self._password:
            asked = tls is not None and starttls
            more = {"authenticator": self._sign_in, "auth_required": asked}
            more["auth_require_tls"] = asked
        implicit = tls if not starttls else None
        if tls is not None and starttls:
            more |= {"tls_context": tls, "require_starttls": True}
        return await asyncio.get_running_loop().create_server(
            lambda: SMTP(self, hostname="mailbox", **more), "127.0.0.1", port, ssl=implicit
        )

    def _sign_in(
        self, server: Any, session: Any, envelope: Any, mechanism: str, data: Any
    ) -> AuthResult:
        fits = isinstance(data, LoginPassword) and (
            data.login.decode(), data.password.decode(),
        ) == (self._user, self._password)  # fmt: skip
        return AuthResult(success=fits, handled=False)

    async def handle_RCPT(  # noqa: N802 - aiosmtpd calls it so
        self, server: Any, session: Any, envelope: Envelope, address: str, options: list[str]
    ) -> str:
        """A recipient is named."""
        if self.answer:
            return self.answer
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: Any, session: Any, envelope: Envelope) -> str:  # noqa: N802
        """A mail came."""
        content = envelope.content or b""
        mail = message_from_bytes(
            content if isinstance(content, bytes) else content.encode(), policy=policy.default
        )
        assert isinstance(mail, EmailMessage)
        body = mail.get_body(("plain",))
        self.mails.append(
            Mail(
                ", ".join(envelope.rcpt_tos),
                envelope.mail_from or "",
                str(mail["Subject"]),
                body.get_content() if body is not None else "",
                {name: str(value) for name, value in mail.items()},
                round(time.time() * 1000),
                [
                    (attachment.get_content_type(), attachment.get_content())
                    for attachment in mail.iter_attachments()
                ],
            )
        )
        del self.mails[:-MAX_SHOWN]
        return "250 kept"

    def routes(self) -> list[Route]:
        """Its pages."""
        return [Route("/mailbox", self._page), Route("/mailbox/mails", self._listed)]

    async def _listed(self, request: Request) -> Response:
        return JSONResponse(
            [{"to": m.to, "subject": m.subject, "text": m.text} for m in reversed(self.mails)]
        )

    async def _page(self, request: Request) -> Response:
        rows = "".join(
            f"<h2>{html.escape(m.subject)}</h2><p>to {html.escape(m.to)}</p>"
            f"<pre>{html.escape(m.text)}</pre>{''.join(map(_shown, m.attached))}"
            for m in reversed(self.mails)
        )
        empty = "<p>No mail yet.</p>"
        return HTMLResponse(f"<title>Mailbox</title><h1>Mailbox</h1>{rows or empty}")


def _shown(attached: tuple[str, bytes]) -> str:
    kind, content = attached
    return f'<img alt="" src="data:{html.escape(kind)};base64,{b64encode(content).decode()}">'
