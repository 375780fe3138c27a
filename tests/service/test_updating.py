"""An update of the database that meets a small disk, or is killed in its middle: how it
was comes back, and the update is made once it can be."""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.house import Service

BEFORE = "0009_retired_entities"
SIZES, KILLS = int(os.environ.get("SIZES", "2")), int(os.environ.get("UPDATE_KILLS", "2"))


@pytest.fixture(scope="module")
def old(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database of an earlier version, with a floor that people would miss, and enough
    readings that the update takes a while."""
    folder = tmp_path_factory.mktemp("old")
    environment = {
        **os.environ, "HOMBI_DATA": str(folder), "DJANGO_SETTINGS_MODULE": "hombi.service.settings",
    }  # fmt: skip
    for app, to in (("records", BEFORE), ("accounts", None), ("sessions", None)):
        words = [sys.executable, "-m", "django", "migrate", app, *([to] if to else [])]
        subprocess.run(words, env=environment, check=True, capture_output=True)
    with contextlib.closing(sqlite3.connect(folder / "hub.sqlite3")) as base:
        base.execute("INSERT INTO records_floor (name, position) VALUES ('Mill floor', 0)")
        node = base.execute(
            "INSERT INTO records_node (address, title, link, thing_id, key_hash, admitted_ms, "
            "removed, reach) VALUES ('rack', 'Rack', 'wifi', 'urn:rack', '', 1000, 0, '{}')"
        ).lastrowid
        entity = base.execute(
            "INSERT INTO records_entity (node_id, name, title, kind, wire_name, wire_unit, low, "
            "high, writable, hidden, source, sink, retired) VALUES (?, 'humidity', 'Humidity', "
            "'humidity', 'humidity', '%RH', 0, 100, 0, 0, '{}', '{}', 0)",
            (node,),
        ).lastrowid
        base.executemany(
            "INSERT INTO records_reading (entity_id, at_ms, raw, value, quality) "
            "VALUES (?, ?, ?, ?, 0)",
            ((entity, 1_790_000_000_000 + 60_000 * n, n % 100, n % 100) for n in range(40_000)),
        )
        base.commit()
        base.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return folder


def fresh(service: Service, old: Path) -> None:
    for path in service.data.glob("hub.sqlite3*"):
        path.unlink()
    shutil.rmtree(service.data / "backups", ignore_errors=True)
    shutil.copy(old / "hub.sqlite3", service.data)


def look(service: Service) -> tuple[str, list[str], int]:
    """Whether the database is whole, its floors, and how many readings there are."""
    with contextlib.closing(sqlite3.connect(service.data / "hub.sqlite3")) as base:
        return (
            base.execute("PRAGMA quick_check").fetchone()[0],
            [name for (name,) in base.execute("SELECT name FROM records_floor")],
            base.execute("SELECT count(*) FROM records_reading").fetchone()[0],
        )


def serve(service: Service, limit: int = 0) -> subprocess.Popen[str]:
    program = "import runpy, sys; sys.argv = ['hombi', 'serve']; "
    if limit:
        program += f"import resource; resource.setrlimit(resource.RLIMIT_FSIZE, ({limit},) * 2); "
    program += "runpy.run_module('hombi.cli.app', run_name='__main__')"
    return subprocess.Popen(
        [sys.executable, "-c", program],
        env={**service.environment, "PYTHONPATH": str(Path(__file__).resolve().parents[2])},
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        start_new_session=True,
    )


def ends_well(service: Service) -> None:
    """The next start makes the update, and all is there."""
    service.start()
    with service.hub() as hub:
        assert hub.entities.get("rack/humidity").value == 99
    service.stop()
    assert look(service) == ("ok", ["Mill floor"], 40_000)
    assert (service.data / "backups" / "before-update.sqlite3").exists()
    assert not (service.data / "backups" / "before-update.begun").exists()


@pytest.mark.parametrize("share", [(n + 1) / (SIZES + 1) for n in range(SIZES)])
def test_on_a_disk_that_is_too_small_it_is_as_it_was(
    own_service: Service, old: Path, share: float
) -> None:
    fresh(own_service, old)
    size = (old / "hub.sqlite3").stat().st_size
    process = serve(own_service, int(2.5 * size * share))
    assert process.stdout is not None
    said = ""
    for line in process.stdout:
        said += line
        if line.startswith("Ready"):
            break
    with contextlib.suppress(ProcessLookupError):
        os.killpg(process.pid, signal.SIGKILL)
    process.wait()
    process.stdout.close()
    if "Ready" not in said:
        assert "Traceback" not in said.splitlines()[-1]
        assert "update" in said or "up to date" in said, said
        # The copy is there, or the database is as it was: nothing is between the two.
        assert look(own_service)[1:] == (["Mill floor"], 40_000)
    ends_well(own_service)


@pytest.mark.parametrize("kill", range(KILLS))
def test_killed_in_its_middle_it_begins_anew(own_service: Service, old: Path, kill: int) -> None:
    fresh(own_service, old)
    begun = own_service.data / "backups" / "before-update.begun"
    for again in range(2):  # once more while it takes back what the first kill left
        process = serve(own_service)
        ends = time.monotonic() + 20
        while not begun.exists() and process.poll() is None and time.monotonic() < ends:
            time.sleep(0.001)
        time.sleep((kill + again) * 0.4 / max(1, KILLS))
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        assert process.stdout is not None
        process.stdout.close()
    ends_well(own_service)


def test_the_database_of_before_the_update_is_put_back_by_a_command(
    own_service: Service, old: Path
) -> None:
    fresh(own_service, old)
    ends_well(own_service)
    done = own_service.hombi("restore", "--before-update", "--yes")
    assert done.returncode == 0, done.stderr
    assert "damaged-" in done.stdout
    assert look(own_service) == ("ok", ["Mill floor"], 40_000)
    assert not list(own_service.data.glob("hub.sqlite3-*"))
    with contextlib.closing(sqlite3.connect(own_service.data / "hub.sqlite3")) as base:
        names = {name for (name,) in base.execute("SELECT name FROM django_migrations")}
    assert BEFORE in names
    assert not any(name.startswith("001") for name in names if name != BEFORE)
    assert own_service.hombi("restore", "--before-update", "--yes").returncode != 0
    assert own_service.hombi("restore").returncode == 2
