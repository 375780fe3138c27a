"""The plans of an entity, and how they are stored."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from hombi.core.series.conditioning import Plan


@dataclass(frozen=True, slots=True)
class Version:
    """One plan: since when it holds (0: over the whole past), and who made it when."""

    plan: Plan
    since_ms: int
    made_ms: int
    by: str
    kind: str


@dataclass(frozen=True, slots=True)
class Conditioned:
    """All plans of an entity, the oldest first."""

    versions: list[Version] = field(default_factory=list)

    def of_kind(self, kind: str) -> list[Version]:
        """The plans for one kind: what corrects a temperature says nothing of what the
        entity became later."""
        return [version for version in self.versions if version.kind == kind]

    def as_data(self) -> dict[str, Any]:
        """As it is stored."""
        return {
            "versions": [
                {
                    "plan": [dict(step) for step in version.plan],
                    "since_ms": version.since_ms,
                    "made_ms": version.made_ms,
                    "by": version.by,
                    "kind": version.kind,
                }
                for version in self.versions
            ],
        }

    @classmethod
    def of(cls, data: Mapping[str, Any]) -> Conditioned:
        """From how it was stored."""
        versions = [Version(**{**one, "plan": tuple(one["plan"])}) for one in data["versions"]]
        return cls(versions)
