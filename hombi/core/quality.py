"""The quality of a reading: one of the three levels of OPC UA (IEC 62541-8), with a
reason."""

from __future__ import annotations

from enum import IntEnum
from typing import Literal

_LEVELS: tuple[Literal["good"], Literal["uncertain"], Literal["bad"]] = ("good", "uncertain", "bad")


class Quality(IntEnum):
    """A level and its reason in one number, as it is stored: the tens are the level,
    the ones the reason."""

    GOOD = 0
    WARMING_UP = 10
    CLIPPED = 11
    INPUT_MISSING = 12
    STUCK = 20
    SPIKE = 21
    OUT_OF_RANGE = 22
    SILENT = 23
    NO_VALUE = 24

    @property
    def level(self) -> Literal["good", "uncertain", "bad"]:
        """`good`, `uncertain` or `bad`."""
        return _LEVELS[self // 10]

    @property
    def reason(self) -> str:
        """Why it is not good, in words; empty for a good one."""
        return "" if self is Quality.GOOD else self.name.lower().replace("_", " ")
