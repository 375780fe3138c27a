"""The demo's house on disk: where it is, and what the lab keeps of it."""

from __future__ import annotations

import fcntl
import json
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from hombi.lab.physics import Mill

Say = Callable[[str], None]


class DemoError(Exception):
    """The demo cannot run; the message says why and what to do."""


@dataclass(frozen=True, slots=True)
class Demo:
    """Where the demo runs and how: `speed` is how many times faster than the clock the
    mill lives."""

    data: Path
    port: int
    speed: float
    seed: int

    @property
    def lab(self) -> Path:
        """What the lab keeps: the nodes' keys, the phone's, the owner's password."""
        return self.data / "lab"

    @property
    def unfinished(self) -> Path:
        """A file that is there for as long as the house is being made."""
        return self.lab / "unfinished"

    @property
    def lab_port(self) -> int:
        """The port of the lab's own pages."""
        return self.port + 2

    @property
    def mail_port(self) -> int:
        """The port of the lab's mail server."""
        return self.port + 3


def clear(demo: Demo) -> None:
    """Remove what an unfinished preparation has left, and nothing else that is in the
    folder. Raises DemoError."""
    lock = demo.data / "hub.lock"
    if lock.exists():
        with lock.open() as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except BlockingIOError as error:
                raise DemoError(
                    f"its hub still runs (process {file.read().strip()}); stop that first"
                ) from error
    for pattern in ("hub.*", "secret.key"):
        for path in demo.data.glob(pattern):
            path.unlink()
    shutil.rmtree(demo.lab)


def keep_mill(demo: Demo, mill: Mill) -> None:
    """Keep how the mill is, so that the next start goes on from it."""
    rooms = {name: (room.temperature, room.vapour) for name, room in mill.rooms.items()}
    d = mill.devices
    devices = {
        "mister": d.mister,
        "fan": d.fan,
        "kettle": d.kettle,
        "lights": d.lights,
        "hen_lamp": d.hen_lamp,
    }
    (demo.lab / "mill.json").write_text(
        json.dumps(
            {"rooms": rooms, "devices": devices, "energy": mill.energy_kwh, "sump": mill.sump_m}
        )
    )


def kept_mill(demo: Demo, mill: Mill) -> Mill:
    """The mill as it was kept."""
    path = demo.lab / "mill.json"
    if path.exists():
        kept = json.loads(path.read_text())
        for name, (temperature, vapour) in kept["rooms"].items():
            mill.rooms[name].temperature, mill.rooms[name].vapour = temperature, vapour
        for name, on in kept["devices"].items():
            setattr(mill.devices, name, on)
        mill.energy_kwh = kept["energy"]
        mill.sump_m = kept.get("sump", mill.sump_m)
    return mill
