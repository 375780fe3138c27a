"""Notices by mail (RFC 5321, RFC 5322), through the mail account of the settings: with
STARTTLS or TLS from the first byte, and a sign-in."""

from __future__ import annotations

import asyncio
import smtplib
import ssl
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import format_datetime
from functools import partial

from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from hombi.hub.notices.sending import Fate, Sent
from hombi.hub.settings.mail import PLAIN, STARTTLS, TLS, MailSettings

TIMEOUT_S = 30.0
AT_ONCE = 4
USUAL_PORT = {STARTTLS: 587, TLS: 465, PLAIN: 25}


class Mail:
    """Sends through a mail server. `settings` gives them as they stand now, `house` is
    what the house is called, `address` where its console is, `picture` gives that of a
    notice."""

    def __init__(
        self,
        settings: Callable[[], MailSettings],
        house: Callable[[], str],
        address: Callable[[], str],
        picture: Callable[[str], tuple[str, bytes] | None],
    ) -> None:
        self._settings, self._house, self._address = settings, house, address
        self._picture = picture
        self._pool = ThreadPoolExecutor(AT_ONCE, thread_name_prefix="mail")

    async def send(self, contact: PhoneRecord, delivery: DeliveryRecord) -> Sent:
        """One attempt, in a thread of its own."""
        settings = self._settings()
        if not settings.host:
            why = "no mail server is set; set mail.host in hombi.toml"
            return Sent(Fate.IMPOSSIBLE, why)
        made = message(contact.endpoint, delivery, settings.from_, self._house(), self._address())
        loop = asyncio.get_running_loop()
        picture = partial(self._picture, delivery.identity) if delivery.picture else None
        return await loop.run_in_executor(self._pool, _send, settings, made, picture)


def message(
    to: str, delivery: DeliveryRecord, sender: str, house: str, address: str
) -> EmailMessage:
    """A notice as a mail. What is about the same is one thread in a reader."""
    subject = "".join(sign for sign in delivery.subject if sign.isalnum())
    mail = EmailMessage()
    mail["From"] = sender
    mail["To"] = to
    # A header ends where its line ends, whatever a title holds.
    mail["Subject"] = " ".join(f"{house}: {delivery.title}".split())[:200]
    mail["Date"] = format_datetime(datetime.fromtimestamp(delivery.created_ms / 1000, UTC))
    mail["Message-ID"] = f"<{delivery.identity}@hombi.invalid>"
    mail["Auto-Submitted"] = "auto-generated"  # RFC 3834: no machine answers it
    if delivery.subject:
        mail["References"] = f"<{subject}@hombi.invalid>"
    if delivery.urgent:
        mail["Importance"] = "high"
    mail.set_content(f"{delivery.title}\n\n{delivery.text}\n\n{address}{delivery.path}\n")
    return mail


def _send(
    settings: MailSettings,
    mail: EmailMessage,
    picture: Callable[[], tuple[str, bytes] | None] | None,
) -> Sent:
    result = picture() if picture is not None else None
    if result is not None:
        kind, _, form = result[0].partition("/")
        mail.add_attachment(result[1], maintype=kind, subtype=form, filename=f"picture.{form}")
    port = settings.port or USUAL_PORT[settings.secure]
    where = f"the mail server {settings.host}:{port}"
    try:
        tls = ssl.create_default_context(cafile=settings.ca or None)
        if settings.secure == TLS:
            server: smtplib.SMTP = smtplib.SMTP_SSL(
                settings.host, port, timeout=TIMEOUT_S, context=tls
            )
        else:
            server = smtplib.SMTP(settings.host, port, timeout=TIMEOUT_S)
        with server:
            if settings.secure == STARTTLS:
                server.starttls(context=tls)
            if settings.user:
                server.login(settings.user, settings.password)
            server.send_message(mail)
    except smtplib.SMTPAuthenticationError as error:
        return Sent(Fate.LATER, f"{where} refuses the sign-in ({_said(error)})")
    except smtplib.SMTPRecipientsRefused as error:
        code, text = next(iter(error.recipients.values()))
        fate = Fate.LATER if code < 500 else Fate.IMPOSSIBLE
        return Sent(fate, f"{where} refuses the address ({code} {_text(text)})")
    except smtplib.SMTPResponseException as error:
        fate = Fate.LATER if error.smtp_code < 500 else Fate.IMPOSSIBLE
        return Sent(fate, f"{where} refuses the mail ({_said(error)})")
    except smtplib.SMTPNotSupportedError as error:
        return Sent(Fate.LATER, f"{where}: {error}; see mail.secure in hombi.toml")
    except ssl.SSLCertVerificationError as error:
        return Sent(Fate.LATER, f"{where} has a certificate that is not trusted "
                                f"({error.verify_message}); see mail.ca")  # fmt: skip
    except (OSError, smtplib.SMTPException) as error:
        return Sent(Fate.LATER, f"{where} cannot be reached ({str(error) or type(error).__name__})")
    except ValueError as error:
        return Sent(Fate.IMPOSSIBLE, f"this cannot be a mail ({error})")
    return Sent(Fate.DELIVERED)


def _said(error: smtplib.SMTPResponseException) -> str:
    return f"{error.smtp_code} {_text(error.smtp_error)}"


def _text(said: bytes | str) -> str:
    text = said.decode(errors="replace") if isinstance(said, bytes) else said
    return " ".join(text.split())[:200]
