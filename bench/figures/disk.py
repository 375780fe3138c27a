"""What is written to the disk: small machines live on memory cards."""

from __future__ import annotations

import json
import os
import time
from pathlib import Path

from bench import rig
from bench.figures.measures import Row
from tests.house import Service, until

ENTITIES = 10
# Readings a second, for how many seconds, and the bytes that each may cost.
WANTED = ((10, 120, 5_000), (200, 30, 1_000))


def disk() -> list[Row]:
    """Readings over the MQTT listener, slowly and fast: bytes that the hub's process
    wrote for each."""
    return [row for rate in WANTED for row in _at(*rate)]


def _at(rate: int, seconds: int, wanted: int) -> list[Row]:
    count = rate * seconds
    with rig.hub() as service:
        (joined,) = rig.nodes(service, 1, ENTITIES).values()
        with joined.connected() as client, service.hub() as hub:
            joined.publish(client, [{"n": f"t{n}", "v": 20} for n in range(ENTITIES)])
            until(lambda: hub.house().readings_committed >= ENTITIES)
            written, committed = _written(service), hub.house().readings_committed
            begun = time.monotonic()
            for number in range(count):
                pack = json.dumps([{"n": f"t{number % ENTITIES}", "v": 20 + number % 7}])
                client.publish(joined.topics["readings"], pack, qos=1)
                time.sleep(max(0.0, begun + (number + 1) / rate - time.monotonic()))
            until(lambda: hub.house().readings_committed >= committed + count)
            size = (_written(service) - written) / count
    return [
        (
            f"{rate} readings/s, written to the disk for each",
            f"{size / 1000:.2f} kB",
            f"{wanted / 1000:g} kB or less",
            size <= wanted,
        )
    ]


def _written(service: Service) -> int:
    """What the process had the disk write so far, in bytes."""
    assert service.process is not None
    os.sync()
    told = Path(f"/proc/{service.process.pid}/io").read_text()
    return int(dict(line.split(": ") for line in told.splitlines())["write_bytes"])
