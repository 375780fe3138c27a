"""What a step of an automation wants done."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol


class Effect(Protocol):
    """What a step of an automation wants done, as a value. The hub does it, a rehearsal
    lists it, a replay counts it."""

    def spoken(self, name: Callable[[str], str]) -> str:
        """In words; `name` gives an entity's spoken name by its address."""
