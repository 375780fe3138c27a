"""Web Push over the wire: what a push service gets is read with the standards' own
steps (RFC 8188, 8291, 8292), and what it answers is bytes made by hand."""

from __future__ import annotations

import asyncio
import json
import ssl
from base64 import urlsafe_b64decode, urlsafe_b64encode
from pathlib import Path

import pytest
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec, utils
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

from hombi.hub.notices import push
from hombi.hub.notices.buttons import Buttons
from hombi.hub.notices.port import DeliveryRecord, PhoneRecord
from hombi.hub.notices.push import WebPush, fresh_vapid_key
from hombi.hub.notices.sending import Fate, Sent
from tests.certificates import Authority
from tests.raw_server import Answer, drips, head_of, pours, says, service

DELIVERY = DeliveryRecord(1, 1, "desk", "n-1", "Door left open", "The boathouse – 4 min", "/", 7)
PHONE_KEY, AUTH = ec.generate_private_key(ec.SECP256R1()), bytes(range(16))


def b64(raw: bytes) -> str:
    return urlsafe_b64encode(raw).decode().rstrip("=")


def raw(text: str) -> bytes:
    return urlsafe_b64decode(text + "=" * (-len(text) % 4))


def point(key: ec.EllipticCurvePublicKey) -> bytes:
    return key.public_bytes(Encoding.X962, PublicFormat.UncompressedPoint)


def phone_at(url: str, p256dh: str | None = None, auth: str | None = None) -> PhoneRecord:
    keys = (p256dh or b64(point(PHONE_KEY.public_key())), auth or b64(AUTH))
    return PhoneRecord(1, "Ada's phone", "ada", url, *keys, 0)


def derived(secret: bytes, salt: bytes, info: bytes, length: int) -> bytes:
    return HKDF(hashes.SHA256(), length, salt, info).derive(secret)


def opened(body: bytes) -> bytes:
    """The content of a message of one record, as RFC 8291, 3.4, writes it down."""
    salt, length = body[:16], body[20]
    sender, sealed = body[21 : 21 + length], body[21 + length :]
    their = ec.EllipticCurvePublicKey.from_encoded_point(ec.SECP256R1(), sender)
    shared = PHONE_KEY.exchange(ec.ECDH(), their)
    info = b"WebPush: info\0" + point(PHONE_KEY.public_key()) + sender
    secret = derived(shared, AUTH, info, 32)
    key = derived(secret, salt, b"Content-Encoding: aes128gcm\0", 16)
    nonce = derived(secret, salt, b"Content-Encoding: nonce\0", 12)
    return AESGCM(key).decrypt(nonce, sealed, None).rstrip(b"\0").removesuffix(b"\2")


async def told(answer: Answer, **keys: str) -> Sent:
    async with service(answer) as place:
        url = f"http://{place}/box"
        ours = WebPush(fresh_vapid_key(), "mailto:hub@mill.example", [url[:-4]], Buttons("k"))
        return await ours.send(phone_at(url, **keys), DELIVERY)


async def test_a_phone_can_read_it_and_the_service_can_tell_whom_it_is_from() -> None:
    got: dict[str, str] = {}
    body = bytearray()

    async def take(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        got.update(await head_of(reader))
        body.extend(await reader.readexactly(int(got["content-length"])))
        writer.write(b"HTTP/1.1 201 Created\r\nContent-Length: 0\r\n\r\n")

    async with service(take) as place:
        url = f"http://{place}/box/%C3%A9?a=b"
        ours = WebPush(
            fresh_vapid_key(), "mailto:hub@mill.example", [f"http://{place}"], Buttons("k")
        )
        assert (await ours.send(phone_at(url), DELIVERY)).fate is Fate.DELIVERED
        assert got["request"] == "POST /box/%C3%A9?a=b HTTP/1.1"
        assert (got["host"], got["content-encoding"], got["ttl"]) == (place, "aes128gcm", "86400")
        said = json.loads(opened(bytes(body)))
        assert (said["title"], said["text"]) == ("Door left open", "The boathouse – 4 min")
        sort, _, rest = got["authorization"].partition(" ")
        parts = dict(one.split("=", 1) for one in rest.split(","))
        signed, _, mark = parts["t"].rpartition(".")
        key = ec.EllipticCurvePublicKey.from_encoded_point(ec.SECP256R1(), raw(parts["k"]))
        r, s = (int.from_bytes(raw(mark)[a : a + 32]) for a in (0, 32))
        key.verify(utils.encode_dss_signature(r, s), signed.encode(), ec.ECDSA(hashes.SHA256()))
        claims = json.loads(raw(signed.split(".")[1]))
        assert (sort, claims["aud"]) == ("vapid", f"http://{place}")
        assert parts["k"] == ours.public_key


@pytest.mark.parametrize(
    ("answer", "fate", "why"),
    [
        (b"HTTP/1.1 202 \r\n\r\n", Fate.DELIVERED, ""),
        (b"HTTP/1.1 307 X\r\nLocation: http://127.0.0.1:1/\r\n\r\n", Fate.IMPOSSIBLE, "another"),
        (b"HTTP/1.1 410 Gone\r\n\r\n", Fate.GONE, "410"),
        (b"HTTP/1.1 400 X\r\n\r\n", Fate.IMPOSSIBLE, "refused the notice (400)"),
        (b"HTTP/1.1 503 X\r\nRetry-After: \xff\r\n\r\n", Fate.LATER, "503"),
        (b"\x16\x03\x01\0\0", Fate.LATER, "cannot be reached (RemoteProtocolError)"),
        (b"HTTP/1.1 99999999999999999999 X\r\n\r\n", Fate.LATER, "cannot be reached"),
        (b"HTTP/1.1 201 X\r\n" + b"A: " + b"x" * 300_000, Fate.LATER, "cannot be reached"),
        (b"", Fate.LATER, "cannot be reached"),
    ],
)
async def test_whatever_a_push_service_answers_is_a_fate(
    answer: bytes, fate: Fate, why: str
) -> None:
    sent = await told(says(answer))
    assert sent.fate is fate, sent
    assert why in sent.problem


async def test_what_a_push_service_says_without_end_is_not_listened_to() -> None:
    assert (
        await told(pours(b"HTTP/1.1 201 Created\r\nContent-Length: 99999999999\r\n\r\n"))
    ).fate is Fate.DELIVERED


async def test_a_push_service_that_says_a_little_again_and_again_has_a_time_for_all_of_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(push, "TIMEOUT_S", 0.4)

    sent = await told(drips(b"HTTP/1.1 201 Created", b"x"))
    assert (sent.fate, "TimeoutError" in sent.problem) == (Fate.LATER, True)


@pytest.mark.parametrize(
    ("p256dh", "auth"),
    [
        ("x", "AAAA"),
        ("é" * 20, "AAAA"),
        (b64(b"\4" + b"\1" * 64), "AAAA"),  # on no curve
        (b64(b"\0"), "AAAA"),  # the point at infinity
        (b64(b"\2" + b"\0" * 90), "AAAA"),
        ("A" * 120, "ü"),
    ],
)
async def test_keys_that_are_none_are_said_and_nothing_is_sent(p256dh: str, auth: str) -> None:
    sent = await told(says(b"HTTP/1.1 201 X\r\n\r\n"), p256dh=p256dh, auth=auth)
    assert sent.fate is Fate.IMPOSSIBLE
    assert "this phone's keys cannot be used" in sent.problem


async def test_the_next_address_is_tried_where_one_takes_no_connection(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    asked: list[str] = []

    def resolved(host: str) -> list[str]:
        asked.append(host)
        return ["127.0.0.77", "::1", "127.0.0.1"]

    monkeypatch.setattr(push, "addresses_of", resolved)
    assert (await told(says(b"HTTP/1.1 201 X\r\n\r\n"))).fate is Fate.DELIVERED
    assert asked == ["127.0.0.1"], "a name is looked up once"


async def test_a_public_name_that_leads_into_the_house_gets_nothing(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(push, "addresses_of", lambda _: ["93.184.216.34", "10.0.0.7"])
    ours = WebPush(fresh_vapid_key(), "mailto:hub@mill.example", [], Buttons("k"))
    sent = await ours.send(phone_at("https://push.example.net/x"), DELIVERY)
    assert (sent.fate, "within the house" in sent.problem) == (Fate.IMPOSSIBLE, True)


@pytest.mark.parametrize(
    ("name", "fate"), [("push.example.net", Fate.DELIVERED), ("else.example.net", Fate.LATER)]
)
async def test_a_push_service_proves_its_name_also_at_the_address_that_was_looked_up(
    name: str, fate: Fate, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    authority = Authority(tmp_path)
    theirs = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    theirs.load_cert_chain(*authority.issue(name))
    ours = ssl.create_default_context(cafile=authority.file)
    monkeypatch.setattr(push, "_authorities", lambda: ours)
    monkeypatch.setattr(push, "addresses_of", lambda _: ["127.0.0.1"])
    async with service(says(b"HTTP/1.1 201 X\r\n\r\n"), theirs) as place:
        url = f"https://push.example.net:{place.partition(':')[2]}"
        way = WebPush(fresh_vapid_key(), "mailto:hub@mill.example", [url], Buttons("k"))
        assert (await way.send(phone_at(f"{url}/box"), DELIVERY)).fate is fate
