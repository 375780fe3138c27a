"""How the house sends mail."""

from __future__ import annotations

from dataclasses import dataclass, field

STARTTLS, TLS, PLAIN = "starttls", "tls", "none"


@dataclass(frozen=True, slots=True)
class MailSettings:
    """The mail server that takes the house's mail; none without a host."""

    host: str = ""
    port: int = 0
    secure: str = STARTTLS
    user: str = ""
    password: str = field(default="", repr=False)
    sender: str = ""
    ca: str = ""

    @property
    def from_(self) -> str:
        """Whom a mail comes from."""
        return self.sender or (self.user if "@" in self.user else f"hombi@{self.host}")
