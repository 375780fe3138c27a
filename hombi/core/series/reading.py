"""A reading: one value of one entity at one time, with a quality."""

from __future__ import annotations

import msgspec

from hombi.core.quality import Quality


class Reading(msgspec.Struct, frozen=True):
    """One reading, with the sample that it was made of.

    `sent` is what the node sent, in the unit of the channel of this number; `value` is
    what the entity's chain made of it, in the unit of its kind. None is no value.
    """

    at_ms: int
    channel: int
    sent: float | None
    value: float | None
    quality: Quality = Quality.GOOD

    @property
    def usable(self) -> bool:
        """Whether something can be computed from it: it has a value that is not bad."""
        return self.value is not None and self.quality < Quality.STUCK
