"""The house's authority and the hub's certificate. OpenSSL judges what they may be used
for, as a device would."""

from __future__ import annotations

import ipaddress
import plistlib
import socket
import ssl
import subprocess
from collections.abc import AsyncIterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.x509.oid import NameOID

from hombi.hub.house import House as HubHouse
from hombi.hub.kernel import Context
from hombi.hub.machine.keeper import Keeper
from hombi.hub.nodes.links import Links
from hombi.hub.rooms.events import HouseNamed
from hombi.hub.settings.config import make_config
from hombi.hub.trust.authority import Authority, AuthorityError
from hombi.hub.trust.feature import Trust
from hombi.hub.trust.profile import configuration_profile
from tests.certificates import Authority as OthersAuthority
from tests.hub.parts import ManualClock
from tests.memory import MemoryRecords

NOW = datetime(2026, 11, 28, tzinfo=UTC)
DAY_MS = 86_400_000


def fresh() -> Authority:
    own = [ipaddress.ip_address("198.51.100.7"), ipaddress.ip_address("10.0.0.5")]
    return Authority.fresh("Heron Mill", ["mill.example", "mill.local"], own, NOW)


def verified(authority: Path, leaf: Path, *more: str, now: datetime = NOW) -> bool:
    """Whether OpenSSL takes a certificate of this authority."""
    at = str(int(now.timestamp()) + 3600)
    words = ["openssl", "verify", "-attime", at, "-purpose", "sslserver", "-CAfile"]
    done = subprocess.run(
        [*words, str(authority), *more, str(leaf)], capture_output=True, check=False
    )
    return done.returncode == 0


def test_it_speaks_for_this_house_and_for_nothing_else(tmp_path: Path) -> None:
    authority = fresh()
    authority.write(tmp_path / "authority.pem")
    assert (tmp_path / "authority.pem").stat().st_mode & 0o077 == 0
    leaf = tmp_path / "https.pem"
    names = ["hombi.local", "mill.example", "bank.example"]
    result = authority.issue(leaf, names, [ipaddress.ip_address("10.1.2.3")], NOW)
    assert result.not_valid_after_utc - NOW == timedelta(days=90)
    for name in ("hombi.local", "mill.example"):
        assert verified(tmp_path / "authority.pem", leaf, "-verify_hostname", name)
    assert verified(tmp_path / "authority.pem", leaf, "-verify_ip", "10.1.2.3")
    # It does not even try to speak for what it may not.
    assert not verified(tmp_path / "authority.pem", leaf, "-verify_hostname", "bank.example")
    assert authority.may_address(ipaddress.ip_address("198.51.100.7"))
    assert not authority.may_address(ipaddress.ip_address("198.51.100.8"))
    assert not authority.may_name("notmill.example")


@pytest.mark.parametrize(
    "name", ["bank.example", "evil-mill.example", "8.8.8.8", "ada@bank.example", "ada@mill.example"]
)
def test_a_thief_of_its_key_cannot_pass_for_another_site(tmp_path: Path, name: str) -> None:
    """The certificate is made around our own code, as a thief would."""
    authority = fresh()
    authority.write(tmp_path / "authority.pem")
    mail = "@" in name
    try:
        stolen: x509.GeneralName = x509.IPAddress(ipaddress.ip_address(name))
        asked = "-verify_ip"
    except ValueError:
        stolen = x509.RFC822Name(name) if mail else x509.DNSName(name)
        asked = "-verify_email" if mail else "-verify_hostname"
    made = (
        x509.CertificateBuilder()
        .subject_name(x509.Name([]))
        .issuer_name(authority.certificate.subject)
        .public_key(authority.key.public_key())
        .serial_number(7)
        .not_valid_before(NOW)
        .not_valid_after(NOW + timedelta(days=5))
        .add_extension(x509.SubjectAlternativeName([stolen]), critical=True)
    )
    from cryptography.hazmat.primitives import hashes, serialization

    leaf = tmp_path / "thief.pem"
    signed = made.sign(authority.key, hashes.SHA256())
    leaf.write_bytes(signed.public_bytes(serialization.Encoding.PEM))
    assert not verified(tmp_path / "authority.pem", leaf, asked, name)
    if mail:  # nor as one for mail, whatever the key usage says
        assert not verified(tmp_path / "authority.pem", leaf, asked, name, "-purpose", "any")


def test_its_name_says_whose_it_is_and_is_not_too_long() -> None:
    assert fresh().name == "Hombi at Heron Mill (since November 2026)"
    long = Authority.fresh("Ä" * 200, [], [], NOW)
    assert len(long.name) <= 64
    assert long.name.endswith("(since November 2026)")


def test_the_profile_holds_the_certificate_and_takes_its_own_place() -> None:
    authority = fresh()
    one, again = (plistlib.loads(configuration_profile(authority, "Heron Mill")) for _ in "12")
    inner = one["PayloadContent"][0]
    result = x509.load_der_x509_certificate(inner["PayloadContent"])
    assert result == authority.certificate
    assert inner["PayloadType"] == "com.apple.security.root"
    assert one["PayloadUUID"] == again["PayloadUUID"]


@pytest.mark.parametrize("damage", [b"", b"not a certificate", None])
def test_a_damaged_file_is_told_and_never_replaced(tmp_path: Path, damage: bytes | None) -> None:
    path = tmp_path / "authority.pem"
    fresh().write(path)
    # Half of the file: the certificate without its key.
    left = path.read_bytes().split(b"-----BEGIN PRIVATE")[0] if damage is None else damage
    path.write_bytes(left)
    with pytest.raises(AuthorityError, match="Put the file back from a backup"):
        Authority.read(path)
    assert path.read_bytes() == left


class House:
    """The part alone, by a clock of the test's own."""

    def __init__(self, data: Path, **https: str) -> None:
        self.clock = ManualClock()
        self.context = Context.fresh(self.clock, MemoryRecords())
        tables = {"https": dict(https), "house": {"name": "Heron Mill"}}
        config = make_config(data, tables, [])
        links = Links(self.context, HubHouse(), Keeper(self.context), config)
        self.trust = Trust(self.context, config, links)

    def said(self) -> list[str]:
        return [check.text for check in self.trust.checks() if check.state != "ok"]


@pytest.fixture
async def house(tmp_path: Path) -> AsyncIterator[House]:
    result = House(tmp_path)
    await result.trust.prepare()
    yield result
    result.context.thread.close()


async def test_it_is_renewed_long_before_it_ends(house: House, tmp_path: Path) -> None:
    first, authority = house.trust.certificate, house.trust.authority
    assert first is not None
    house.clock.now += 59 * DAY_MS
    await house.trust.look()
    assert house.trust.certificate == first
    house.clock.now += 2 * DAY_MS
    await house.trust.look()
    renewed = house.trust.certificate
    assert renewed is not None
    assert renewed != first
    assert renewed.issuer == first.issuer
    # What listens shows the new one at once: the context is the same.
    again = House(tmp_path)
    again.clock.now = house.clock.now
    await again.trust.prepare()
    assert again.trust.certificate == renewed
    assert again.trust.authority is not None
    assert again.trust.authority.certificate == authority.certificate  # type: ignore[union-attr]
    again.context.thread.close()


async def test_a_new_authority_makes_a_new_certificate(house: House, tmp_path: Path) -> None:
    """It has the same name as the one before: the month is the same, and the house."""
    first = house.trust.authority
    assert first is not None
    (tmp_path / "authority.pem").unlink()
    again = House(tmp_path)
    await again.trust.prepare()
    second = again.trust.authority
    assert second is not None
    assert second.name == first.name
    assert second.certificate != first.certificate
    now = datetime.fromtimestamp(again.clock.now / 1000, UTC)
    assert verified(_of(second, tmp_path), tmp_path / "https.pem", now=now)
    assert not verified(_of(first, tmp_path), tmp_path / "https.pem", now=now)
    again.context.thread.close()


def _of(authority: Authority, folder: Path) -> Path:
    path = folder / "of-a-device.pem"
    path.write_bytes(authority.pem())
    return path


async def test_a_new_name_is_taken_into_the_certificate(house: House) -> None:
    house.trust.announced = lambda: ["hombi-2.local"]
    await house.trust.look()
    result = house.trust.certificate
    assert result is not None
    named = result.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    assert "hombi-2.local" in named.get_values_for_type(x509.DNSName)


async def test_a_machine_without_the_time_makes_nothing_until_it_knows_it(tmp_path: Path) -> None:
    house = House(tmp_path)
    house.clock.now = 86_400_000  # the second of January 1970
    await house.trust.prepare()
    assert house.trust.authority is None
    assert not (tmp_path / "authority.pem").exists()
    assert house.said() == ["it waits until this machine knows the time"]
    house.clock.now = 1_800_000_000_000
    await house.trust.look()
    assert house.trust.serving
    assert house.said() == []
    house.context.thread.close()


async def test_a_damaged_authority_leaves_the_hub_with_what_it_has(tmp_path: Path) -> None:
    (tmp_path / "authority.pem").write_text("damaged")
    house = House(tmp_path)
    await house.trust.prepare()
    assert not house.trust.serving
    assert "Put the file back from a backup" in house.said()[0]
    assert (tmp_path / "authority.pem").read_text() == "damaged"
    house.context.thread.close()


async def test_ones_own_certificate_is_taken_up_when_its_files_change(tmp_path: Path) -> None:
    others = OthersAuthority(tmp_path / "theirs", days=400)
    certificate, key = others.issue("mill")
    (tmp_path / "data").mkdir()
    house = House(tmp_path / "data", certificate=str(certificate), key=str(key))
    await house.trust.prepare()
    assert house.trust.owned
    first = house.trust.certificate
    kept = key.read_bytes()
    # Half of a new pair: the hub goes on with the old one, and says so.
    others.issue("mill")
    fresh_key = key.read_bytes()
    key.write_bytes(kept)
    await house.trust.look()
    assert house.trust.certificate == first
    assert "the hub shows the one before" in house.said()[0]
    key.write_bytes(fresh_key)
    await house.trust.look()
    assert house.trust.certificate not in (None, first)
    assert house.said() == []
    house.context.thread.close()


def shown(trust: Trust, ca: str) -> x509.Certificate:
    """What a client is shown in a handshake through the part's context."""
    assert trust.tls is not None
    client_side = ssl.create_default_context(cadata=ca)
    incoming, outgoing = ssl.MemoryBIO(), ssl.MemoryBIO()
    client = client_side.wrap_bio(incoming, outgoing, server_hostname="hombi.local")
    server = trust.tls.wrap_bio(outgoing, incoming, server_side=True)
    for _ in range(6):
        for side in (client, server):
            try:
                side.do_handshake()
            except ssl.SSLWantReadError:
                continue
    der = client.getpeercert(binary_form=True)
    assert der is not None
    return x509.load_der_x509_certificate(der)


async def test_what_listens_shows_the_renewed_one_without_a_restart(tmp_path: Path) -> None:
    house = House(tmp_path)
    house.clock.now = round(datetime.now(UTC).timestamp() * 1000) - 61 * DAY_MS
    await house.trust.prepare()
    assert house.trust.authority is not None
    ca = house.trust.authority.pem().decode()
    first = shown(house.trust, ca)
    assert first == house.trust.certificate
    house.clock.now += 61 * DAY_MS
    await house.trust.look()
    assert shown(house.trust, ca) == house.trust.certificate != first
    assert socket.gethostname().lower() in {
        str(one.value)
        for one in first.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    }
    house.context.thread.close()


def common_name(trust: Trust) -> str:
    assert trust.authority is not None
    (name,) = trust.authority.certificate.subject.get_attributes_for_oid(NameOID.COMMON_NAME)
    return str(name.value)


async def test_an_authority_that_nobody_was_given_takes_the_houses_name(
    house: House, tmp_path: Path
) -> None:
    await house.trust.open()
    for named, wanted in (("Old mill", "Old mill"), ("Old mill", "Old mill"), ("Weir", "Weir")):
        house.context.announce(HouseNamed(house=named))
        await house.context.tasks.settle(30)  # it is made anew beside this
        assert common_name(house.trust).startswith(f"Hombi at {wanted} (since")
        assert house.trust.certificate is not None
    # Devices that trust it go on trusting it.
    house.trust.given()
    house.context.announce(HouseNamed(house="Another"))
    await house.context.tasks.settle(30)  # it is made anew beside this
    assert common_name(house.trust).startswith("Hombi at Weir (since")
    again = House(tmp_path)
    await again.trust.prepare()
    assert common_name(again.trust).startswith("Hombi at Weir (since")
    await house.context.tasks.end()
    again.context.thread.close()
