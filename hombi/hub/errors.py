"""What the hub refuses. Each carries words for the person who asked.

HubError
├── NotFound        what was named does not exist
├── Refused         this cannot be done now; the message says what to do
│   ├── PairingClosed
│   └── NotAllowed  whoever asks has no right to it
├── Invalid         what was given is wrong; `mistakes` may say where
└── Busy            the hub holds as much as it can until the disk takes it
"""

from __future__ import annotations

from collections.abc import Sequence

from hombi.core.toml_text import Mistake


class HubError(Exception):
    """The hub will not do what was asked."""


class NotFound(HubError):
    """What was named does not exist."""


class Refused(HubError):
    """This cannot be done now."""


class PairingClosed(Refused):
    """No pairing window is open."""


class NotAllowed(Refused):
    """Whoever asks has no right to this."""


class Invalid(HubError):
    """What was given is wrong."""

    def __init__(self, what: str, mistakes: Sequence[Mistake] = ()) -> None:
        super().__init__(what)
        self.mistakes = list(mistakes)


class Busy(HubError):
    """The disk does not take what is already held."""
