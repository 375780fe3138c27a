"""The keeping port: plain data by key, for links and for what is wanted."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Protocol


class KeepingPort(Protocol):
    """What must outlive a restart and has no table of its own."""

    def all(self) -> dict[str, dict[str, Any]]:
        """What is kept, by key."""

    def keep(self, states: Mapping[str, dict[str, Any] | None]) -> None:
        """Keep these by key, or (None) keep them no longer, in one transaction."""
