"""Dashboards, scenes and sequences in memory."""

from __future__ import annotations

import copy

from hombi.hub.acting.scenes_port import SceneRecord
from hombi.hub.rooms.dashboards_port import DashboardRecord
from tests.memory.house import MemoryHouse


class MemoryDashboards:
    """`DashboardsPort` without a disk."""

    def __init__(self, house: MemoryHouse) -> None:
        self._house = house
        self._all: dict[str, DashboardRecord] = {}

    def all(self) -> list[DashboardRecord]:
        known = self._house.room_slugs()
        result = (one for one in self._all.values() if not one.room or one.room in known)
        return copy.deepcopy(list(result))

    def save(self, record: DashboardRecord) -> None:
        self._all[record.slug] = copy.deepcopy(record)

    def remove(self, slug: str) -> None:
        self._all.pop(slug, None)


class MemoryScenes:
    """`ScenesPort` without a disk."""

    def __init__(self) -> None:
        self._all: dict[str, SceneRecord] = {}

    def all(self) -> list[SceneRecord]:
        return copy.deepcopy(sorted(self._all.values(), key=lambda one: (one.title, one.slug)))

    def save(self, record: SceneRecord) -> None:
        self._all[record.slug] = copy.deepcopy(record)

    def remove(self, slug: str) -> None:
        self._all.pop(slug, None)


class MemorySequences:
    """`SequencesPort` without a disk."""

    def __init__(self) -> None:
        self._all: dict[str, str] = {}

    def all(self) -> dict[str, str]:
        return dict(sorted(self._all.items()))

    def save(self, slug: str, text: str) -> None:
        self._all[slug] = text

    def remove(self, slug: str) -> None:
        self._all.pop(slug, None)
