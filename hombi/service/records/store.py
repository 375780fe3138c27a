"""The hub's records (`hombi.hub.ports.Records`) in the data folder's SQLite file."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator

from django.db import OperationalError, transaction

from hombi.hub.errors import Busy
from hombi.service.records.conditioning import DatabaseConditioning
from hombi.service.records.dashboards import DatabaseDashboards, DatabaseScenes
from hombi.service.records.history import DatabaseHistory
from hombi.service.records.house import DatabaseHouse
from hombi.service.records.others import (
    DatabaseAutomations,
    DatabaseJournal,
    DatabaseKeeping,
    DatabaseNotices,
    DatabasePairing,
    DatabaseTools,
)


class DatabaseRecords:
    """All ports on the ORM."""

    def __init__(self) -> None:
        self.pairing = DatabasePairing()
        self.house = DatabaseHouse(self.pairing)
        self.history = DatabaseHistory()
        self.conditioning = DatabaseConditioning()
        self.dashboards = DatabaseDashboards()
        self.scenes = DatabaseScenes()
        self.automations = DatabaseAutomations()
        self.journal = DatabaseJournal()
        self.notices = DatabaseNotices()
        self.tools = DatabaseTools()
        self.keeping = DatabaseKeeping()

    @contextlib.contextmanager
    def together(self) -> Iterator[None]:
        try:
            with transaction.atomic():
                yield
        except OperationalError as error:  # a full disk, a locked file
            raise Busy(str(error)) from error
