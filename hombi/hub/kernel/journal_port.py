"""The journal port."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, Protocol


@dataclass(slots=True)
class JournalEntry:
    """Something that happened, and who was behind it. `id` is 0 until it is stored."""

    at_ms: int
    event: str
    text: str
    by: str = ""
    node: str = ""
    entity: str = ""
    automation: str = ""
    data: dict[str, Any] = field(default_factory=dict)
    id: int = 0


class JournalPort(Protocol):
    """What happened."""

    def add(self, entries: Sequence[JournalEntry]) -> list[int]:
        """Their numbers; all of them are stored, or none. Raises Busy while the disk
        does not take them."""

    def entries(
        self,
        limit: int,
        *,
        before: int | None = None,
        after: int | None = None,
        since_ms: int | None = None,
        until_ms: int | None = None,
        event: str = "",
        node: str = "",
        automation: str = "",
    ) -> list[JournalEntry]:
        """Entries, newest first: those with an id below `before` and above `after`,
        from `since_ms` on and before `until_ms`, of one event, node or automation."""

    def moments(self, event: str, since_ms: int) -> dict[str, list[int]]:
        """When an event happened to each automation, oldest first: from `since_ms` on,
        and the last time where that is longer ago."""
