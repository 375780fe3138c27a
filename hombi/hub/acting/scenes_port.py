"""The scenes port: states of several entities that are recalled together."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Protocol


@dataclass(frozen=True, slots=True)
class SceneRecord:
    """One scene: its states by the addresses of their entities, each in its kind's
    unit."""

    slug: str
    title: str
    states: dict[str, float] = field(default_factory=dict)


class ScenesPort(Protocol):
    """What is stored of scenes."""

    def all(self) -> list[SceneRecord]:
        """All of them, by title."""

    def save(self, record: SceneRecord) -> None:
        """Store one, in the place of the one with its slug."""

    def remove(self, slug: str) -> None:
        """Forget one."""
