"""Where an entity's values come from: a node that sends them, or other entities."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

from hombi.core.series.channel import Channels

NO_PARAMETERS: Mapping[str, str] = MappingProxyType({})


@dataclass(frozen=True, slots=True)
class Derivation:
    """How an entity is computed from others: the method's name, the addresses of its
    sources in their order, and the method's parameters as they were written."""

    method: str
    sources: tuple[str, ...]
    parameters: Mapping[str, str] = field(default_factory=lambda: NO_PARAMETERS)

    def __post_init__(self) -> None:
        if not self.method or not self.sources:
            raise ValueError("a derivation has a method and at least one source")


Origin = Channels | Derivation
