"""The hub's records for one suite, in memory and on the database, and what is stored in
them."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import pytest

from hombi.core.quality import Quality
from hombi.hub.house import House
from hombi.hub.nodes.port import NewEntity, NewNode
from hombi.hub.readings.port import Row
from hombi.hub.records import Records
from hombi.service.data_folder import NEWEST
from tests.memory import MemoryRecords

RACK = "urn:dev:mac:00005e0053000001"
GOOD, NONE = int(Quality.GOOD), int(Quality.NO_VALUE)
HUMIDITY = NewEntity("humidity", "Humidity", "humidity", "humidity", "%RH", 0.0, 100.0, False)


@pytest.fixture(scope="module")
def database(tmp_path_factory: pytest.TempPathFactory) -> Callable[[], Records]:
    data = tmp_path_factory.mktemp("records")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("HOMBI_DATA", str(data))
        patch.setenv("DJANGO_SETTINGS_MODULE", "hombi.service.settings")
        import django
        from django.core.management import call_command
        from django.db import connections

        django.setup()
        call_command("migrate", verbosity=0)

    def fresh() -> Records:
        # Their models need Django as it is only now.
        from hombi.service.records.store import DatabaseRecords

        call_command("flush", verbosity=0, interactive=False)
        connections["newest"].close()
        for path in data.glob(f"{NEWEST}*"):
            path.unlink()
        return DatabaseRecords()

    return fresh


@pytest.fixture(params=["memory", "database"])
def records(request: pytest.FixtureRequest) -> Iterator[Records]:
    if request.param == "memory":
        yield MemoryRecords()
    else:
        yield request.getfixturevalue("database")()


def admit(records: Records, *entities: NewEntity, **change: object) -> tuple[int, dict[str, int]]:
    new = NewNode("cellar-rack", "Cellar rack", "wifi", RACK, None, 1_000, entities or (HUMIDITY,))
    for name, value in change.items():
        object.__setattr__(new, name, value)
    node, result = records.house.admit(new, None)
    return node, {name: number for name, (number, _) in result.items()}


def loaded(records: Records) -> House:
    house = House()
    records.house.load(house)
    return house


def rows(entity: int, *values: float | None, start: int = 2_000, channel: int = 0) -> list[Row]:
    return [
        (entity, start + 10 * n, channel, value, value, NONE if value is None else GOOD)
        for n, value in enumerate(values)
    ]
