"""The automations port."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Protocol


@dataclass(slots=True)
class AutomationRecord:
    """An automation as it is stored: its text word for word, and where its state
    machine stands."""

    id: int
    slug: str
    text: str
    enabled: bool = True
    state: dict[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class TextRecord:
    """A text of an automation: since when (0: not known), and who wrote it."""

    at_ms: int
    by: str
    text: str


class AutomationsPort(Protocol):
    """The texts, and where they stand."""

    def all(self) -> list[AutomationRecord]: ...

    def add(self, slug: str, text: str) -> AutomationRecord: ...

    def save(self, record: AutomationRecord) -> None:
        """Store it; one that was removed stays removed."""

    def remove(self, record: AutomationRecord) -> None: ...

    def keep_text(self, slug: str, text: TextRecord, most: int) -> None:
        """Keep a text that it has from now on, and `most` of them at most."""

    def texts(self, slug: str) -> list[TextRecord]:
        """The texts that it had, the latest first."""
