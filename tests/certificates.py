"""A certificate authority of a test's own."""

from __future__ import annotations

import datetime
import ipaddress
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


class Authority:
    """Issues certificates for a name and for 127.0.0.1; its own is in `file`. `days` is
    how long they hold."""

    def __init__(self, folder: Path, days: int = 100) -> None:
        folder.mkdir(exist_ok=True, parents=True)
        self._folder, self._days = folder, days
        self._key = ec.generate_private_key(ec.SECP256R1())
        self._name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "The mill's authority")])
        self.file = self._write(
            "authority", self._sign(self._name, self._key, authority=True), self._key
        )[0]

    def issue(self, name: str) -> tuple[Path, Path]:
        """(certificate, key) as PEM files."""
        key = ec.generate_private_key(ec.SECP256R1())
        return self._write(
            name, self._sign(x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, name)]), key), key
        )

    def _sign(
        self, name: x509.Name, key: ec.EllipticCurvePrivateKey, authority: bool = False
    ) -> x509.Certificate:
        now = datetime.datetime.now(datetime.UTC)
        return (
            x509.CertificateBuilder()
            .subject_name(name)
            .issuer_name(self._name)
            .public_key(key.public_key())
            .serial_number(x509.random_serial_number())
            .not_valid_before(now - datetime.timedelta(hours=1))
            .not_valid_after(now + datetime.timedelta(days=self._days))
            .add_extension(x509.BasicConstraints(ca=authority, path_length=None), critical=True)
            .add_extension(
                x509.SubjectAlternativeName(
                    [
                        x509.IPAddress(ipaddress.ip_address("127.0.0.1")),
                        x509.DNSName(
                            str(name.get_attributes_for_oid(NameOID.COMMON_NAME)[0].value)
                        ),
                    ]
                ),
                critical=False,
            )
            .add_extension(
                x509.AuthorityKeyIdentifier.from_issuer_public_key(self._key.public_key()),
                critical=False,
            )
            .sign(self._key, hashes.SHA256())
        )

    def _write(
        self, name: str, certificate: x509.Certificate, key: ec.EllipticCurvePrivateKey
    ) -> tuple[Path, Path]:
        files = self._folder / f"{name}.pem", self._folder / f"{name}.key"
        files[0].write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
        files[1].write_bytes(
            key.private_bytes(
                serialization.Encoding.PEM,
                serialization.PrivateFormat.PKCS8,
                serialization.NoEncryption(),
            )
        )
        return files
