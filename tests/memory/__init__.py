"""The records in memory: for tests, and for rehearsals that must leave no trace."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from pathlib import Path

from hombi.hub.errors import Busy
from tests.memory.conditioning import MemoryConditioning
from tests.memory.dashboards import MemoryDashboards, MemoryScenes, MemorySequences
from tests.memory.history import MemoryHistory
from tests.memory.house import MemoryHouse
from tests.memory.others import (
    MemoryAutomations,
    MemoryJournal,
    MemoryKeeping,
    MemoryMqttAccounts,
    MemoryNotices,
    MemoryPairing,
)

__all__ = ["MemoryRecords"]


class MemoryRecords:
    """`Records` without a disk. What it holds can be looked at."""

    def __init__(self) -> None:
        self.history = MemoryHistory()
        self.conditioning = MemoryConditioning(self.history)
        self.pairing = MemoryPairing()
        self.house = MemoryHouse(self.history, self.pairing)
        self.dashboards = MemoryDashboards(self.house)
        self.scenes = MemoryScenes()
        self.sequences = MemorySequences()
        self.automations = MemoryAutomations()
        self.journal = MemoryJournal()
        self.notices = MemoryNotices()
        self.mqtt_accounts = MemoryMqttAccounts()
        self.keeping = MemoryKeeping()

    def copy_to(self, path: Path) -> None:
        raise Busy("these records are in memory only; there is no file to copy")

    @contextlib.contextmanager
    def together(self) -> Iterator[None]:
        yield
