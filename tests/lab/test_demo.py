"""The demo as a person starts it: a whole house within seconds, gone within three."""

from __future__ import annotations

import json
import re
import signal
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.conftest import make_service
from tests.house import Service, until


class Demo:
    """One `hombi demo` in the foreground of a terminal."""

    def __init__(self, data: Path) -> None:
        self.service = make_service(data)
        self.process: subprocess.Popen[str] | None = None
        self.said: list[str] = []

    def start(self, until: str = "Ctrl-C") -> None:
        """Until it says that it is ready, or something else."""
        self.said = []
        environment = {
            k: v for k, v in self.service.environment.items() if k != "HOMBI_BLUETOOTH_USE"
        }
        words = [sys.executable, "-m", "hombi.cli.app", "demo", "--speed", "2"]
        self.process = subprocess.Popen(words, env=environment, stdout=subprocess.PIPE, text=True)
        assert self.process.stdout is not None
        for line in self.process.stdout:
            self.said.append(line)
            if until in line:
                return
        raise AssertionError("".join(self.said))

    def stop(self) -> None:
        assert self.process is not None
        self.process.send_signal(signal.SIGINT)
        assert self.process.wait(30) == 0


@pytest.fixture(scope="module")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Demo]:
    found = Demo(tmp_path_factory.mktemp("demo"))
    found.service.env = {"HOMBI_HOUSE_NAME": "Heron Mill"}
    found.start()
    yield found
    if found.process is not None and found.process.poll() is None:
        found.stop()


def service_of(demo: Demo) -> Service:
    return demo.service


def test_the_house_is_there_with_its_past(demo: Demo) -> None:
    with service_of(demo).hub() as hub:
        house = hub.house()
        assert [f.name for f in house.floors] == [
            "Under the stone",
            "At the water",
            "Above the wheel",
            "Under the roof",
        ]
        assert house.nodes == 26
        assert {"cellar-rack/humidity", "cellar-mister/switch"} <= {
            e.entity for e in hub.entities.list()
        }
        month = hub.entities.history("cellar-rack/humidity", "month", points=30)
        assert len(month.at) == 30
        assert all(60 < mean < 100 for mean in month.mean)
        point = hub.entities.get("cellar-rack/dew-point")
        assert point.value is not None
        until(lambda: len(hub.entities.history(point.entity, "month", points=30).at) == 30)
        assert hub.entities.get("loft/cold-corner").derived is not None
        assert len(hub.automations.list()) == 6
        assert all(not a.mistakes for a in hub.automations.list())
        assert house.phones == 1


def test_its_nodes_report_and_its_plug_switches(demo: Demo) -> None:
    with service_of(demo).hub() as hub:
        until(lambda: [e.entity for e in hub.entities.list() if e.quality != "good"] == [])
        until(lambda: all(n.here for n in hub.nodes.list()))
        before = hub.entities.get("cellar-rack/temperature").at
        until(lambda: hub.entities.get("cellar-rack/temperature").at != before)
        assert hub.entities.set("workshop-plug/switch", "on").state == "confirmed"
        until(lambda: (hub.entities.get("workshop-plug/power").value or 0) > 1000)
        assert hub.entities.set("workshop-plug/switch", "off").state == "confirmed"


def test_steam_is_seen_and_the_phone_is_told(demo: Demo) -> None:
    lab = f"http://127.0.0.1:{service_of(demo).port + 2}"
    httpx.post(f"{lab}/steam")
    with service_of(demo).hub() as hub:
        until(lambda: (hub.entities.get("cellar-rack/humidity").value or 0) > 93)
        hub.ways.test(hub.ways.list()[0].id)
    notices = until(lambda: httpx.get(f"{lab}/phone/notices").json())
    assert notices[0]["title"] == "Hombi can reach you"
    assert "Hombi can reach you" in httpx.get(f"{lab}/phone").text


def test_a_node_that_waits_outside_is_let_in_from_the_command_line(demo: Demo) -> None:
    service = service_of(demo)
    line = next(line for line in demo.said if "Two nodes wait" in line)
    code = re.search(r"\d{4}-\d{4}", line)
    assert code is not None
    assert service.hombi("pair", "--for", "1m").returncode == 0
    until(lambda: "Hen house hatch" in service.hombi("arrivals").stdout)
    done = service.hombi("admit", "Hen house hatch", "--code", code[0], "--room", "Hen house")
    assert "hen-house-hatch/contact" in done.stdout, done.stderr
    with service.hub() as hub:
        until(lambda: hub.entities.get("hen-house-hatch/contact").quality == "good")


def test_radio_nodes_are_in_the_hand(demo: Demo) -> None:
    service = service_of(demo)
    assert "Press" in httpx.get(f"http://127.0.0.1:{service.port + 2}/").text
    service.hombi("pair", "--for", "1m")
    assert "looking for a network" in service.hombi("lab", "press", "cellar-floor").stdout
    with service.hub() as hub:
        until(
            lambda: any(a.state == "waiting" and a.link == "zigbee" for a in hub.pairing.arrivals())
        )
        hub.pairing.close()
        assert "no node cellar-flor" in service.hombi("lab", "press", "cellar-flor").stderr
        service.hombi("lab", "unplug")
        until(lambda: any("Zigbee stick" in need.text for need in hub.house().needs))
        service.hombi("lab", "plug")
        until(lambda: hub.zigbee.info().state == "up")
        assert "out of reach" in service.hombi("lab", "away", "hen-lamp").stdout
        until(lambda: not next(n for n in hub.nodes.list() if n.node == "hen-house-lamp").here)
        service.hombi("lab", "back", "hen-lamp")
        service.hombi("lab", "drain", "workshop-door")
        until(lambda: any(need.kind == "battery" for need in hub.house().needs))


def test_the_owner_can_sign_in_with_what_it_prints(demo: Demo) -> None:
    line = next(line for line in demo.said if "Sign in as" in line)
    name, password = line.split()[3], line.split()[5]
    answer = httpx.post(
        f"{service_of(demo).url}/api/session", json={"username": name, "password": password}
    )
    assert answer.status_code == 200


def test_a_second_start_goes_on_where_it_stopped(demo: Demo) -> None:
    demo.stop()
    demo.start()
    with service_of(demo).hub() as hub:
        until(lambda: len(hub.nodes.list()) == 27 and all(n.here for n in hub.nodes.list()))
        assert {n.link for n in hub.nodes.list()} == {"wifi", "zigbee", "bluetooth"}
        assert hub.entities.set("loft-lamp/level", "40 %").state == "confirmed"
        until(lambda: hub.entities.set("hen-house-lamp/switch", "on").state == "confirmed")
        assert len(hub.automations.list()) == 6
        kept = json.loads((service_of(demo).data / "lab" / "mill.json").read_text())
        assert 5 < kept["rooms"]["cellar"][0] < 20


def test_a_second_demo_beside_it_that_was_interrupted_begins_anew(
    demo: Demo, tmp_path: Path
) -> None:
    second = Demo(tmp_path)
    second.service.env = {"HOMBI_HOUSE_NAME": "Heron Mill"}
    # As its nodes are about to be let in: there is a house, an owner, and nothing else.
    second.start(until="nodes in")
    second.stop()
    (tmp_path / "notes.txt").write_text("somebody's own")
    second.start()
    try:
        assert any("made afresh" in line for line in second.said)
        with second.service.hub() as hub:
            assert len(hub.nodes.list()) >= 24
            assert len(hub.automations.list()) == 6
        assert (tmp_path / "notes.txt").exists()
    finally:
        second.stop()


def test_it_does_not_touch_a_house_of_somebodys_own(own_service: Service) -> None:
    own_service.start()
    own_service.stop()
    done = own_service.hombi("demo")
    assert done.returncode == 1
    assert "holds a house of its own" in done.stderr.replace("\n", " ")
