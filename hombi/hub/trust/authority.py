"""The house's authority: a certificate authority (X.509, RFC 5280) that may speak for
names and addresses of this house and for nothing else.

A device that trusts it trusts the hub. Whoever steals its key still cannot pass for any
site on the internet: the name constraints (RFC 5280, 4.2.1.10) are part of what the
device trusts.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.serialization import (
    Encoding,
    NoEncryption,
    PrivateFormat,
    load_pem_private_key,
)
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from hombi.hub.machine.private_file import write_private
from hombi.links.machine import Address

Network = ipaddress.IPv4Network | ipaddress.IPv6Network

YEARS = 10
LEAF_DAYS = 90
# A clock that is a little behind must not find the certificate too young.
EARLIER = timedelta(days=1)
# Names that no site on the internet has (RFC 6762, RFC 8375, RFC 6761; `internal` is
# kept for private use by ICANN). A constraint takes in all names below it.
NAMES = ("local", "localhost", "home.arpa", "internal")
# Addresses that no site on the internet has (RFC 1918, RFC 6598, RFC 3927, RFC 4193).
NETWORKS: tuple[Network, ...] = tuple(
    ipaddress.ip_network(one)
    for one in (
        "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "100.64.0.0/10", "169.254.0.0/16",
        "127.0.0.0/8", "fc00::/7", "fe80::/10", "::1/128",
    )
)  # fmt: skip
# RFC 5280, appendix A: the upper bound of a common name; in bytes, to be sure.
LONGEST_NAME = 64


NO_MAIL = "nobody.invalid"


class AuthorityError(Exception):
    """The authority's file cannot be used; the message says why and what to do."""


@dataclass(frozen=True)
class Authority:
    """The certificate, and the key that signs with it."""

    certificate: x509.Certificate
    key: ec.EllipticCurvePrivateKey

    @classmethod
    def fresh(
        cls, house: str, names: Iterable[str], own: Iterable[Address], now: datetime
    ) -> Authority:
        """A new one, for ten years. It may speak for the names and addresses that only
        houses have, for `names`, and for the addresses of its `own` machine."""
        key = ec.generate_private_key(ec.SECP256R1())
        # Devices list it by this name, often years later.
        since = f" (since {now:%B %Y})"
        room = LONGEST_NAME - len(since.encode())
        spoken = f"Hombi at {house}".encode()[:room].decode(errors="ignore").rstrip() + since
        subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, spoken)])
        permitted = [
            *(x509.DNSName(one) for one in (*NAMES, *names) if one in NAMES or not _ours(one)),
            *(x509.IPAddress(one) for one in NETWORKS),
            # RFC 5280, 4.2.1.10: what is permitted of a kind of name shuts out the rest
            # of that kind. No mail address is below this name (RFC 2606).
            x509.RFC822Name(NO_MAIL),
            # A prefix of IPv6 is often another next week, and somebody else's then.
            *(
                x509.IPAddress(ipaddress.ip_network(address))
                for address in own
                if address.version == 4 and not any(address in network for network in NETWORKS)
            ),
        ]
        made = (
            _builder(subject, subject, key.public_key(), now, timedelta(days=365 * YEARS))
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .add_extension(_usage(signs_certificates=True), critical=True)
            .add_extension(x509.NameConstraints(permitted, None), critical=True)
            # It signs for servers alone: no mail, no program is believed for it.
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(
                x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False
            )
        )
        return cls(made.sign(key, hashes.SHA256()), key)

    @classmethod
    def read(cls, path: Path) -> Authority:
        """The one in a file. Raises AuthorityError."""
        try:
            text = path.read_bytes()
            certificate = x509.load_pem_x509_certificate(text)
            key = load_pem_private_key(text, None)
            if not isinstance(key, ec.EllipticCurvePrivateKey):
                raise ValueError("its key is of another sort")
            certificate.verify_directly_issued_by(certificate)
            if key.public_key() != certificate.public_key():
                raise ValueError("its key belongs to another certificate")
        except (OSError, ValueError, TypeError, InvalidSignature) as error:
            raise AuthorityError(
                f"the house's authority in {path} cannot be read "
                f"({str(error) or type(error).__name__}). "
                "Put the file back from a backup. If there is none, delete it and start the hub "
                "again: a new authority is made, and every device must trust the house anew"
            ) from error
        return cls(certificate, key)

    def write(self, path: Path) -> None:
        """Keep it in a file that only the hub's own user may read."""
        write_private(path, self.certificate.public_bytes(Encoding.PEM) + _pem(self.key))

    def issued(self, certificate: x509.Certificate) -> bool:
        """Whether a certificate is signed with this authority's key."""
        try:
            certificate.verify_directly_issued_by(self.certificate)
        except (ValueError, TypeError, InvalidSignature):
            return False
        return True

    def may_name(self, name: str) -> bool:
        """Whether it may speak for a host name."""
        lower = name.lower()
        return any(
            lower == one.value or lower.endswith(f".{one.value}")
            for one in self._permitted()
            if isinstance(one, x509.DNSName)
        )

    def may_address(self, address: Address) -> bool:
        """Whether it may speak for an address."""
        networks = (one.value for one in self._permitted() if isinstance(one, x509.IPAddress))
        return any(address in network for network in networks if isinstance(network, Network))

    def issue(
        self, path: Path, names: Iterable[str], addresses: Iterable[Address], now: datetime
    ) -> x509.Certificate:
        """Make a certificate with a new key for all of these that it may speak for, for
        90 days, and keep both in one file."""
        key = ec.generate_private_key(ec.SECP256R1())
        meant = [
            *(x509.DNSName(name) for name in names if self.may_name(name)),
            *(x509.IPAddress(address) for address in addresses if self.may_address(address)),
        ]
        made = (
            _builder(
                x509.Name([]),
                self.certificate.subject,
                key.public_key(),
                now,
                timedelta(days=LEAF_DAYS),
            )
            # RFC 5280, 4.2.1.6: critical where the subject is empty.
            .add_extension(x509.SubjectAlternativeName(meant), critical=True)
            .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
            .add_extension(_usage(signs_certificates=False), critical=True)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(
                x509.AuthorityKeyIdentifier.from_issuer_public_key(self.key.public_key()),
                critical=False,
            )
            .sign(self.key, hashes.SHA256())
        )
        write_private(path, made.public_bytes(Encoding.PEM) + _pem(key))
        return made

    @property
    def fingerprint(self) -> str:
        """SHA-256 of the certificate, as devices show it."""
        digits = self.certificate.fingerprint(hashes.SHA256()).hex().upper()
        return ":".join(digits[at : at + 2] for at in range(0, len(digits), 2))

    @property
    def name(self) -> str:
        """What devices list it as."""
        return str(self.certificate.subject.get_attributes_for_oid(NameOID.COMMON_NAME)[0].value)

    def pem(self) -> bytes:
        """The certificate alone, as PEM."""
        return self.certificate.public_bytes(Encoding.PEM)

    def der(self) -> bytes:
        """The certificate alone, as DER."""
        return self.certificate.public_bytes(Encoding.DER)

    def _permitted(self) -> list[x509.GeneralName]:
        constraints = self.certificate.extensions.get_extension_for_class(
            x509.NameConstraints
        ).value
        return constraints.permitted_subtrees or []


def _ours(name: str) -> bool:
    """Whether a name is below those that only houses have."""
    return any(name.endswith(f".{one}") for one in NAMES) or name in NAMES


def covers(certificate: x509.Certificate) -> set[str]:
    """The names and addresses that a certificate is good for, as texts."""
    try:
        named = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except x509.ExtensionNotFound:
        return set()
    return {str(one.value) for one in named}


def _builder(
    subject: x509.Name,
    issuer: x509.Name,
    key: ec.EllipticCurvePublicKey,
    now: datetime,
    holds: timedelta,
) -> x509.CertificateBuilder:
    return (
        x509.CertificateBuilder()
        .subject_name(subject)
        .issuer_name(issuer)
        .public_key(key)
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - EARLIER)
        .not_valid_after(now + holds)
    )


def _usage(*, signs_certificates: bool) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=not signs_certificates, key_cert_sign=signs_certificates,
        crl_sign=signs_certificates, content_commitment=False, key_encipherment=False,
        data_encipherment=False, key_agreement=False, encipher_only=False, decipher_only=False,
    )  # fmt: skip


def _pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(Encoding.PEM, PrivateFormat.PKCS8, NoEncryption())
