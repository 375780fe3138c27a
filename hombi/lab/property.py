"""One property of a simulated node: how it describes it, and how it senses it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from hombi.lab.physics import Mill

Sense = Callable[[Mill], float | bool]


@dataclass(frozen=True, slots=True)
class Property:
    """One property of a node: its description (W3C WoT TD 1.1), and how it is sensed.
    `switches` names the device that it sets; `every` counts in how many of the node's
    reports it is sent."""

    name: str
    title: str
    type: str
    sense: Sense
    unit: str = ""
    minimum: float | None = None
    maximum: float | None = None
    semantic_type: str = ""
    switches: str = ""
    history_every: int = 1

    def description(self) -> dict[str, Any]:
        """The property affordance."""
        given = {
            "title": self.title,
            "type": self.type,
            "unit": self.unit,
            "@type": self.semantic_type,
        }
        limits = {"minimum": self.minimum, "maximum": self.maximum}
        return {k: v for k, v in (given | limits).items() if v not in ("", None)} | {
            "readOnly": not self.switches
        }
