"""The dashboards port: what people have put where."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Protocol


@dataclass(frozen=True, slots=True)
class DashboardRecord:
    """One page of tiles, as plain data. `room` is the address of the room whose page it
    is; "" for one of the person's own."""

    slug: str
    title: str
    room: str = ""
    tiles: list[dict[str, Any]] = field(default_factory=list)


class DashboardsPort(Protocol):
    """What is stored of dashboards."""

    def all(self) -> list[DashboardRecord]:
        """All of them; those of rooms that are gone are gone too."""

    def save(self, record: DashboardRecord) -> None:
        """Store one, in the place of the one with its slug."""

    def remove(self, slug: str) -> None:
        """Forget one."""
