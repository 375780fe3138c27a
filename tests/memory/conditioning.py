"""Conditioning in memory."""

from __future__ import annotations

import copy
from typing import Any

from tests.memory.history import MemoryHistory


class MemoryConditioning:
    """`ConditioningPort` without a disk."""

    def __init__(self, history: MemoryHistory) -> None:
        self._history = history
        self._all: dict[int, dict[str, Any]] = {}

    def all(self) -> dict[int, dict[str, Any]]:
        known = self._history.entities
        return {one: copy.deepcopy(data) for one, data in self._all.items() if one in known}

    def save(self, entity: int, data: dict[str, Any]) -> None:
        if entity in self._history.entities:
            self._all[entity] = copy.deepcopy(data)
