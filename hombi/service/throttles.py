"""How often a stranger may try: counted by the address that the connection came
from."""

from __future__ import annotations

import ipaddress
import time

from rest_framework.request import Request
from rest_framework.throttling import ScopedRateThrottle


class AddressThrottle(ScopedRateThrottle):
    """By the sender's address. What a forwarded-for header says counts only behind a
    proxy that the settings name; the server has then put it in place of the proxy's own
    (`http.behind`)."""

    # A machine's clock that is set, by a day forward or back, locks nobody out.
    timer = time.monotonic

    def get_ident(self, request: Request) -> str:
        address = str(request.META.get("REMOTE_ADDR", ""))
        try:
            result = ipaddress.ip_address(address.partition("%")[0])
        except ValueError:
            return address
        if isinstance(result, ipaddress.IPv6Address) and result.ipv4_mapped is not None:
            # At an IPv6 socket IPv4 comes from ::ffff:0:0/96 (RFC 4291, 2.5.5.2).
            return str(result.ipv4_mapped)
        # One machine has a whole /64 of IPv6 to choose from.
        return (
            str(ipaddress.ip_network((result, 64), strict=False))
            if result.version == 6
            else address
        )
