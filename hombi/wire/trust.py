"""What a device needs to trust the house, on the wire."""

from __future__ import annotations

from typing import Annotated

from hombi.wire.base import Meta, Ms, Shape


class Trust(Shape, frozen=True, kw_only=True):
    """How HTTPS stands. `own` says that the certificate is one of the person's own:
    devices then need nothing. `page` is the address of the page that leads a device
    through it, `secure` where the console is over HTTPS ("" while it is not)."""

    house: str
    own: bool
    name: Annotated[str, Meta(description='the authority, as devices list it; "" without one')]
    certificate: Annotated[str, Meta(description='the authority\'s certificate (PEM); "" without')]
    fingerprint: Annotated[str, Meta(description="SHA-256 of the authority's certificate")]
    until: Ms | None
    page: str
    secure: str
    problem: str
    code: Annotated[str, Meta(description="the page's address as a QR code (SVG)")]
