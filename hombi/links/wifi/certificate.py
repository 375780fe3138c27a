"""The door's certificate: loading it, and how long it is good."""

from __future__ import annotations

import ssl
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509

from hombi.links.base import Check, LinkError
from hombi.links.wifi.settings import TlsFiles

EXPIRES_SOON = timedelta(days=21)


def server_tls(files: TlsFiles | None) -> ssl.SSLContext | None:
    """What the door shows over TLS; None without a certificate. Raises LinkError."""
    if files is None:
        return None
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH)
    try:
        context.load_cert_chain(files.certificate, files.key or None)
    except (OSError, ssl.SSLError) as error:
        raise LinkError(
            f"the door's certificate cannot be loaded ({error}); look at [mqtt] in hombi.toml"
        ) from error
    return context


def certificate_check(files: TlsFiles) -> Check:
    """How the certificate is."""
    part = f"certificate {files.certificate}"
    try:
        ends = x509.load_pem_x509_certificate(
            Path(files.certificate).read_bytes()
        ).not_valid_after_utc
    except (OSError, ValueError) as error:
        return Check(part, "fault", f"it cannot be read ({error})", "look at [mqtt] in hombi.toml")
    left = ends - datetime.now(UTC)
    if left < timedelta(0):
        return Check(
            part, "fault", f"it ended on {ends:%d %B %Y}", "make a new one and start the hub again"
        )
    if left < EXPIRES_SOON:
        return Check(
            part, "warning", f"it ends on {ends:%d %B %Y}", "make a new one and start the hub again"
        )
    return Check(part, "ok", f"good until {ends:%d %B %Y}")
