"""The newest readings: safe in a database of their own before they are in the house's.

The house's database has pages of 4,096 bytes, and keeps the readings of an entity
together: to commit one reading costs 8.3 kB, and a memory card wears out by that. Here
the pages have 512 bytes and a reading is added at the end, which costs 4.7 kB or less;
the house's database takes them over later, many at a time.

They come in rounds. The house's database notes the last round that it took over, in the
transaction in which it does so. After a crash, readings of a later round are taken
over; those of a noted one are there, or were deleted since.
"""

from __future__ import annotations

import contextlib
import logging
from collections.abc import Sequence
from operator import itemgetter
from pathlib import Path

from django.db import DatabaseError, OperationalError, connections, transaction
from django.db.models import QuerySet

from hombi.core.quality import Quality
from hombi.hub.readings.port import Row
from hombi.service.data_folder import FORMER_NEWEST
from hombi.service.records.newest import former_file
from hombi.service.records.newest.models import ALIAS, NewestReading
from hombi.service.records.queries import ADD_NEWEST

log = logging.getLogger(__name__)

# So many are held at most: half a megabyte.
MOST = 10_000
KNOWN = frozenset(map(int, Quality))
FIELDS = ("entity", "at_ms", "channel", "sent", "value", "quality")


class Newest:
    """Readings on their way into the house's database.

    Called in the records thread alone, but for `holds`.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._usable = False
        # They are also kept here: a disk that can no longer be read loses none of them.
        self._held: list[Row] = []
        self._oldest: dict[int, int] = {}
        self._times: set[tuple[int, int]] = set()
        self.round = 0
        # What of it could not be read, in words.
        self.lost = ""

    def open(self, taken: int) -> None:
        """Look for what the house's database, which took over all rounds up to `taken`,
        does not have yet. Where this database cannot be used, `add` takes nothing."""
        self.round = taken + 1
        former = self._path.with_name(FORMER_NEWEST)
        if taken and not self._path.exists() and not former.is_file():
            self.lost = (
                f"{self._path.name} is missing; readings of the last seconds before the stop "
                "may be lost"
            )
        try:
            left = self._left(taken)
            if former.is_file():
                number, rows = former_file.read(former.read_bytes())
                left += rows if number > taken else []
            with transaction.atomic(using=ALIAS):
                self._rows().delete()
                self._store(left)
            self._hold(left)
            former.unlink(missing_ok=True)
            self._usable = True
        except (DatabaseError, OSError) as error:
            connections[ALIAS].close()
            self.lost = (
                f"{self._path.name} cannot be used ({error}): readings of the last seconds before "
                "the stop may be missing; new ones are safe in the house's database"
            )
            log.warning("%s", self.lost)

    def add(self, rows: Sequence[Row]) -> bool:
        """Have these on the disk; or False, if they do not go in."""
        if not self._usable or len(self._held) + len(rows) > MOST:
            return False
        try:
            with transaction.atomic(using=ALIAS):
                self._store(rows)
        except DatabaseError as error:
            log.warning("%s cannot be written (%s); readings go to the database", self._path, error)
            return False
        self._hold(rows)
        return True

    def rows(self) -> list[Row]:
        """All of this round, by entity and time: those of one entity lie together in
        the house's database."""
        return sorted(self._held, key=itemgetter(0, 1))

    def has_any(self, rows: Sequence[Row]) -> bool:
        """Whether one of these is here, by its entity and time."""
        return not self._times.isdisjoint(row[:2] for row in rows)

    def holds(self, entity: int, end_ms: float) -> bool:
        """Whether readings of an entity from before a moment are here, and perhaps not
        in the house's database."""
        oldest = self._oldest.get(entity)
        return oldest is not None and oldest < end_ms

    def begin(self, after: int) -> None:
        """The house's database has all of this round: begin another."""
        if self.round != after:
            return
        self.round = after + 1
        self._held, self._oldest, self._times = [], {}, set()
        # On a full disk they stay until the next time: their round is noted.
        with contextlib.suppress(DatabaseError):
            self._rows().filter(round__lte=after).delete()

    def _store(self, rows: Sequence[Row]) -> None:
        with connections[ALIAS].cursor() as cursor:
            cursor.executemany(ADD_NEWEST, [(self.round, *row) for row in rows])

    def _hold(self, rows: Sequence[Row]) -> None:
        self._held += rows
        oldest = self._oldest
        for entity, at_ms, *_ in rows:
            self._times.add((entity, at_ms))
            if at_ms < oldest.get(entity, at_ms + 1):
                oldest[entity] = at_ms

    def _rows(self) -> QuerySet[NewestReading]:
        return NewestReading.objects.using(ALIAS)

    def _left(self, taken: int) -> list[Row]:
        """The readings of rounds after `taken`; of a damaged database, what can still
        be read. Raises OperationalError, OSError."""
        try:
            rows = self._made_and_read(taken)
        except OperationalError:  # it cannot be opened, or its disk is full
            raise
        except DatabaseError as error:
            rows = self._rescued(taken, error)
            self._made_and_read(taken)
        # A quality that this version does not know says nothing of its value.
        return [row for row in rows if row[-1] in KNOWN]

    def _made_and_read(self, taken: int) -> list[Row]:
        """Raises DatabaseError for what is not whole."""
        connection = connections[ALIAS]
        with connection.cursor() as cursor:
            (problem,) = cursor.execute("PRAGMA quick_check(1)").fetchone()
            if problem != "ok":
                raise DatabaseError(problem)
        if not connection.introspection.table_names():
            with connection.schema_editor() as schema:
                schema.create_model(NewestReading)
        return list(self._rows().filter(round__gt=taken).values_list(*FIELDS))

    def _rescued(self, taken: int, error: DatabaseError) -> list[Row]:
        """What can be read of a damaged database, from both its ends; it is moved
        aside."""
        rows: dict[int, Row] = {}
        for order in ("pk", "-pk"):
            with contextlib.suppress(DatabaseError):
                later = self._rows().filter(round__gt=taken).order_by(order)
                for number, *row in later.values_list("pk", *FIELDS).iterator(1):
                    rows[number] = tuple(row)
        connections[ALIAS].close()
        aside = f"damaged-{self._path.name}"
        for path in sorted(self._path.parent.glob(f"{self._path.name}*")):
            path.replace(path.with_name(path.name.replace(self._path.name, aside)))
        self.lost = (
            f"{self._path.name} is damaged ({error}), and is kept as {aside}: {len(rows)} of the "
            "readings of the last seconds before the stop could be read, others may be lost"
        )
        return [row for _, row in sorted(rows.items())]
