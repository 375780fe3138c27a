"""Signed posts, by the standard's own example, and against whoever changes them."""

from __future__ import annotations

import base64

import httpx
import pytest

from hombi.hub.notices.signing import content_digest, signature, signed, target_uri

# RFC 9421, B.1.5 and B.2.5.
KEY = base64.b64decode(
    "uzvJfB4u3N0Jy4T7NZ75MDVcr8zSTInedJtkgcu46YW4XByzNJjxBdtjUkdJPBtbmHhIDi6pcl8jsasjlTMtDQ=="
)


def test_the_standards_example() -> None:
    params = '("date" "@authority" "content-type");created=1618884473;keyid="test-shared-secret"'
    components = {
        "date": "Tue, 20 Apr 2021 02:07:55 GMT",
        "@authority": "example.com",
        "content-type": "application/json",
    }
    assert signature(components, params, KEY) == "pxcQw6G3AjtMBQjwo8XzkZf/bws5LelbaMk5rGIGtE8="


def test_the_digest_of_the_standards_example() -> None:
    # RFC 9530, B.1: the body with its line's end.
    body = b'{"hello": "world"}\n'
    assert content_digest(body) == "sha-256=:RK/0qy18MlBSVnWgjwz6lZEWjP/lF5HF9bvEF8FabDg=:"


@pytest.mark.parametrize(
    ("address", "received"),
    [
        ("http://mill.example", "http://mill.example/"),
        ("http://mill.example:80/told?by=hub", "http://mill.example/told?by=hub"),
        ("https://mill.example/told#here", "https://mill.example/told"),
        ("http://mill.example:8080/käse", "http://mill.example:8080/k%C3%A4se"),
    ],
)
def test_an_address_is_signed_as_its_receiver_knows_it(address: str, received: str) -> None:
    assert target_uri(httpx.URL(address)) == received


@pytest.mark.parametrize(
    "changed",
    [
        {"url": httpx.URL("https://mill.example/other")},
        {"content_type": "text/plain"},
        {"body": b"{} "},
        {"key": "another"},
        {"now_s": 1_795_834_890},
    ],
)
def test_whatever_is_changed_another_signature_follows(changed: dict[str, object]) -> None:
    post = {
        "url": httpx.URL("https://mill.example/told"),
        "content_type": "application/json",
        "body": b"{}",
        "key": "secret",
        "now_s": 1_795_834_889,
    }
    first, second = signed(**post), signed(**post | changed)  # type: ignore[arg-type]
    assert first["Signature"] != second["Signature"]
    assert first["Signature-Input"] == (
        'hombi=("@method" "@target-uri" "content-type" "content-digest")'
        ';created=1795834889;alg="hmac-sha256"'
    )
