"""Where notices may be sent: what a stranger's subscription may and may not have the
hub call."""

from __future__ import annotations

import socket
from typing import Any

import pytest

from hombi.hub.notices.endpoints import addresses_of, is_named, leads_inside, why_not


@pytest.mark.parametrize(
    "endpoint",
    [
        "https://push.example.net/send/abc",
        "https://push.example.net:8443/x",
        "https://PUSH.Example.NET./x",
    ],
)
def test_public_services_may_be_used(endpoint: str) -> None:
    assert why_not(endpoint, ()) == ""


@pytest.mark.parametrize(
    "endpoint",
    [
        "", "x", "http://push.example.net/x", "ftp://push.example.net/x", "file:///etc/passwd",
        "https:///x",
        "https://127.0.0.1/x", "https://[::1]/x", "https://[fe80::1]/x", "https://192.168.1.1/x",
        "https://2130706433/x",
        "https://127.1/x", "https://8.8.8.8/x", "https://localhost/x", "https://router/x",
        "https://router.lan/x",
        "https://hub.local/x", "https://printer.home.arpa/x", "https://x.internal./x",
        "https://mill@push.example.net/x",
        "https://push.example.net:99999/x", "https://[::1/x",
    ],
)  # fmt: skip
def test_addresses_of_the_house_and_odd_ones_are_refused_in_words(endpoint: str) -> None:
    assert "push" in why_not(endpoint, ())


def test_a_service_of_the_house_is_named_whole() -> None:
    named = ["http://127.0.0.1", "https://push.mill.lan:8443"]
    for endpoint in (
        "http://127.0.0.1:9000/x",
        "http://127.0.0.1/x",
        "https://push.mill.lan:8443/x",
    ):
        assert why_not(endpoint, named) == ""
        assert is_named(endpoint, named)
    for endpoint in (
        "http://127.0.0.1.example.net/x",
        "https://push.mill.lan/x",
        "https://127.0.0.1/x",
        "http://127.0.0.11/x",
    ):
        assert why_not(endpoint, named)
        assert not is_named(endpoint, named)


@pytest.mark.parametrize(
    ("addresses", "inside"),
    [
        (["93.184.216.34"], False),
        (["93.184.216.34", "10.0.0.7"], True),
        (["fe80::1%eth0"], True),
        (["::ffff:127.0.0.1"], True),
    ],
)
def test_a_public_name_for_an_address_of_the_house_is_seen_through(
    addresses: list[str], inside: bool, monkeypatch: pytest.MonkeyPatch
) -> None:
    result = [
        (
            socket.AF_INET6 if ":" in address else socket.AF_INET,
            socket.SOCK_STREAM,
            6,
            "",
            (address, 443),
        )
        for address in addresses
    ]

    def resolved(*_: Any, **__: Any) -> list[Any]:
        return result

    monkeypatch.setattr(socket, "getaddrinfo", resolved)
    assert leads_inside(addresses_of("push.example.net")) is inside


@pytest.mark.parametrize("host", ["a..example", "x" * 64 + ".example", "\x92\xbc.example"])
def test_a_name_that_is_none_is_one_that_nobody_knows(host: str) -> None:
    with pytest.raises(OSError, match="not the name of a machine"):
        addresses_of(host)
