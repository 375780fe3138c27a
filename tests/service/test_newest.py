"""Readings that are safe before they are in the database: what a crash, a torn write, a
file of somebody else's or a full disk makes of them."""

from __future__ import annotations

import os
import random
import resource
import sqlite3
import struct
import time
from contextlib import closing
from pathlib import Path

import pytest

from hombi.hub.readings.port import Row
from hombi.service.records.newest import MAGIC, SIZE, Newest
from tests.house import CLIMATE, Joined, Service, description, let_in, until

FIRST: Row = (7, 1_000, 0, 20.5, 20.5, 0)
NOTHING: Row = (8, -5, 3, None, None, 24)


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "newest.readings"


def opened(path: Path, taken: int = 0) -> Newest:
    newest = Newest(path)
    newest.open(taken)
    return newest


def many(count: int, start: int = 0) -> list[Row]:
    return [
        (1 + n % 9, start + n, 0, n / 7, None if n % 5 == 0 else n / 3, 0) for n in range(count)
    ]


class TestFile:
    def test_what_was_added_is_there_after_a_crash(self, path: Path) -> None:
        newest, rows = opened(path), [FIRST, NOTHING, *many(700)]
        for at in range(0, len(rows), 31):
            assert newest.add(rows[at : at + 31])
        again = opened(path)
        assert again.rows == newest.rows == rows
        assert again.round == newest.round == 1

    def test_its_size_never_changes(self, path: Path) -> None:
        newest = opened(path)
        assert path.stat().st_size == SIZE
        while newest.add(many(100)):
            pass
        assert path.stat().st_size == SIZE
        newest.begin(1)
        assert newest.add([FIRST])
        assert path.stat().st_size == SIZE
        assert path.stat().st_mode & 0o077 == 0

    def test_a_round_that_was_taken_over_does_not_come_again(self, path: Path) -> None:
        newest = opened(path)
        assert newest.add(many(300))
        newest.begin(1)
        assert opened(path, taken=1).rows == [], "it was taken over, then the hub was killed"
        assert newest.add([FIRST])
        assert opened(path, taken=1).rows == [FIRST], "what lies behind is of the round before"
        assert opened(path, taken=0).rows == [FIRST]

    def test_a_round_begins_once(self, path: Path) -> None:
        newest = opened(path)
        newest.add([FIRST])
        newest.begin(1)
        newest.add([NOTHING])
        newest.begin(1)
        assert (newest.round, newest.rows) == (2, [NOTHING])

    def test_until_it_is_taken_over_what_a_crash_left_is_not_written_over(self, path: Path) -> None:
        opened(path).add([FIRST])
        again = opened(path)
        assert not again.add([NOTHING]), "that goes into the database with it"
        assert opened(path).rows == [FIRST]
        again.begin(again.round)
        assert again.add([NOTHING])

    def test_a_torn_sector_costs_what_is_in_it_alone(self, path: Path) -> None:
        newest = opened(path)
        for n in range(20):
            assert newest.add([(1, n, 0, 1.0, 1.0, 0)])
        content = bytearray(path.read_bytes())
        chance = random.Random(3)
        for _ in range(200):
            torn, at = bytearray(content), chance.randrange(20 * 512)
            torn[at] ^= 1 << chance.randrange(8)
            path.write_bytes(torn)
            result = opened(path).rows
            sector = at // 512
            assert result[:sector] == newest.rows[:sector]
            # Behind a reading, a sector is empty: what is there does not count.
            assert len(result) in (19, 20)
            assert result[-19 + sector :] == newest.rows[-19 + sector :] or sector == 19
            path.write_bytes(content)

    def test_bytes_of_another_program_are_no_readings(self, path: Path) -> None:
        chance = random.Random(5)
        for content in (
            b"",
            b"\0" * SIZE,
            b"x",
            MAGIC,
            MAGIC * (SIZE // 4),
            chance.randbytes(SIZE),
            MAGIC + struct.pack("<IQHHH", 0, 1, 0, 0, 0) + bytes(SIZE - 22),
            MAGIC + struct.pack("<IQHHH", 0, 2**64 - 1, 512, 0, 65_535) + bytes(SIZE),
        ):
            path.write_bytes(content)
            newest = opened(path, taken=4)
            assert (newest.rows, newest.round) == ([], 5)
            assert newest.add([FIRST])
            assert opened(path, taken=4).rows == [FIRST]

    def test_what_holds_readings_is_known_by_entity_and_time(self, path: Path) -> None:
        newest = opened(path)
        newest.add([(7, 500, 0, 1.0, 1.0, 0), (7, 400, 0, 1.0, 1.0, 0)])
        assert newest.holds(7, 401)
        assert not newest.holds(7, 400)
        assert not newest.holds(8, 900)
        newest.begin(1)
        assert not newest.holds(7, 900)

    def test_one_that_cannot_be_used_takes_nothing(self, path: Path) -> None:
        path.mkdir()
        newest = opened(path, taken=4)
        assert newest.round == 5, "it is not tried again"
        assert not newest.add([FIRST])

    def test_a_disk_that_fails_takes_nothing_more(
        self, path: Path, monkeypatch: pytest.MonkeyPatch
    ) -> None:
        newest = opened(path)
        assert newest.add([FIRST])

        def fail(*_: object) -> int:
            raise OSError(5, "the disk of the mill is wet")

        monkeypatch.setattr(os, "pwrite", fail)
        assert not newest.add([NOTHING])
        monkeypatch.undo()
        assert not newest.add([NOTHING])
        assert newest.rows == [FIRST]


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
    (service.data / "newest.readings").unlink()
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
    resource.prlimit(service.process.pid, resource.RLIMIT_FSIZE, (SIZE, before[1]))
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
    (service.data / "newest.readings").unlink()
    (service.data / "newest.readings").mkdir()
    service.start()
    sent(rack, 90)
    assert stored(service)[-1] == 90


def test_a_bad_sector_costs_its_own_readings_and_is_said(path: Path) -> None:
    newest = opened(path)
    sector = newest._sector
    for start in range(0, 60, 5):
        assert newest.add(many(5, start))
    whole = len(newest.rows)
    newest.close()
    content = bytearray(path.read_bytes())
    for bad in (0, 2):  # the first one, and one within
        content[bad * sector : (bad + 1) * sector] = b"\xaa" * sector
    path.write_bytes(content)
    again = opened(path)
    assert whole > len(again.rows) == whole - 2 * 5
    assert "2 of the sectors" in again.lost
    assert again.round == newest.round


def test_a_missing_file_is_said_where_the_hub_ran_before(path: Path) -> None:
    assert opened(path).lost == ""
    path.unlink()
    assert "is missing" in opened(path, taken=3).lost


def test_a_pipe_in_its_place_is_not_read(path: Path) -> None:
    os.mkfifo(path)
    newest = Newest(path)
    newest.open(0)
    assert not newest.add(many(3))


def test_a_quality_of_another_version_is_no_reading(path: Path) -> None:
    newest = opened(path)
    assert newest.add([(1, 1, 0, 5.0, 5.0, 99), (1, 2, 0, 6.0, 6.0, 0)])
    newest.close()
    assert [row[:2] for row in opened(path).rows] == [(1, 2)]


def test_a_lost_sector_is_journaled_and_the_rest_is_there(own_service: Service) -> None:
    own_service.start()
    own_service.sign_in_first()
    rack = let_in(own_service, description("Cellar rack", **CLIMATE))
    now = round(time.time()) - 100
    for n in range(60):
        assert rack.post([{"n": "humidity", "v": n, "t": now + n}]).is_success
    own_service.kill()
    file = own_service.data / "newest.readings"
    content = bytearray(file.read_bytes())
    content[512 * 20 : 512 * 21] = b"\x55" * 512
    file.write_bytes(content)
    own_service.start()
    with own_service.hub() as hub:
        kept = {r.value for r in hub.entities.readings("cellar-rack/humidity", 0)}
        assert 50 <= len(kept) < 60
        assert 59 in kept, "what came after it is there"
        until(lambda: any("cannot be read" in e.text for e in hub.journal()))
        assert rack.post([{"n": "humidity", "v": 77}]).is_success
        assert hub.entities.get("cellar-rack/humidity").value == 77
