"""The sequences port: lists of actions that automations run."""

from __future__ import annotations

from typing import Protocol


class SequencesPort(Protocol):
    """The texts of sequences."""

    def all(self) -> dict[str, str]:
        """All of them, by slug."""

    def save(self, slug: str, text: str) -> None:
        """Store one, in the place of the one with its slug."""

    def remove(self, slug: str) -> None:
        """Forget one."""
