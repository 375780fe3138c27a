"""What is written to the disk: small machines live on memory cards."""

from __future__ import annotations

import os
import time
from pathlib import Path

from bench import rig
from bench.figures.measures import Row
from tests.house import Service, until

RATE, SECONDS, ENTITIES = 10, 60, 10


def disk() -> list[Row]:
    """Ten readings a second over the door for a minute: bytes that the hub's process
    wrote for each."""
    with rig.hub() as service:
        (joined,) = rig.nodes(service, 1, ENTITIES).values()
        with joined.connected() as client, service.hub() as hub:
            joined.publish(client, [{"n": f"t{n}", "v": 20} for n in range(ENTITIES)])
            until(lambda: hub.house().readings_committed >= ENTITIES)
            written, committed = _written(service), hub.house().readings_committed
            begun = time.monotonic()
            for number in range(RATE * SECONDS):
                joined.publish(client, [{"n": f"t{number % ENTITIES}", "v": 20 + number % 7}])
                time.sleep(max(0.0, begun + (number + 1) / RATE - time.monotonic()))
            until(lambda: hub.house().readings_committed >= committed + RATE * SECONDS)
            size = (_written(service) - written) / (RATE * SECONDS)
    return [
        (
            f"{RATE} readings/s, written to the disk for each",
            f"{size / 1024:.1f} kB",
            "1.5 kB or less",
            size <= 1.5 * 1024,
        )
    ]


def _written(service: Service) -> int:
    """What the process had the disk write so far, in bytes."""
    assert service.process is not None
    os.sync()
    told = Path(f"/proc/{service.process.pid}/io").read_text()
    return int(dict(line.split(": ") for line in told.splitlines())["write_bytes"])
