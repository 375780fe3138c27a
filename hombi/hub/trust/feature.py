"""What the hub shows over HTTPS: a certificate of the house's authority, renewed by
itself, or one of the person's own, taken up when its files change."""

from __future__ import annotations

import asyncio
import ipaddress
import socket
import ssl
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509

from hombi.hub.kernel import Context, Feature, Need
from hombi.hub.nodes.links import Links
from hombi.hub.rooms.events import HouseNamed
from hombi.hub.settings.config import Config
from hombi.hub.trust.authority import Authority, AuthorityError, covers
from hombi.hub.trust.events import CertificateTaken, CertificateTroubled
from hombi.links.base import Check
from hombi.links.capabilities import Announces
from hombi.links.machine import Address, own_address, own_addresses

AUTHORITY_FILE, HTTPS_FILE = "authority.pem", "https.pem"
# There while nobody was given the authority yet.
NOT_GIVEN = "authority.new"
LOOK_EVERY_S = 30.0
RENEW_WITHIN = timedelta(days=30)
# One that a person must renew is spoken of this long before it ends.
SOON = timedelta(days=21)
# A machine that believes in an earlier time has not been told the time yet: what it
# made now would have ended before it is used.
BEFORE_CLOCKS = datetime(2025, 6, 1, tzinfo=UTC)
NEW_AUTHORITY = (
    "delete authority.pem in the data folder, start the hub again, and let each device "
    "trust the house anew"
)
OWN_NAMES = ("hombi.local", "localhost")


@dataclass(frozen=True, slots=True)
class Files:
    """A certificate and its key of the person's own, as PEM files."""

    certificate: str
    key: str

    def changed(self) -> tuple[int, ...]:
        """What is another when one of them was written anew."""
        return tuple(Path(one).stat().st_mtime_ns for one in (self.certificate, self.key) if one)


class Trust(Feature):
    """The authority and the certificate. `tls` is for everything that listens; its
    certificate is replaced while it is used. `announced` tells the names by which the
    hub is found: those that links announce."""

    name = "trust"
    pressing = 11

    def __init__(self, context: Context, config: Config, links: Links) -> None:
        super().__init__(context)
        self._config, self._house = config, config.house_name
        self._own = Files(config.https_certificate, config.https_key)
        self._seen: tuple[int, ...] = ()
        self._looking = asyncio.Lock()
        # Whether the house has another name since the authority was looked at.
        self._renamed = False
        self.authority: Authority | None = None
        self.certificate: x509.Certificate | None = None
        self.announced: Callable[[], Iterable[str]] = lambda: [
            name for driver in links.that(Announces) for name in driver.announced()
        ]
        self.owned = False
        self.problem = ""
        # Why its port could not be had; said by who tried to open it.
        self.shut = ""
        self.tls: ssl.SSLContext | None = None
        if config.https:
            self.tls = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
            self.tls.minimum_version = ssl.TLSVersion.TLSv1_2

    async def prepare(self) -> None:
        """Make or read what is shown, before anything listens."""
        if self.tls is not None:
            await asyncio.to_thread(self._look)

    async def open(self) -> None:
        if self.tls is not None:
            self.context.hear(HouseNamed, lambda event: self._named(event.house))
            self.context.tasks.watch("the certificate", self._watch)

    def given(self) -> None:
        """Somebody is given the authority, to trust it: it stays as it is from now
        on."""
        (self._config.data / NOT_GIVEN).unlink(missing_ok=True)

    def _named(self, house: str) -> None:
        """The house has a name. Devices list the authority by it: one that nobody has
        yet is made anew."""
        if house == self._house:
            return
        self._house, self._renamed = house, True
        self.context.tasks.start(self.look(), name="the certificate")

    async def _watch(self) -> None:
        while True:
            await self.look()
            await asyncio.sleep(LOOK_EVERY_S)

    async def look(self) -> None:
        """See that the certificate is there, good, and for everything that the hub is
        called; say what is new."""
        # Two at once would write the same files, and load them into one context of
        # OpenSSL, which ends the process.
        async with self._looking:
            before = self.problem, self.certificate
            await asyncio.to_thread(self._look)
        if self.problem and self.problem != before[0]:
            self.context.announce(CertificateTroubled(problem=self.problem))
        if self.certificate is not None and self.certificate != before[1]:
            until = f"{self.certificate.not_valid_after_utc:%d %B %Y}"
            self.context.announce(CertificateTaken(until=until, own=self.owned))

    def _look(self) -> None:
        if self._renamed:
            self._renamed = False
            self._forget_ungiven()
        now = datetime.fromtimestamp(self.context.clock.now_ms() / 1000, UTC)
        try:
            self._take_authority(now)
            problem = ""
        except (AuthorityError, OSError) as error:
            problem = str(error)
        if self._own.certificate:
            problem = self._take_own()
        if not self.owned and self.authority is not None:
            try:
                self._take_issued(self.authority, now)
            except (OSError, ssl.SSLError) as error:
                problem = problem or f"the certificate cannot be kept ({error})"
        self.problem = problem

    def _forget_ungiven(self) -> None:
        """Have the authority made anew, unless somebody has it already."""
        if (self._config.data / NOT_GIVEN).exists():
            for name in (AUTHORITY_FILE, HTTPS_FILE):
                (self._config.data / name).unlink(missing_ok=True)
            self.authority = self.certificate = None

    def _take_authority(self, now: datetime) -> None:
        if self.authority is not None:
            return
        path = self._config.data / AUTHORITY_FILE
        if path.exists():
            self.authority = Authority.read(path)
        elif now >= BEFORE_CLOCKS:
            made = Authority.fresh(self._house, self._names(), addresses(), now)
            (self._config.data / NOT_GIVEN).touch(mode=0o600)
            made.write(path)
            self.authority = made

    def _take_own(self) -> str:
        """Take the person's own up when it is another than before; what is wrong with
        it, or ""."""
        assert self.tls is not None
        try:
            seen = self._own.changed()
            if seen == self._seen:
                return ""
            # Tried beside the one in use: half of a pair must not spoil that.
            trial = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
            trial.load_cert_chain(self._own.certificate, self._own.key or None)
            certificate = x509.load_pem_x509_certificate(Path(self._own.certificate).read_bytes())
            self.tls.load_cert_chain(self._own.certificate, self._own.key or None)
        except (OSError, ValueError) as error:  # ssl.SSLError is an OSError
            shown = "the one before" if self.owned else "that of the house's authority"
            return (
                f"the certificate {self._own.certificate} cannot be used ({error}); the hub shows "
                f"{shown}. Look at https.certificate and https.key in hombi.toml"
            )
        self._seen, self.certificate, self.owned = seen, certificate, True
        return ""

    def _take_issued(self, authority: Authority, now: datetime) -> None:
        path = self._config.data / HTTPS_FILE
        if self.certificate is None and path.exists():
            self._load(path)
        if self.certificate is None or not self._does(authority, self.certificate, now):
            if now < BEFORE_CLOCKS:
                return
            authority.issue(path, self._names(), addresses(), now)
            self._load(path)

    def _load(self, path: Path) -> None:
        """Show what is in a file; one that is not a certificate is made anew, since
        nobody keeps anything by it."""
        assert self.tls is not None
        try:
            certificate = x509.load_pem_x509_certificate(path.read_bytes())
            self.tls.load_cert_chain(path)
        except (ValueError, ssl.SSLError):
            return
        self.certificate = certificate

    def _does(self, authority: Authority, certificate: x509.Certificate, now: datetime) -> bool:
        """Whether a certificate is this authority's, not about to end, and for
        everything that the hub is called."""
        wanted = {name for name in self._names() if authority.may_name(name)}
        wanted |= {str(address) for address in addresses() if authority.may_address(address)}
        return (
            authority.issued(certificate)
            and certificate.not_valid_before_utc
            <= now
            < certificate.not_valid_after_utc - RENEW_WITHIN
            and wanted <= covers(certificate)
        )

    def _names(self) -> list[str]:
        machine = socket.gethostname().lower()
        short = machine.partition(".")[0]
        named = (
            *OWN_NAMES, machine, short, f"{short}.local",
            *(one.rstrip(".").lower() for one in self.announced()),
            *(name.lower() for name in self._config.http_names if not _is_address(name)),
        )  # fmt: skip
        return list(dict.fromkeys(named))

    def left_out(self) -> list[str]:
        """Names of the settings that the authority may not speak for: they were added
        after it was made."""
        if self.authority is None or self.owned:
            return []
        asked = (name for name in self._config.http_names if not _is_address(name))
        return [one for one in asked if not self.authority.may_name(one)]

    def console(self) -> str:
        """Where people of the house find the console, as a mail names it."""
        host = next(iter(self.announced()), own_address())
        if self.serving:
            return f"https://{host}:{self._config.https_port}"
        return f"http://{host}:{self._config.http_port}"

    @property
    def serving(self) -> bool:
        """Whether the console can be reached over HTTPS now."""
        return self.tls is not None and self.certificate is not None and not self.shut

    def needs(self) -> Iterator[Need]:
        for check in self.checks():
            if check.state != "ok":
                yield Need("certificate", check.text, "/settings#doctor")

    def checks(self) -> list[Check]:
        """How HTTPS is, and what of it ends when."""
        if self.tls is None:
            return [Check("HTTPS", "ok", "switched off in hombi.toml (https.use)")]
        if self.shut:
            return [Check("HTTPS", "fault", self.shut, "set https.port in hombi.toml")]
        result = [self._certificate_check()]
        if self.authority is not None and not self.owned:
            ends = self.authority.certificate.not_valid_after_utc
            result.append(self._ends("the house's authority", ends, NEW_AUTHORITY))
        return result

    def _certificate_check(self) -> Check:
        if self.problem:
            return Check("HTTPS", "fault", self.problem, "")
        if self.certificate is None:
            return Check(
                "HTTPS",
                "warning",
                "it waits until this machine knows the time",
                "let it take the time from the network",
            )
        if named := self.left_out():
            return Check(
                "HTTPS",
                "warning",
                f"the certificate is not for {', '.join(named)}: the authority is older than "
                "that name",
                f"to use it, {NEW_AUTHORITY}",
            )
        ends = self.certificate.not_valid_after_utc
        if not self.owned:
            return Check("HTTPS", "ok", f"its certificate is good until {ends:%d %B %Y}; renewed "
                                        "by itself before")  # fmt: skip
        return self._ends("HTTPS", ends, "renew it; the hub takes the new files up by itself")

    def _ends(self, part: str, ends: datetime, advice: str) -> Check:
        now = datetime.fromtimestamp(self.context.clock.now_ms() / 1000, UTC)
        if ends <= now:
            return Check(part, "fault", f"the certificate ended on {ends:%d %B %Y}", advice)
        if ends - now < SOON:
            return Check(part, "warning", f"the certificate ends on {ends:%d %B %Y}", advice)
        return Check(part, "ok", f"the certificate is good until {ends:%d %B %Y}")


def addresses() -> list[Address]:
    """This machine's addresses, without those that mean something on one cable only."""
    result = (
        address
        for address in own_addresses()
        if not (address.version == 6 and address.is_link_local)
    )
    return sorted(result, key=lambda one: (one.version, int(one)))


def _is_address(name: str) -> bool:
    try:
        ipaddress.ip_address(name)
    except ValueError:
        return False
    return True
