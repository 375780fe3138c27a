"""The conditioning port: how entities' values are conditioned, and since when."""

from __future__ import annotations

from typing import Any, Protocol


class ConditioningPort(Protocol):
    """What is stored of each entity's conditioning, as plain data."""

    def all(self) -> dict[int, dict[str, Any]]:
        """By entity id; an entity that was never conditioned is not in it."""

    def save(self, entity: int, data: dict[str, Any]) -> None:
        """Store it; of an entity that is gone, nothing."""
