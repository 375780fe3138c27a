"""One watched entity: what is looked at, how it is compared, and for how long."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum

from hombi.core.automation.comparisons import Comparison, Slope, Timed
from hombi.core.automation.moving import Moving
from hombi.core.automation.state import World
from hombi.core.kinds import Kind


class Lost(StrEnum):
    """What happens to what is on when the watched value is bad, or not heard any
    more."""

    END = "end"
    STAY = "stay"


@dataclass(frozen=True, slots=True)
class Watch:
    """What to look at, how it is compared, how long it must stay so, and how long it
    must be back before it ends. What only happens must come `times`, the first and the
    last of them within `times_ms`, and lasts for `lasts_ms`."""

    entity: str
    kind: Kind
    comparison: Comparison
    held_ms: int = 0
    lost: Lost = Lost.END
    moving: Moving | None = None
    until_held_ms: int = 0
    lasts_ms: int = 0
    times: int = 1
    times_ms: int = 0
    # Whether time alone decides; and how far the value has moved, where that does.
    timed: bool = field(init=False, compare=False, repr=False)
    slope: Slope | None = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        compared = self.comparison
        object.__setattr__(self, "timed", isinstance(compared, Timed))
        object.__setattr__(self, "slope", compared if isinstance(compared, Slope) else None)

    @property
    def of_value(self) -> bool:
        """Whether each value by itself says whether it is so."""
        return not self.timed and self.slope is None and not self.happens

    @property
    def happens(self) -> bool:
        """Whether what it looks for happens at a moment, and starts it each time."""
        return self.kind.moment and not self.timed

    @property
    def wanted(self) -> str:
        """As in "When the humidity is …"."""
        moving = self.moving
        followed = moving.sentence(self.comparison, self.kind) if moving is not None else ""
        return followed or self.comparison.sentence(self.kind)

    @property
    def wanted_back(self) -> str:
        """As in "…, until it is back …"; "" when it ends at its limit."""
        if self.moving is not None and (until := self.moving.of("until")) is not None:
            return self.comparison.back(until.text)
        return self.comparison.sentence_until(self.kind)

    def now(self, world: World) -> Watch | None:
        """With its limits of this moment; None where they are not known."""
        if self.moving is None:
            return self
        compared = self.moving.at(self.comparison, world)
        return None if compared is None else replace(self, comparison=compared)
