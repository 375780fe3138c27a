"""When what somebody may do was last changed: what they had opened by then ends."""

from __future__ import annotations

from typing import ClassVar


class Standing:
    """The changes since the hub started, counted; and the last one of each person."""

    here = 0
    _last: ClassVar[dict[str, int]] = {}

    @classmethod
    def changed(cls, person: str) -> None:
        """Something else is theirs to do, or they must sign in again."""
        cls.here += 1
        cls._last[person] = cls.here

    @classmethod
    def is_as(cls, person: str, here: int) -> bool:
        """Whether nothing was changed for them since that count."""
        return cls._last.get(person, 0) <= here
