"""What happens to the certificate that the hub shows."""

from __future__ import annotations

from hombi.hub.kernel.events import Event


class CertificateTaken(Event, frozen=True, kw_only=True):
    """The hub shows another certificate than before."""

    until: str
    own: bool

    @property
    def sentence(self) -> str:
        if self.own:
            return f"the hub shows the certificate of hombi.toml, good until {self.until}"
        return f"the hub renewed its certificate, good until {self.until}"


class CertificateTroubled(Event, frozen=True, kw_only=True):
    """The certificate cannot be used as it is."""

    problem: str

    @property
    def sentence(self) -> str:
        return f"HTTPS: {self.problem}"
