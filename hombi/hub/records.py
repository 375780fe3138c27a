"""What the hub needs of the records, a port for each feature.

`hombi.service.records` has them on the database, `tests.memory` without a disk; one
suite of contract tests runs on both. All methods are plain and blocking. Those that
write run in the hub's one records thread, so there is one writer; those that read
history, the journal and notices may run in any thread.
"""

from __future__ import annotations

from contextlib import AbstractContextManager
from pathlib import Path
from typing import Protocol

from hombi.hub.acting.scenes_port import ScenesPort
from hombi.hub.automations.port import AutomationsPort
from hombi.hub.automations.sequences_port import SequencesPort
from hombi.hub.conditioning.port import ConditioningPort
from hombi.hub.kernel.journal_port import JournalPort
from hombi.hub.machine.keeping_port import KeepingPort
from hombi.hub.nodes.mqtt_accounts_port import MqttAccountsPort
from hombi.hub.nodes.pairing_port import PairingPort
from hombi.hub.nodes.port import HousePort
from hombi.hub.notices.port import NoticesPort
from hombi.hub.readings.port import HistoryPort
from hombi.hub.rooms.dashboards_port import DashboardsPort


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
    def mqtt_accounts(self) -> MqttAccountsPort: ...

    @property
    def keeping(self) -> KeepingPort: ...

    def copy_to(self, path: Path) -> None:
        """A whole copy of the database as it is at one moment, while writing goes on.
        Any thread may ask for it; `path` is a file that is not there."""

    def together(self) -> AbstractContextManager[None]:
        """What is done within is committed as one. Raises Busy while the disk does not
        take it."""
