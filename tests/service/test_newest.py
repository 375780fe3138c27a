"""Readings that are safe before they are in the house's database: what a crash, a
damaged page, a file of somebody else's or a full disk makes of them."""

from __future__ import annotations

import json
import os
import random
import resource
import sqlite3
import struct
import time
import zlib
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

import pytest

from hombi.hub.readings.port import Row
from hombi.hub.records import Records
from hombi.service.data_folder import FORMER_NEWEST, NEWEST
from tests.house import CLIMATE, Joined, Service, description, let_in, until
from tests.service.ports import database

if TYPE_CHECKING:
    from hombi.service.records.newest.readings import Newest

__all__ = ["database"]

FIRST: Row = (7, 1_000, 0, 20.5, 20.5, 0)
NOTHING: Row = (8, -5, 3, None, None, 24)


@pytest.fixture
def path(database: Callable[[], Records]) -> Iterator[Path]:
    from django.conf import settings

    database()
    yield settings.DATA / NEWEST
    for one in settings.DATA.glob(f"*{NEWEST}*"):
        one.rmdir() if one.is_dir() else one.unlink()


def opened(path: Path, taken: int = 0) -> Newest:
    """As after a kill: with a connection of its own."""
    from django.db import connections

    from hombi.service.records.newest.readings import Newest

    connections["newest"].close()
    newest = Newest(path)
    newest.open(taken)
    return newest


def many(count: int, start: int = 0) -> list[Row]:
    return [
        (1 + n % 9, start + n, 0, n / 7, None if n % 5 == 0 else n / 3, 0) for n in range(count)
    ]


def in_order(rows: list[Row]) -> list[Row]:
    return sorted(rows, key=lambda row: row[:2])


class TestDatabase:
    def test_what_was_added_is_there_after_a_crash(self, path: Path) -> None:
        newest, rows = opened(path), [FIRST, NOTHING, *many(700)]
        for at in range(0, len(rows), 31):
            assert newest.add(rows[at : at + 31])
        again = opened(path)
        assert again.rows() == in_order(rows)
        assert again.round == newest.round == 1
        assert path.stat().st_mode & 0o077 == 0 or os.umask(0o077) != 0o077

    def test_its_pages_are_small_and_each_commit_is_synced(self, path: Path) -> None:
        from django.db import connections

        assert opened(path).add([FIRST])
        with connections["newest"].cursor() as cursor:
            for pragma, value in (("page_size", 512), ("journal_mode", "wal"), ("synchronous", 2)):
                assert cursor.execute(f"PRAGMA {pragma}").fetchone() == (value,)

    def test_it_holds_so_many_and_no_more(self, path: Path) -> None:
        newest = opened(path)
        count = 0
        while newest.add(many(500, count)):
            count += 500
        assert count == 10_000
        newest.begin(1)
        assert newest.add([FIRST])
        for number in range(2, 40):
            newest.begin(number)
            assert newest.add(many(500))
        assert path.stat().st_size < 1_000_000, (
            "the place of rows that were taken over is used again"
        )

    def test_a_round_that_was_taken_over_does_not_come_again(self, path: Path) -> None:
        newest = opened(path)
        assert newest.add(many(300))
        assert opened(path, taken=1).rows() == [], "it was taken over, then the hub was killed"
        newest = opened(path, taken=1)
        assert newest.add([FIRST])
        assert opened(path, taken=1).rows() == [FIRST]

    def test_a_round_begins_once(self, path: Path) -> None:
        newest = opened(path)
        newest.add([FIRST])
        newest.begin(1)
        newest.add([NOTHING])
        newest.begin(1)
        assert (newest.round, newest.rows()) == (2, [NOTHING])

    def test_what_a_crash_left_and_what_came_after_it_are_both_there(self, path: Path) -> None:
        opened(path).add([FIRST])
        again = opened(path)
        assert again.add([NOTHING])
        assert opened(path).rows() == [FIRST, NOTHING]

    def test_rows_that_a_full_disk_kept_from_going_do_not_come_again(
        self, path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        from django.db import OperationalError

        newest = opened(path)
        newest.add([FIRST])

        def full() -> None:
            raise OperationalError("database or disk is full")

        with monkeypatch.context() as patch:
            patch.setattr(newest, "_rows", full)
            newest.begin(1)
        assert newest.add([NOTHING])
        assert newest.rows() == [NOTHING]
        assert opened(path, taken=1).rows() == [NOTHING]
        newest = opened(path, taken=1)
        newest.begin(2)
        with closing(sqlite3.connect(path)) as plain:
            assert plain.execute("SELECT count(*) FROM newest_newestreading").fetchone() == (0,)

    def test_a_damaged_page_costs_what_is_near_it_and_is_said(self, path: Path) -> None:
        newest, rows = opened(path), many(600)
        assert newest.add(rows)
        with closing(sqlite3.connect(path)) as plain:
            plain.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        content = path.read_bytes()
        chance = random.Random(3)
        lost = 0
        for _ in range(40):
            page = chance.randrange(3, len(content) // 512)
            damaged = bytearray(content)
            damaged[page * 512 : (page + 1) * 512] = chance.randbytes(512)
            opened(path)  # lets go of what the last one wrote
            for one in path.parent.glob(f"*{NEWEST}*"):
                one.unlink()
            path.write_bytes(damaged)
            again = opened(path)
            result = again.rows()
            assert set(result) <= set(rows)
            lost += len(result) < len(rows)
            if len(result) < len(rows):
                assert "is damaged" in again.lost
                assert str(len(result)) in again.lost
                assert (path.parent / f"damaged-{NEWEST}").exists()
                assert len(result) > 400
            assert again.add([FIRST])
            assert FIRST in opened(path).rows()
        assert lost > 10

    def test_bytes_of_another_program_are_no_readings(self, path: Path) -> None:
        chance = random.Random(5)
        for content in (
            b"",
            b"\0" * 4096,
            b"x",
            chance.randbytes(9_000),
            b"SQLite format 3\0" * 99,
        ):
            for one in path.parent.glob(f"*{NEWEST}*"):
                one.unlink()
            path.write_bytes(content)
            newest = opened(path, taken=4)
            assert (newest.rows(), newest.round) == ([], 5)
            assert newest.add([FIRST])
            assert opened(path, taken=4).rows() == [FIRST]

    def test_what_holds_readings_is_known_by_entity_and_time(self, path: Path) -> None:
        newest = opened(path)
        newest.add([(7, 500, 0, 1.0, 1.0, 0), (7, 400, 0, 1.0, 1.0, 0)])
        assert newest.holds(7, 401)
        assert not newest.holds(7, 400)
        assert not newest.holds(8, 900)
        newest.begin(1)
        assert not newest.holds(7, 900)

    @pytest.mark.parametrize("make", [Path.mkdir, os.mkfifo])
    def test_what_cannot_be_opened_takes_nothing(
        self, path: Path, make: Callable[[Path], None]
    ) -> None:
        make(path)
        newest = opened(path, taken=4)
        assert newest.round == 5, "it is not tried again"
        assert "cannot be used" in newest.lost, "what was in it is not taken for nothing"
        assert not newest.add([FIRST])

    def test_a_disk_that_fails_takes_nothing_and_goes_on_afterwards(
        self, path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        from django.db import OperationalError

        newest = opened(path)
        assert newest.add([FIRST])

        def fail(_: object) -> None:
            raise OperationalError("disk I/O error")

        with monkeypatch.context() as patch:
            patch.setattr(newest, "_store", fail)
            assert not newest.add([NOTHING])
        assert newest.rows() == [FIRST]
        assert newest.add([NOTHING])
        assert opened(path).rows() == [FIRST, NOTHING]

    def test_a_disk_that_is_full_at_the_end_of_a_commit_leaves_nothing_behind(
        self, path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        from django.db import OperationalError, connections

        newest = opened(path)

        def full() -> None:
            raise OperationalError("database or disk is full")

        with monkeypatch.context() as patch:
            patch.setattr(connections["newest"], "_commit", full)
            assert not newest.add([FIRST])
        assert not newest.has_any([FIRST])
        assert not newest.holds(FIRST[0], FIRST[1] + 1)
        assert newest.add([FIRST, NOTHING])
        assert opened(path).rows() == [FIRST, NOTHING]

    def test_a_disk_that_can_no_longer_be_read_loses_nothing_of_this_run(self, path: Path) -> None:
        newest = opened(path)
        assert newest.add([FIRST])
        from django.db import connections

        connections["newest"].close()
        for one in path.parent.glob(f"{NEWEST}*"):
            one.write_bytes(b"spoilt by the damp of the cellar" * 99)
        assert newest.rows() == [FIRST]
        assert not newest.add([NOTHING]), "that goes to the house's database"
        newest.begin(1)
        assert newest.rows() == []

    def test_a_missing_database_is_said_where_the_hub_ran_before(self, path: Path) -> None:
        assert opened(path).lost == ""
        path.unlink()
        assert "is missing" in opened(path, taken=3).lost

    def test_a_quality_of_another_version_is_no_reading(self, path: Path) -> None:
        newest = opened(path)
        assert newest.add([(1, 1, 0, 5.0, 5.0, 99), (1, 2, 0, 6.0, 6.0, 0)])
        assert [row[:2] for row in opened(path).rows()] == [(1, 2)]


class TestFileOfBefore:
    """What a killed hub of version 0.3 left in `newest.readings`."""

    @staticmethod
    def sector(number: int, place: int, *rows: Row) -> bytes:
        packed = b"".join(
            struct.pack("<qqhddh", *(float("nan") if value is None else value for value in row))
            for row in rows
        )
        about = struct.pack("<QHHH", number, 512, place, len(rows))
        check = struct.pack("<4sI", b"HmR1", zlib.crc32(about + packed))
        return (check + about + packed).ljust(512, b"\0")

    def test_its_last_round_is_taken_over_once(self, path: Path) -> None:
        former = path.with_name(FORMER_NEWEST)
        former.write_bytes(
            self.sector(4, 0, FIRST) + self.sector(4, 1, NOTHING) + self.sector(3, 2, *many(3))
        )
        newest = opened(path, taken=3)
        assert newest.rows() == [FIRST, NOTHING]
        assert newest.lost == ""
        assert not former.exists()
        assert opened(path, taken=3).rows() == [FIRST, NOTHING], "they are safe where they are now"
        assert opened(path, taken=4).rows() == []

    def test_what_was_taken_over_before_is_not_taken_again(self, path: Path) -> None:
        former = path.with_name(FORMER_NEWEST)
        former.write_bytes(self.sector(4, 0, FIRST))
        assert opened(path, taken=4).rows() == []
        assert not former.exists()

    def test_a_torn_sector_costs_what_is_in_it_alone(self, path: Path) -> None:
        former, chance = path.with_name(FORMER_NEWEST), random.Random(3)
        rows: list[Row] = [(1, n, 0, 1.0, 1.0, 0) for n in range(20)]
        content = b"".join(self.sector(1, place, row) for place, row in enumerate(rows))
        for _ in range(100):
            torn, at = bytearray(content), chance.randrange(20 * 512)
            torn[at] ^= 1 << chance.randrange(8)
            former.write_bytes(torn)
            newest = opened(path)
            assert len(newest.rows()) in (19, 20)
            assert set(rows) - set(newest.rows()) <= {rows[at // 512]}
            newest.begin(1)
            path.unlink()


# Through the hub


@pytest.fixture
def service(own_service: Service) -> Service:
    own_service.start().sign_in_first()
    return own_service


@pytest.fixture
def rack(service: Service) -> Joined:
    return let_in(service, description("Cellar rack", **CLIMATE))


def stored(service: Service) -> list[float]:
    with closing(sqlite3.connect(service.data / "hub.sqlite3")) as result:
        return [
            row[0] for row in result.execute("SELECT value FROM records_reading ORDER BY at_ms")
        ]


def sent(rack: Joined, *values: float) -> None:
    for value in values:
        rack.post([{"n": "humidity", "v": value}])


def test_a_killed_hub_goes_on_with_what_was_only_safe(service: Service, rack: Joined) -> None:
    sent(rack, 70, 71, 72)
    service.kill()
    assert stored(service) == [], "they were on the disk, and not in the database"
    service.start()
    assert stored(service) == [70, 71, 72]
    with service.hub() as hub:
        assert hub.entities.get("cellar-rack/humidity").value == 72
    service.kill()
    service.start()
    assert stored(service) == [70, 71, 72]


def test_who_looks_at_the_past_sees_what_came_a_moment_ago(service: Service, rack: Joined) -> None:
    sent(rack, 70)
    now = round(time.time() * 1000) - 1_000
    with service.hub() as hub:
        for value in range(71, 76):
            sent(rack, value)
            result = hub.entities.readings("cellar-rack/humidity", start=now, end=now + 60_000)
            assert list(result)[-1].value == value


def test_a_hub_that_stops_leaves_all_in_the_database(service: Service, rack: Joined) -> None:
    sent(rack, 70, 71)
    service.stop()
    assert stored(service) == [70, 71]
    (service.data / NEWEST).unlink()
    service.start()
    sent(rack, 72)
    service.kill()
    service.start()
    assert stored(service) == [70, 71, 72]
    sent(rack, 73)
    with service.hub() as hub:
        hub.nodes.remove("cellar-rack", keep_history=False)
    service.kill()
    service.start()
    assert stored(service) == [], "what was deleted stays deleted"


def test_a_backup_has_what_came_a_moment_ago(
    service: Service, rack: Joined, tmp_path: Path
) -> None:
    sent(rack, 70, 71)
    made = service.hombi("backup", str(tmp_path / "now.backup"))
    assert made.returncode == 0, made.stderr
    sent(rack, 99)
    service.kill()
    back = service.hombi("restore", str(tmp_path / "now.backup"), "--yes")
    assert back.returncode == 0, back.stderr
    service.start()
    assert stored(service) == [70, 71], "nothing of the house before is left"
    with service.hub() as hub:
        missed = [entry.text for entry in hub.journal() if NEWEST in entry.text]
    assert missed == [], "a backup has all of its readings: nothing is missing beside it"


def test_a_salvage_keeps_what_was_only_safe(service: Service, rack: Joined) -> None:
    sent(rack, 70)
    service.stop()
    service.start()
    sent(rack, 71, 72)
    service.kill()
    done = service.hombi("salvage", "--yes")
    assert done.returncode == 0, done.stderr
    service.start()
    assert stored(service) == [70, 71, 72]


def test_a_full_disk_is_told_though_they_are_safe(service: Service, rack: Joined) -> None:
    sent(rack, 70)
    assert service.process is not None
    before = resource.prlimit(service.process.pid, resource.RLIMIT_FSIZE)
    resource.prlimit(service.process.pid, resource.RLIMIT_FSIZE, (512 << 10, before[1]))
    try:
        with rack.connected() as client, service.hub() as hub:
            for n in range(40):
                rack.publish(client, [{"n": "humidity", "v": 10 + n}])
            assert until(lambda: hub.entities.get("cellar-rack/humidity").value == 49)
    finally:
        resource.prlimit(service.process.pid, resource.RLIMIT_FSIZE, before)
    service.kill()
    service.start()
    assert len(stored(service)) == 41
    # Without a place for them, they go to the database.
    service.stop()
    (service.data / NEWEST).unlink()
    (service.data / NEWEST).mkdir()
    service.start()
    sent(rack, 90)
    assert stored(service)[-1] == 90


def test_a_damaged_database_is_journaled_and_the_rest_is_there(own_service: Service) -> None:
    own_service.start()
    own_service.sign_in_first()
    rack = let_in(own_service, description("Cellar rack", **CLIMATE))
    now = round(time.time()) - 100
    for n in range(60):
        assert rack.post([{"n": "humidity", "v": n, "t": now + n}]).is_success
    own_service.kill()
    file = own_service.data / NEWEST
    with closing(sqlite3.connect(file)) as plain:
        plain.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    content = bytearray(file.read_bytes())
    content[-1024:-512] = b"\x55" * 512
    file.write_bytes(content)
    own_service.start()
    with own_service.hub() as hub:
        kept = {r.value for r in hub.entities.readings("cellar-rack/humidity", 0)}
        assert 30 <= len(kept) < 60
        assert until(lambda: any("is damaged" in e.text for e in hub.journal()))
        assert rack.post([{"n": "humidity", "v": 77}]).is_success
        assert hub.entities.get("cellar-rack/humidity").value == 77
    own_service.kill()
    own_service.start()
    assert stored(own_service)[-1] == 77


def test_readings_that_stream_are_gathered(service: Service, rack: Joined) -> None:
    """Two hundred readings a second make few commits."""
    file = service.data / f"{NEWEST}-wal"
    with rack.connected() as client:
        begun = time.monotonic()
        for n in range(400):
            pack = json.dumps([{"n": "humidity", "v": 10 + n % 80}])
            client.publish(rack.topics["readings"], pack, qos=1)
            time.sleep(max(0.0, begun + n / 200 - time.monotonic()))
        with service.hub() as hub:
            assert until(lambda: hub.house().readings_committed >= 400)
    with closing(sqlite3.connect(f"file:{service.data / NEWEST}?mode=ro", uri=True)) as plain:
        assert plain.execute("SELECT count(*) FROM newest_newestreading").fetchone()[0] == 400
    # A commit takes a frame of 536 bytes at least.
    assert file.stat().st_size < 400 * 536 / 2
