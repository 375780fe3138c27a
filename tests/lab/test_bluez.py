"""The lab's own bus, and what is said where there is none."""

from __future__ import annotations

from pathlib import Path

import pytest

from hombi.lab.bus import NoDaemon, PrivateBus
from hombi.lab.demo_house import Demo
from hombi.lab.run import _bluetooth


async def test_the_demo_goes_on_without_a_bus_daemon_and_says_so(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("PATH", str(tmp_path))
    monkeypatch.delenv("HOMBI_BLUETOOTH_USE", raising=False)
    with pytest.raises(NoDaemon, match="dbus-daemon is not installed"):
        await PrivateBus(tmp_path).start()
    said: list[str] = []
    demo = Demo(tmp_path, 21460, 1.0, 7)
    demo.lab.mkdir()
    async with _bluetooth(demo, said.append) as house:
        assert house is None
    assert said == [
        "No Bluetooth nodes: dbus-daemon is not installed; sudo apt-get install "
        "dbus-daemon brings it."
    ]
