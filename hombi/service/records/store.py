"""The hub's records (`hombi.hub.records.Records`) in the data folder's SQLite file."""

from __future__ import annotations

import contextlib
import sqlite3
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings
from django.db import OperationalError, transaction

from hombi.hub.errors import Busy
from hombi.service.bridge import written
from hombi.service.data_folder import NEWEST
from hombi.service.records.conditioning import DatabaseConditioning
from hombi.service.records.dashboards import DatabaseDashboards, DatabaseScenes, DatabaseSequences
from hombi.service.records.history import DatabaseHistory
from hombi.service.records.house import DatabaseHouse
from hombi.service.records.newest.readings import Newest
from hombi.service.records.others import (
    DatabaseAutomations,
    DatabaseJournal,
    DatabaseKeeping,
    DatabaseMqttAccounts,
    DatabaseNotices,
    DatabasePairing,
)


class DatabaseRecords:
    """All ports on the ORM."""

    def __init__(self) -> None:
        self.pairing = DatabasePairing()
        self.house = DatabaseHouse(self.pairing)
        self.history = DatabaseHistory(Newest(settings.DATA / NEWEST))
        self.conditioning = DatabaseConditioning()
        self.dashboards = DatabaseDashboards()
        self.scenes = DatabaseScenes()
        self.sequences = DatabaseSequences()
        self.automations = DatabaseAutomations()
        self.journal = DatabaseJournal()
        self.notices = DatabaseNotices()
        self.mqtt_accounts = DatabaseMqttAccounts()
        self.keeping = DatabaseKeeping()

    def copy_to(self, path: Path) -> None:
        written(self.history.settle)
        # All of it in one step: the copy is of one moment, and no writer waits for it.
        source = f"file:{settings.DATABASES['default']['NAME']}?mode=ro"
        with (
            contextlib.closing(sqlite3.connect(source, uri=True)) as connection,
            contextlib.closing(sqlite3.connect(path)) as copy,
        ):
            connection.backup(copy)
            # It is a file by itself: without a log beside it, and without a database of
            # the newest readings whose rounds it would count.
            copy.execute("PRAGMA journal_mode=DELETE")
            copy.execute("PRAGMA user_version=0")

    @contextlib.contextmanager
    def together(self) -> Iterator[None]:
        try:
            with transaction.atomic():
                yield
        except OperationalError as error:  # a full disk, a locked file
            raise Busy(str(error)) from error
