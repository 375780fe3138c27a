"""Fixtures that many tests share."""

from __future__ import annotations

import fcntl
import functools
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest
from httpx import create_ssl_context
from hypothesis import HealthCheck, settings

from hombi.lab.phone import LabPhone
from tests.house import CLIMATE, PLUG, Joined, Service, description, free_ports, let_in
from tests.phones import phone_service

# How long an example takes says something of the machine, not of the code. The examples
# are the same in every run, so that what fails here fails everywhere; `make soak` looks
# for others.
settings.register_profile(
    "same", deadline=None, suppress_health_check=[HealthCheck.too_slow], derandomize=True
)
settings.register_profile(
    "others", deadline=None, suppress_health_check=[HealthCheck.too_slow], max_examples=2_000
)
settings.load_profile(os.environ.get("EXAMPLES", "same"))

# Each client reads all the authorities of the machine otherwise, also for plain HTTP.
pytest.MonkeyPatch().setattr(
    "httpx._transports.default.create_ssl_context", functools.cache(create_ssl_context)
)

# Files that take a worker half a minute or more, the longest first.
LONGEST = (
    "lab/test_demo.py", "service/test_backup.py", "service/test_schema.py",
    "service/test_updating.py", "integration/test_nothing_lost.py", "integration/test_broker.py",
    "integration/test_radio.py", "service/test_strangers.py", "integration/test_notices.py",
    "service/test_migrations.py", "service/test_rights.py", "integration/test_mqtt.py",
    "service/test_wrong_clock.py", "cli/test_first_hour.py", "integration/test_sent_again.py",
    "browser/test_pages.py", "browser/test_charts.py", "browser/test_past.py",
    "browser/test_away.py", "browser/test_first_day.py", "browser/test_radio.py",
    "browser/test_own_nodes.py", "browser/test_boards.py", "browser/test_writing.py",
    "browser/test_review.py", "browser/test_would_have.py", "browser/test_trust.py",
)  # fmt: skip


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The longest begin first, so that the workers end together. The browser's come
    last: its driver keeps an event loop running that asynchronous tests could not
    share."""

    def place(item: pytest.Item) -> tuple[bool, int]:
        file = "/".join(item.path.parts[-2:])
        order = LONGEST.index(file) if file in LONGEST else len(LONGEST)
        return "browser" in item.path.parts, order

    items.sort(key=place)


def make_service(data: Path, **env: str) -> Service:
    port, mqtt_port, _ = free_ports()
    return Service(data, port, mqtt_port, env)


@pytest.fixture(scope="session")
def empty_database(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A database as the first start of a hub makes it, made once for all workers; what
    the first start does has tests of its own."""
    shared = tmp_path_factory.getbasetemp().parent
    made = shared / "empty" / "hub.sqlite3"
    with (shared / "empty.lock").open("a") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not made.exists():
            made.parent.mkdir(mode=0o700)
            subprocess.run(
                [sys.executable, "-m", "django", "migrate", "--verbosity", "0"],
                env={
                    **os.environ,
                    "HOMBI_DATA": str(made.parent),
                    "DJANGO_SETTINGS_MODULE": "hombi.service.settings",
                },
                check=True,
            )
    return made


@pytest.fixture(scope="module")
def service(tmp_path_factory: pytest.TempPathFactory, empty_database: Path) -> Iterator[Service]:
    """A hub with an owner for all tests of a module; a node has 4 s to answer."""
    data = tmp_path_factory.mktemp("hub")
    shutil.copy(empty_database, data)
    result = make_service(data, HOMBI_ACTUATION_ANSWER_WITHIN="4 s").start()
    result.sign_in_first()
    yield result
    result.kill()  # quicker than a stop, which has tests of its own


@pytest.fixture
def own_service(tmp_path: Path, empty_database: Path) -> Iterator[Service]:
    """A hub for one test, not started: the test may stop, kill and start it."""
    shutil.copy(empty_database, tmp_path)
    result = make_service(tmp_path, HOMBI_ACTUATION_ANSWER_WITHIN="4 s")
    yield result
    result.kill()


@pytest.fixture(scope="module")
def rack(service: Service) -> Joined:
    """A climate node in the cheese cellar."""
    return let_in(service, description("Cellar rack", **CLIMATE))


@pytest.fixture(scope="module")
def mister(service: Service) -> Joined:
    """A plug in the cheese cellar."""
    return let_in(service, description("Cellar mister", **PLUG))


@pytest.fixture
def push(tmp_path: Path) -> Iterator[tuple[LabPhone, int]]:
    (port,) = free_ports(1)
    with phone_service(tmp_path / "phone.json", port) as phone:
        yield phone, port
