"""What several figures need."""

from __future__ import annotations

import json
import os
import threading
import time
from pathlib import Path

from tests.house import Joined

Row = tuple[str, str, str, bool]


def traffic(port: int, found: dict[str, Joined], stop: threading.Event) -> threading.Thread:
    """200 readings/s of other traffic, evenly spread."""

    def run() -> None:
        clients = {node: joined.mqtt("traffic") for node, joined in found.items()}
        for client in clients.values():
            client.connect("127.0.0.1", port)
            client.loop_start()
        number = 0
        while not stop.is_set():
            for node, client in clients.items():
                number += 1
                client.publish(
                    f"hombi/{node}/readings",
                    json.dumps([{"n": "t0", "v": number % 30, "t": round(time.time(), 3)}]),
                    qos=1,
                )
                time.sleep(1 / 200)
        for client in clients.values():
            client.disconnect()
            client.loop_stop()

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    return thread


def processor_s(pid: int) -> float:
    """Seconds of processor time a process has used."""
    fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
    return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")


def stolen_s() -> float:
    """Seconds of processor time that other machines on this host had, of all cores."""
    fields = Path("/proc/stat").read_text().splitlines()[0].split()
    return int(fields[8]) / os.sysconf("SC_CLK_TCK")


def memory_mb(pid: int) -> float:
    """Resident memory."""
    line = next(
        line
        for line in Path(f"/proc/{pid}/status").read_text().splitlines()
        if line.startswith("VmRSS")
    )
    return int(line.split()[1]) / 1024
