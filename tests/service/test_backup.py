"""On the day something breaks: backups of a hub that runs, on another machine, and
damaged ones; what is read of a damaged database; updates that fail."""

from __future__ import annotations

import gzip
import hashlib
import io
import itertools
import json
import os
import random
import shutil
import sqlite3
import subprocess
import sys
import tarfile
import time
import tracemalloc
from collections.abc import Iterator, Sequence
from contextlib import closing
from pathlib import Path

import msgspec
import pytest

from hombi.hub.backup.archive import About, BackupError, hashed, pack, unpack
from hombi.hub.backup.feature import Backups, next_ms
from hombi.hub.errors import Busy
from hombi.hub.kernel import Context
from hombi.hub.settings.config import make_config
from hombi.service.data_folder import DataError, prepare
from hombi.service.restoring import restore
from tests.conftest import make_service
from tests.house import CLIMATE, OWNER, PASSWORD, PLUG, Joined, Service, description, let_in, until
from tests.hub.parts import ManualClock
from tests.memory import MemoryRecords

SECRET = "geese over the weir"

# How many databases are spoilt at random; `make soak` spoils more.
SPOILT = int(os.environ.get("SPOILT", "2"))


@pytest.fixture(scope="module")
def service(tmp_path_factory: pytest.TempPathFactory, empty_database: Path) -> Iterator[Service]:
    data = tmp_path_factory.mktemp("hub")
    shutil.copy(empty_database, data)
    result = make_service(data)
    result.start().sign_in_first()
    yield result
    result.kill()


@pytest.fixture(scope="module")
def house(service: Service) -> Joined:
    """A node with some past, an automation, a mail address."""
    rack = let_in(service, description("Cellar rack", **CLIMATE))
    let_in(service, description("Cellar mister", **PLUG))
    with service.hub() as hub:
        hub.automations.add(
            'name = "Dry"\n[watch]\nentity = "cellar-rack/humidity"\nunder = "82 %"\n'
            '[[starts]]\nnotify = "everyone"\ntitle = "Dry"\n'
        )
        hub.contacts.add("mail", "ada@mill.example", "mail")
    now = time.time()
    past = [{"n": "humidity", "v": 84 + n % 7 / 10, "t": now - n * 60} for n in range(900)]
    assert rack.post(past).is_success
    return rack


@pytest.fixture(scope="module")
def backup(service: Service, house: Joined, tmp_path_factory: pytest.TempPathFactory) -> Path:
    file = tmp_path_factory.mktemp("away") / "mill.backup"
    made = service.hombi("backup", str(file), "--passphrase", SECRET)
    assert made.returncode == 0, made.stderr
    assert file.stat().st_mode & 0o077 == 0
    return file


def test_a_backup_is_restored_on_a_new_machine_and_the_nodes_go_on(
    service: Service, house: Joined, backup: Path, tmp_path: Path
) -> None:
    said = service.hombi("backup", "check", str(backup), "--passphrase", SECRET)
    assert said.returncode == 0, said.stderr
    assert "Test house" in said.stdout
    assert "2 nodes" in said.stdout
    # Whatever is not sealed is not in it.
    content = backup.read_bytes()
    assert b"cellar-rack" not in content
    assert b"SQLite" not in content
    new = make_service(tmp_path / "new", HOMBI_HTTPS_USE="false")
    wrong = new.hombi("restore", str(backup), "--yes", "--passphrase", "another")
    assert wrong.returncode == 1
    assert "passphrase is another" in wrong.stderr
    assert not (new.data / "hub.sqlite3").exists()
    done = new.hombi("restore", str(backup), "--yes", "--passphrase", SECRET)
    assert done.returncode == 0, done.stderr
    assert "Wi-Fi: nodes find the hub as hombi.local" in done.stdout
    service.kill()  # the old machine is gone
    new.start()
    try:
        moved = Joined(new, house.node, house.key, house.topics)
        assert moved.post([{"n": "humidity", "v": 77.5}]).is_success
        with new.hub() as hub:
            assert until(lambda: hub.entities.get("cellar-rack/humidity").value) == 77.5
            assert until(lambda: hub.automations.get("dry").phase) == "on"
            assert [one.contact for one in hub.contacts.list()] == ["ada/mail"]
            assert hub.sign_in(OWNER, PASSWORD).username == OWNER
        # A second one: what is there is moved aside, and not while the hub runs.
        busy = new.hombi("restore", str(backup), "--yes", "--passphrase", SECRET)
        assert "another hub" in busy.stderr
        new.stop()
        again = new.hombi("restore", str(backup), "--yes", "--passphrase", SECRET)
        assert again.returncode == 0, again.stderr
        (aside,) = new.data.glob("before-restore-*")
        assert (aside / "hub.sqlite3").exists()
    finally:
        new.kill()
        service.start()


def test_a_backup_that_was_changed_anywhere_is_refused(backup: Path, tmp_path: Path) -> None:
    content, chance = backup.read_bytes(), random.Random(11)
    broken = tmp_path / "broken.backup"
    for _ in range(40):
        at = chance.randrange(16, len(content))
        broken.write_bytes(content[:at] + bytes((content[at] ^ 1,)) + content[at + 1 :])
        with pytest.raises(BackupError):
            unpack(broken, SECRET)
    for length in (0, 5, 16, 40, len(content) // 2, len(content) - 1):
        broken.write_bytes(content[:length])
        with pytest.raises(BackupError):
            unpack(broken, SECRET)
    piece = 64 * 1024 + 16
    if len(content) > 39 + 2 * piece:  # two pieces put for each other
        a, b = content[39 : 39 + piece], content[39 + piece : 39 + 2 * piece]
        broken.write_bytes(content[:39] + b + a + content[39 + 2 * piece :])
        with pytest.raises(BackupError):
            unpack(broken, SECRET)
    broken.write_bytes(content + b"more")
    with pytest.raises(BackupError):
        unpack(broken, SECRET)


def test_an_open_one_that_was_changed_is_refused_too(tmp_path: Path) -> None:
    # Nothing in it repeats: else another way of packing may say the same.
    (tmp_path / "hub.sqlite3").write_bytes(random.Random(3).randbytes(40_000))
    file, broken = tmp_path / "open.backup", tmp_path / "broken.backup"
    held = hashed("hub.sqlite3", tmp_path / "hub.sqlite3")
    about = About(1, "0.3.0", "Heron Mill", 1, {}, {}, (held,))
    pack(file, about, {"hub.sqlite3": tmp_path / "hub.sqlite3"})
    assert unpack(file) == about
    content = file.read_bytes()
    # The first ten bytes are gzip's head, of which most says nothing.
    for at in range(10, len(content), 97):
        broken.write_bytes(content[:at] + bytes((content[at] ^ 4,)) + content[at + 1 :])
        into = tmp_path / f"into-{at}"
        into.mkdir()
        try:
            unpack(broken, into=into)
        except BackupError:
            continue
        # A few bits may be packed in another way, and say the same.
        assert (into / "hub.sqlite3").read_bytes() == (tmp_path / "hub.sqlite3").read_bytes()


@pytest.mark.parametrize("name", ["../outside", "/etc/outside", "a/../../outside"])
def test_a_file_in_a_backup_leads_nowhere_else(tmp_path: Path, name: str) -> None:
    (tmp_path / "x").write_text("x")
    held = hashed(name, tmp_path / "x")
    pack(tmp_path / "b", About(1, "0", "", 1, {}, {}, (held,)), {name: tmp_path / "x"})
    (tmp_path / "into").mkdir()
    with pytest.raises(BackupError, match=r"leads out of the folder|does not list"):
        unpack(tmp_path / "b", into=tmp_path / "into")
    assert [one.name for one in tmp_path.iterdir()] == ["x", "b", "into"] or not (
        tmp_path / "outside"
    ).exists()


class Copying(MemoryRecords):
    """Records that have a file."""

    def __init__(self, database: Path) -> None:
        super().__init__()
        self.database = database

    def copy_to(self, path: Path) -> None:
        shutil.copy(self.database, path)


def stopped_at(rename: int, data: Path, file: Path) -> bool:
    """Restore in a process of its own, which ends as by a power cut when it moves that
    file; whether it came so far."""
    child = os.fork()
    if child == 0:
        moves, real = itertools.count(), Path.rename

        def cut(path: Path, target: Path) -> Path:
            if next(moves) == rename:
                os._exit(9)
            return real(path, target)

        Path.rename = cut  # type: ignore[method-assign, assignment]
        try:
            restore(data, file, SECRET)
        finally:
            os._exit(0)
    return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 9


def test_a_restore_that_is_cut_off_anywhere_leaves_no_new_and_empty_house(
    backup: Path, tmp_path: Path
) -> None:
    held = {file.name for file in unpack(backup, SECRET).files}
    came, refused = 0, 0
    while True:
        data = tmp_path / str(came)
        restore(data, backup, SECRET)
        (data / "hub.sqlite3-wal").touch()
        if not stopped_at(came, data, backup):
            break
        came += 1
        if (data / "hub.sqlite3").exists():
            prepare(data)
            assert all((data / one).exists() for one in held)
        else:
            refused += 1
            with pytest.raises(DataError, match=r"a restore of .* run `hombi restore` again"):
                prepare(data)
        restore(data, backup, SECRET)
        prepare(data)
        assert all((data / one).exists() for one in held)
        assert not (data / "hub.sqlite3-wal").exists(), "another database's log"
        assert not list(data.glob(".making-*"))
    assert came >= 2 * len(held)
    assert refused >= len(held)


async def test_the_nights_backups_are_proved_and_the_oldest_go(
    tmp_path: Path, empty_database: Path
) -> None:
    clock, share = ManualClock(), tmp_path / "share"
    context = Context.fresh(clock, Copying(empty_database))
    config = make_config(tmp_path, {"backup": {"folder": str(share), "keep": 2}}, [])
    backups = Backups(context, config)
    assert not await backups.nightly()
    assert "is the share mounted?" in backups.problem
    assert not share.exists(), "a share that is not mounted is not filled in its place"
    share.mkdir()
    for _ in range(3):
        clock.now += 86_400_000
        assert await backups.nightly()
    names = sorted(one.name for one in share.iterdir())
    assert len(names) == 2
    assert unpack(share / names[-1]).counts["nodes"] == 0
    assert backups.problem == ""
    assert backups.checks()[0].state == "ok"
    clock.now += 4 * 86_400_000
    assert backups.checks()[0].state == "warning"
    # A damaged database is not a backup.
    damaged = tmp_path / "damaged.sqlite3"
    content = bytearray(empty_database.read_bytes())
    content[4096 * 3 : 4096 * 6] = b"\xff" * 4096 * 3
    damaged.write_bytes(content)
    context.records.database = damaged  # type: ignore[attr-defined]
    clock.now += 60_000
    assert not await backups.nightly()
    assert "damaged" in backups.problem
    assert sorted(one.name for one in share.iterdir()) == names
    assert not list(tmp_path.glob(".making-*"))
    with pytest.raises(Busy):
        MemoryRecords().copy_to(tmp_path / "x")
    context.thread.close()


def test_the_night_begins_when_the_clock_of_the_house_says_so() -> None:
    zone = make_config(Path(), {"house": {"time_zone": "Europe/Berlin"}}, []).zone
    before = 1_800_000_000_000  # 2027-01-15 09:00 in Berlin
    due = next_ms(before, 3 * 60 + 30, zone)
    assert (due - before) / 3_600_000 == 18.5
    assert next_ms(due, 3 * 60 + 30, zone) - due == 86_400_000
    assert next_ms(due - 1, 3 * 60 + 30, zone) == due


def damage(database: Path, table: str, where: float = 0.5) -> tuple[int, int]:
    """Overwrite one page of a table; how many rows the table had, and how many of them
    that page."""
    with closing(sqlite3.connect(database)) as whole:
        pages = whole.execute(
            "SELECT pageno, ncell FROM dbstat WHERE name = ? AND pagetype = 'leaf' ORDER BY path",
            (table,),
        ).fetchall()
        rows = whole.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
    assert len(pages) > 4
    page, lost = pages[int((len(pages) - 1) * where)]
    content = bytearray(database.read_bytes())
    content[(page - 1) * 4096 : page * 4096] = random.Random(7).randbytes(4096)
    database.write_bytes(content)
    return int(rows), int(lost)


def test_a_damaged_database_is_told_with_the_way_out_and_can_be_salvaged(
    service: Service, house: Joined, backup: Path, tmp_path: Path
) -> None:
    result = make_service(tmp_path / "hub")
    restored = result.hombi("restore", str(backup), "--yes", "--passphrase", SECRET)
    assert restored.returncode == 0, restored.stderr
    readings, lost = damage(result.data / "hub.sqlite3", "records_reading")
    assert readings > 800
    (result.data / "backups").mkdir()
    shutil.copy(backup, result.data / "backups" / "hombi-2026-11-27-0330.backup")
    refused = subprocess.run(
        [sys.executable, "-m", "hombi.cli.app", "serve"],
        env=result.environment, capture_output=True, text=True, timeout=60, check=False,
    )  # fmt: skip
    assert refused.returncode == 1
    assert "is damaged" in refused.stderr
    assert "hombi restore" in refused.stderr
    assert "hombi-2026-11-27-0330.backup" in refused.stderr.replace("\n", "")
    assert "hombi salvage" in refused.stderr
    damaged = (result.data / "hub.sqlite3").read_bytes()
    done = result.hombi("salvage", "--yes")
    assert done.returncode == 0, done.stderr
    (aside,) = result.data.glob("damaged-*")
    assert (aside / "hub.sqlite3").read_bytes() == damaged, "the damaged file stays as it is"
    result.start()
    try:
        with result.hub() as hub:
            assert {one.node for one in hub.nodes.list()} == {"cellar-rack", "cellar-mister"}
            kept = list(hub.entities.readings("cellar-rack/humidity", 1))
            # And the one that SQLite keeps between two pages.
            assert 0 <= readings - lost - len(kept) <= 1, "all but those of that page"
        assert (
            Joined(result, house.node, house.key, house.topics)
            .post([{"n": "humidity", "v": 70.5}])
            .is_success
        )
    finally:
        result.kill()


@pytest.mark.parametrize("where", [0, 0.3, 1], ids=["the first", "one within", "the last"])
@pytest.mark.parametrize("table", ["records_reading", "records_rollup", "records_journalentry"])
def test_only_the_rows_of_a_damaged_page_are_lost(
    backup: Path, tmp_path: Path, table: str, where: float
) -> None:
    """Also those that share a time, and those of an entity that begins in that page."""
    result = make_service(tmp_path / "hub")
    restored = result.hombi("restore", str(backup), "--yes", "--passphrase", SECRET)
    assert restored.returncode == 0, restored.stderr
    database = result.data / "hub.sqlite3"
    with closing(sqlite3.connect(database)) as whole:
        entities = [row[0] for row in whole.execute("SELECT id FROM records_entity ORDER BY id")]
        assert len(entities) > 2
        hour, now = 3_600_000, 1_795_000_000_000
        for table_of_times in ("records_reading", "records_rollup"):
            whole.execute(f"DELETE FROM {table_of_times}")
        for entity in entities[:3]:
            whole.executemany(
                "INSERT INTO records_reading VALUES (?, ?, 1, 7.5, 7.5, 0)",
                [(entity, now + n * 60_000) for n in range(1_700)],
            )
            whole.executemany(
                "INSERT INTO records_rollup VALUES (?, ?, ?, ?, 3, 1.5, 2.5, 3.5, 2.5, 9)",
                [
                    (entity, width, now // hour * hour + n * hour, channel)
                    for width in (300_000, hour, 86_400_000)
                    for n in range(333)
                    for channel in (1, 2, 3)
                ],
            )
        whole.executemany(
            "INSERT INTO records_journalentry SELECT ?, " + journal_but_its_number(whole),
            [(n,) for n in range(100_000, 101_100)],
        )
        whole.commit()
        whole.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    rows, lost = damage(database, table, where)
    assert lost > 5
    done = result.hombi("salvage", "--yes")
    assert done.returncode == 0, done.stderr
    with closing(sqlite3.connect(database)) as salvaged:
        (kept,) = salvaged.execute(f"SELECT count(*) FROM {table}").fetchone()
    # A row that SQLite keeps between two pages goes with the one before it.
    between = 0 if table == "records_journalentry" else 1
    assert 0 <= rows - lost - kept <= between
    assert str(kept) in done.stdout.replace(",", "").replace("\N{NARROW NO-BREAK SPACE}", "")


def journal_but_its_number(whole: sqlite3.Connection) -> str:
    """What puts the first row of the journal in once more, under another number."""
    columns = [row[1] for row in whole.execute("PRAGMA table_info(records_journalentry)")]
    assert columns[0] == "id"
    return ", ".join(columns[1:]) + " FROM records_journalentry ORDER BY id LIMIT 1"


BROKEN = """
from django.db import migrations

def fail(apps, schema):
    schema.execute("CREATE TABLE half_done (x)")
    raise RuntimeError("the disk of the mill is wet")

class Migration(migrations.Migration):
    atomic = False
    dependencies = [("records", "{last}")]
    operations = [migrations.RunPython(fail)]
"""


def test_an_update_that_fails_leaves_the_database_as_it_was(
    tmp_path: Path, empty_database: Path
) -> None:
    """Another version of Hombi, with one migration more, which fails half way."""
    import hombi

    place = tmp_path / "newer"
    shutil.copytree(Path(hombi.__file__).parent, place / "hombi",
                    ignore=shutil.ignore_patterns("console_files", "__pycache__"))  # fmt: skip
    folder = place / "hombi" / "service" / "records" / "migrations"
    last = sorted(one.stem for one in folder.glob("0*.py"))[-1]
    (folder / "9999_wet.py").write_text(BROKEN.format(last=last))
    data = tmp_path / "data"
    data.mkdir()
    shutil.copy(empty_database, data)
    result = make_service(data)
    failed = subprocess.run(
        [sys.executable, "-m", "hombi.cli.app", "serve"],
        env={**result.environment, "PYTHONPATH": str(place)}, cwd=place,
        capture_output=True, text=True, timeout=90, check=False,
    )  # fmt: skip
    assert failed.returncode == 1
    assert "the disk of the mill is wet" in failed.stderr
    assert "it is as it was before" in failed.stderr.replace("\n", " ")
    with closing(sqlite3.connect(data / "hub.sqlite3")) as left:
        tables = {row[0] for row in left.execute("SELECT name FROM sqlite_master")}
        assert "half_done" not in tables
    # It was moved, not written, into its place: nothing of the update is beside it.
    assert not list(data.glob("hub.sqlite3-*"))
    assert not list((data / "backups").iterdir())
    result.start().kill()


def test_a_link_for_the_backups_that_leads_nowhere_does_not_keep_the_hub_from_starting(
    own_service: Service,
) -> None:
    (own_service.data / "backups").symlink_to(own_service.data / "not-mounted" / "card")
    own_service.start()
    own_service.sign_in_first()
    with own_service.hub() as hub:
        assert hub.house().name


@pytest.mark.parametrize(
    ("about", "said"),
    [
        (b"[]", "no backup of Hombi"),
        (b'{"format": 7}', "has format 7"),
        (b'{"version": "abc"}', "made by no version"),
        (b'{"files": "evil"}', "which no backup has"),
    ],
)
def test_a_backup_of_another_shape_restores_nothing(
    backup: Path, tmp_path: Path, about: bytes, said: str
) -> None:
    """Made anew from a good one, with another word about itself."""
    plain = tmp_path / "plain.backup"
    whole = make_service(tmp_path / "whole")
    assert whole.hombi("restore", str(backup), "--yes", "--passphrase", SECRET).returncode == 0
    folder = tmp_path / "files"
    listed = unpack(backup, SECRET, folder)
    content = json.loads(msgspec.json.encode(listed))
    extra = b"echo"
    given = json.loads(about)
    if given == {"files": "evil"}:
        content["files"].append(
            {"name": "evil.sh", "size": 4, "sha256": hashlib.sha256(extra).hexdigest()}
        )
    elif isinstance(given, dict):
        content |= given
    text = about if given == [] else json.dumps(content).encode()
    with tarfile.open(plain, "w:gz") as tar:
        for name, data in (
            ("about.json", text),
            *((file.name, (folder / file.name).read_bytes()) for file in listed.files),
            *([("evil.sh", extra)] if given == {"files": "evil"} else []),
        ):
            info = tarfile.TarInfo(name)
            info.size = len(data)
            tar.addfile(info, io.BytesIO(data))
    result = make_service(tmp_path / "hub")
    done = result.hombi("restore", str(plain), "--yes")
    assert done.returncode != 0
    assert said in done.stderr.replace("\n", " "), done.stderr
    assert "Traceback" not in done.stderr
    assert not (result.data / "hub.sqlite3").exists()


def test_a_header_that_says_it_is_two_gigabytes_long_is_not_read(tmp_path: Path) -> None:
    file = tmp_path / "huge.backup"
    with gzip.open(file, "wb") as out:
        header = tarfile.TarInfo("about.json")
        header.type, header.size = tarfile.XHDTYPE, 2 << 30
        out.write(header.tobuf(tarfile.USTAR_FORMAT))
        out.write(bytes(100_000))
    tracemalloc.start()
    with pytest.raises(BackupError):
        unpack(file)
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most < 50_000_000


def test_a_backup_is_refused_to_whoever_has_not_signed_in(service: Service) -> None:
    import httpx

    answer = httpx.post(f"{service.url}/api/backup", json={})
    assert answer.status_code == 401
    listed = json.loads(service.hombi("journal", "--json").stdout)
    assert any("a backup of" in one["text"] for one in listed)


def pages_of(database: Path, table: str) -> list[int]:
    with closing(sqlite3.connect(database)) as whole:
        rows = whole.execute("SELECT pageno FROM dbstat WHERE name = ? ORDER BY pageno", (table,))
        return [page for (page,) in rows]


def spoil(database: Path, pages: Sequence[int]) -> None:
    """Have noise in these pages, as a dying card does."""
    content = bytearray(database.read_bytes())
    for page in pages:
        content[(page - 1) * 4096 : page * 4096] = random.Random(page).randbytes(4096)
    database.write_bytes(content)


@pytest.mark.parametrize("table", ["records_node", "records_entity", "records_channel"])
def test_a_lost_page_of_names_costs_no_history(backup: Path, tmp_path: Path, table: str) -> None:
    result = make_service(tmp_path / "hub")
    restored = result.hombi("restore", str(backup), "--yes", "--passphrase", SECRET)
    assert restored.returncode == 0, restored.stderr
    with closing(sqlite3.connect(result.data / "hub.sqlite3")) as whole:
        query = "SELECT count(*) FROM records_reading"
        (readings,) = whole.execute(query).fetchone()
    spoil(result.data / "hub.sqlite3", pages_of(result.data / "hub.sqlite3", table)[-1:])
    done = result.hombi("salvage", "--yes")
    assert done.returncode == 0, done.stderr
    with closing(sqlite3.connect(result.data / "hub.sqlite3")) as salvaged:
        assert salvaged.execute(query).fetchone() == (readings,)
        assert salvaged.execute("PRAGMA foreign_key_check").fetchall() == []
    result.start()  # all is well again: the hub runs on it, and shows what it has
    try:
        with result.hub() as hub:
            counts = [hub.entities.numbers(e.entity, "year").count for e in hub.entities.list()]
            assert sum(counts) >= readings
    finally:
        result.kill()


def test_of_a_database_with_several_bad_pages_what_can_be_read_is_read(
    backup: Path, tmp_path: Path
) -> None:
    for seed in range(SPOILT):
        result = make_service(tmp_path / f"hub-{seed}")
        restored = result.hombi("restore", str(backup), "--yes", "--passphrase", SECRET)
        assert restored.returncode == 0, restored.stderr
        database = result.data / "hub.sqlite3"
        pages = range(1, database.stat().st_size // 4096 + 1)
        spoil(database, random.Random(seed).sample(pages, 6))
        done = result.hombi("salvage", "--yes")
        assert done.returncode == 0, done.stderr
        result.start()
        with result.hub() as hub:
            assert hub.house().name
        result.kill()


def test_the_first_pages_of_a_database_may_be_lost(backup: Path, tmp_path: Path) -> None:
    """They say where each table begins: of this the hub keeps a copy. Nor is what was
    committed lost while it stands in the log alone."""
    result = make_service(tmp_path / "hub")
    restored = result.hombi("restore", str(backup), "--yes", "--passphrase", SECRET)
    assert restored.returncode == 0, restored.stderr
    database = result.data / "hub.sqlite3"
    places = database.with_name("hub.sqlite3-tables")
    kept = places.read_bytes()
    result.start()
    assert places.read_bytes() == kept, "the hub writes it where it has changed"
    with result.hub() as hub:
        hub.rooms.add("Ice house")
        before = [(one.entity, hub.entities.numbers(one.entity, "year").count)
                  for one in hub.entities.list()]  # fmt: skip
    result.kill()
    assert database.with_name("hub.sqlite3-wal").stat().st_size > 0
    first = pages_of(database, "sqlite_schema")
    assert len(first) > 3
    spoil(database, [1, *first])
    refused = result.hombi("serve")
    assert "hombi salvage" in refused.stderr
    done = result.hombi("salvage", "--yes")
    assert done.returncode == 0, done.stderr
    assert "cannot be read" not in done.stdout
    result.start()
    try:
        with result.hub() as hub:
            assert "Ice house" in [one.name for one in hub.rooms.list()]
            after = [(one.entity, hub.entities.numbers(one.entity, "year").count)
                     for one in hub.entities.list()]  # fmt: skip
            assert after == before
    finally:
        result.kill()
    # Without that copy nothing says what is whose, and the file stays as it is.
    spoil(database, [1, *pages_of(database, "sqlite_schema")])
    places.unlink()
    assert "can be read; put a backup in its place" in result.hombi("salvage", "--yes").stderr
