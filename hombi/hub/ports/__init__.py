"""What the hub needs of the records, a port for each feature.

`hombi.hub.memory` has them in memory, `hombi.service.records` on the database; one
suite of contract tests runs on both. All methods are plain and blocking. Those that
write run in the hub's one records thread, so there is one writer; those that read
history, the journal and notices may run in any thread.
"""

from __future__ import annotations

from contextlib import AbstractContextManager
from pathlib import Path
from typing import Protocol

from hombi.hub.ports.automations import AutomationRecord, AutomationsPort, TextRecord
from hombi.hub.ports.conditioning import ConditioningPort
from hombi.hub.ports.dashboards import DashboardRecord, DashboardsPort
from hombi.hub.ports.history import HistoryPort, Numbers, Point, Row
from hombi.hub.ports.house import HousePort, NewEntity, NewNode
from hombi.hub.ports.journal import JournalEntry, JournalPort
from hombi.hub.ports.keeping import KeepingPort
from hombi.hub.ports.notices import DeliveryRecord, NewNotice, NoticesPort, PhoneRecord
from hombi.hub.ports.pairing import ArrivalRecord, PairingPort
from hombi.hub.ports.scenes import SceneRecord, ScenesPort
from hombi.hub.ports.sequences import SequencesPort
from hombi.hub.ports.tools import ToolsPort

__all__ = [
    "ArrivalRecord",
    "AutomationRecord",
    "AutomationsPort",
    "ConditioningPort",
    "DashboardRecord",
    "DashboardsPort",
    "DeliveryRecord",
    "HistoryPort",
    "HousePort",
    "JournalEntry",
    "JournalPort",
    "KeepingPort",
    "NewEntity",
    "NewNode",
    "NewNotice",
    "NoticesPort",
    "Numbers",
    "PairingPort",
    "PhoneRecord",
    "Point",
    "Records",
    "Row",
    "SceneRecord",
    "ScenesPort",
    "SequencesPort",
    "TextRecord",
    "ToolsPort",
]


class Records(Protocol):
    """All that is kept, port by port."""

    @property
    def house(self) -> HousePort: ...

    @property
    def history(self) -> HistoryPort: ...

    @property
    def conditioning(self) -> ConditioningPort: ...

    @property
    def dashboards(self) -> DashboardsPort: ...
    @property
    def scenes(self) -> ScenesPort: ...

    @property
    def sequences(self) -> SequencesPort: ...

    @property
    def pairing(self) -> PairingPort: ...

    @property
    def automations(self) -> AutomationsPort: ...

    @property
    def journal(self) -> JournalPort: ...

    @property
    def notices(self) -> NoticesPort: ...

    @property
    def tools(self) -> ToolsPort: ...

    @property
    def keeping(self) -> KeepingPort: ...

    def copy_to(self, path: Path) -> None:
        """A whole copy of the database as it is at one moment, while writing goes on.
        Any thread may ask for it; `path` is a file that is not there."""

    def together(self) -> AbstractContextManager[None]:
        """What is done within is committed as one. Raises Busy while the disk does not
        take it."""
