"""docs/first-hour.md: every command of the walk runs, word for word."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.house import Service

WALK = Path(__file__).parents[2] / "docs" / "first-hour.md"
# The ports that the document names, which are the defaults.
PORT, MQTT_PORT = 21460, 21461


@pytest.fixture
def new_hub(tmp_path: Path) -> Iterator[Service]:
    for port in (PORT, MQTT_PORT):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                pytest.skip(f"port {port} is in use on this machine; stop the hub that runs")
    service = Service(tmp_path / "data", PORT, MQTT_PORT)
    service.data.mkdir()
    try:
        yield service.start()
    finally:
        service.kill()


def walk(service: Service, folder: Path) -> str:
    """What a terminal shows of the walk, typed in a folder with this installation."""
    (folder / ".venv").symlink_to(sys.prefix)
    commands = "".join(re.findall(r"```sh\n(.*?)```", WALK.read_text(), re.DOTALL))
    shown = folder / "shown.txt"
    with shown.open("w") as terminal:
        # The lamp goes on in the background: all of it is one group, ended as one.
        shell = subprocess.Popen(
            ["bash", "-eu", "-o", "pipefail", "-c", commands],
            cwd=folder,
            env={**service.environment, "COLUMNS": "120"},
            stdin=subprocess.DEVNULL,
            stdout=terminal,
            stderr=subprocess.STDOUT,
            start_new_session=True,
        )
        try:
            code = shell.wait(timeout=90)
        finally:
            os.killpg(shell.pid, signal.SIGKILL)
    assert code == 0, shown.read_text()
    return shown.read_text()


def test_the_walk_ends_with_a_lamp_that_follows_a_sensor(new_hub: Service, tmp_path: Path) -> None:
    shown = walk(new_hub, tmp_path)
    assert "workshop is a room of Ground floor now" in shown
    assert '{"stored":1,"refused":[]}' in shown
    assert re.search(r"window-sill/light\s+640 lx", shown)
    assert "loft-lamp/lamp is on, confirmed by the node" in shown
    dark, light = re.findall(r"loft-lamp/lamp +(on|off) ", shown)
    assert (dark, light) == ("on", "off")
    told = shown[shown.rindex("the hub is up") :]
    assert "Dusk in the loft started: 12 lx under 50 lx" in told
    assert "Dusk in the loft ended: 300 lx" in told
    with new_hub.hub() as hub:
        assert hub.entities.get("loft-lamp/lamp").shown == "off"
