"""Hosts as they stand in addresses."""

from __future__ import annotations


def in_url(host: str) -> str:
    """A host as it stands in a URL: an IPv6 address in brackets (RFC 3986, 3.2.2)."""
    return f"[{host}]" if ":" in host and not host.startswith("[") else host
