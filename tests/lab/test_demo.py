"""The demo as a person starts it: a whole house within seconds, gone within three."""

from __future__ import annotations

import json
import re
import shlex
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest

from tests.conftest import make_service
from tests.house import Service, until, until_nothing


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
    result = Demo(tmp_path_factory.mktemp("demo"))
    # One of its nodes is found by what it announces.
    result.service.env = {"HOMBI_HOUSE_NAME": "Heron Mill", "HOMBI_WIFI_DISCOVERY": "127.0.0.1"}
    result.start()
    yield result
    if result.process is not None and result.process.poll() is None:
        result.stop()


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
        assert house.nodes == 38
        assert {"cellar-rack/humidity", "cellar-mister/switch"} <= {
            e.entity for e in hub.entities.list()
        }
        month = hub.entities.history("cellar-rack/humidity", "month", points=30)
        assert len(month.at) == 30
        assert all(60 < mean < 100 for mean in month.mean)
        point = hub.entities.get("cellar-rack/dew-point")
        assert point.value is not None
        until(lambda: len(hub.entities.history(point.entity, "month", points=30).at) == 30)
        assert hub.entities.get("loft/cold-corner").computed is not None
        assert len(hub.automations.list()) == 6
        assert all(not a.mistakes for a in hub.automations.list())
        assert house.phones == 1


def test_its_nodes_report_and_its_plug_switches(demo: Demo) -> None:
    with service_of(demo).hub() as hub:
        # A button that nobody has pressed says nothing.
        until_nothing(
            lambda: [
                (entity.entity, entity.quality)
                for entity in hub.entities.list()
                if entity.drawn != "marks" and entity.quality != "good"
            ]
        )
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
        hub.contacts.test(hub.contacts.list()[0].id)
    notices = until(lambda: httpx.get(f"{lab}/phone/notices").json())
    assert notices[0]["title"] == "Hombi can reach you"
    assert "Hombi can reach you" in httpx.get(f"{lab}/phone").text


# Each command of the README's tour, in its order, with a part of what it prints; those
# of which the README only names the command are asked for their help.
TOUR = {
    "hombi now": "cellar-rack/humidity",
    "hombi pair --for 2m": "Pairing is open for 120 s",
    "hombi arrivals": "Race gauge",
    'hombi admit "Hen house hatch" --room "Hen house"': "Hen house hatch is in as hen-house-hatch",
    'hombi admit "Race gauge" --room Boathouse --call level="Water in the race"': (
        "race-gauge/level"
    ),
    "hombi pair --for 2m --no-watch": "Pairing is open for 120 s",
    "hombi lab press cellar-floor": "Cellar floor: looking for a network",
    'hombi admit "Alder & Finch Leak K1" --name "Cellar floor" --room "Cheese cellar"': (
        "Cellar floor is in as cellar-floor: cellar-floor/battery, cellar-floor/leak"
    ),
    "hombi link stick": "firmware 2.7.1",
    "hombi node ask-again loft-climate": "loft-climate is asked again what it has",
    "hombi link messages --topic 'mill/#' --each": "mill/herb-bed/state",
    "hombi entity pick 'mill/{node}/state' --pointer /soil/temp_c --kind temperature --title Soil "
    "--node herb-bed --try": "mill/herb-bed/state  herb-bed",
    "hombi entity pick 'mill/{node}/state' --pointer /soil/temp_c --kind temperature --title Soil "
    "--node herb-bed": "herb-bed/soil is picked from mill/herb-bed/state at /soil/temp_c",
    "hombi link messages": "mill/herb-bed/state",
    "hombi node profile herb-probe": 'model = "Soil S7"',
    'hombi history "cellar rack/humidity"': "lowest",
    "hombi history cellar-rack/humidity --span week": "highest",
    "hombi compare cellar-rack/humidity drying-rack/humidity --span week": "In the last week",
    "hombi calibrate workshop-bench/temperature workshop-gauge/temperature --span week": (
        "(--apply offset)"
    ),
    "hombi steps set cellar-sump/depth 'median window=\"15 min\"' --past": ("over its whole past"),
    "hombi steps set terrace-mast/illuminance 'clips high=20000' --past": "high=20000",
    "hombi compute add dew-point loft-climate/temperature loft-climate/humidity": (
        "loft-climate/dew-point is the dew-point of"
    ),
    "hombi tally cellar-sump/pump-starts": "yesterday",
    "hombi review": "What stands out",
    "hombi set workshop-plug/switch on": "confirmed by the node",
    "hombi automation replay cellar-too-dry": "it\nwould have started",
    'hombi automation rehearse cellar-too-dry "81 %" "20 min=87 %"': "back past 86 %",
    # The weather of the day decides whether it had started by then.
    'hombi why cellar-too-dry --at "yesterday 02:10"': "Cellar rack humidity was",
    "hombi automation undo cellar-too-dry": "is under 80 % for 2 min",
    "hombi contact test 1": "A notice is on its way",
    "hombi doctor": "Zigbee stick",
    "hombi check": "hombi.toml",
    "hombi backup mill.backup": "The whole house is in ",
    "hombi house pull mill": "automations/cellar-too-dry.toml is written",
    "hombi journal": "is connected",
    "hombi token list": "No program is signed in",
    "hombi follow cellar-rack/humidity": "cellar-rack/humidity",
}
NAMED = {
    "hombi --install-completion", "hombi serve", "hombi sign-in", "hombi lab", "hombi mqtt",
    "hombi node setup-code", "hombi node add", "hombi node settings", "hombi node do",
    "hombi export", "hombi automation check FILE", "hombi automation add FILE",
    "hombi person away", "hombi person invite", "hombi restore mill.backup", "hombi trust",
}  # fmt: skip
# They go on until they are stopped.
FOLLOW = {"hombi follow cellar-rack/humidity", "hombi link messages --topic 'mill/#' --each"}
README = (Path(__file__).parents[2] / "README.md").read_text()


def of_the_tour() -> set[str]:
    """All commands of the README's tour."""
    tour = README.partition("## The tour")[2]
    blocks = re.findall(r"^```\n(.*?)^```", tour, re.MULTILINE | re.DOTALL)
    lines = [line.partition("  #")[0].strip() for block in blocks for line in block.splitlines()]
    typed = [line.removeprefix("$ .venv/bin/") for line in lines]
    running = re.sub(r"^```.*?^```", "", tour, flags=re.MULTILINE | re.DOTALL)
    inline = [" ".join(one.split()) for one in re.findall(r"`(hombi\s[^`]+)`", running)]
    return {one for one in (*typed, *inline) if one.startswith("hombi ")}


def test_each_command_of_the_tour_is_tried() -> None:
    assert of_the_tour() == TOUR.keys() | NAMED


def test_each_command_of_the_tour_prints_what_it_should(demo: Demo, tmp_path: Path) -> None:
    (code,) = re.findall(r"setup code ([\d-]+)", "".join(demo.said))
    service = service_of(demo)
    service.env["COLUMNS"] = "200"
    for command, wanted in TOUR.items():
        words = shlex.split(command)[1:]
        if command in FOLLOW:
            cold = [sys.executable, "-m", "hombi.cli.app", *words]
            following = subprocess.Popen(
                cold, env=service.environment, stdout=subprocess.PIPE, text=True
            )
            assert following.stdout is not None
            assert any(wanted in line for line in following.stdout), command
            following.terminate()
            following.wait(20)
            continue
        words = [
            str(tmp_path / word) if word in ("mill", "mill.backup") else word for word in words
        ]
        # Some take a moment: nodes are heard, a node answers what it is asked.
        for left in range(19, -1, -1):
            done = service.hombi(*words, stdin=f"{code}\n")
            if done.returncode == 0 and wanted in done.stdout:
                break
            assert left, f"{command}: {done.stdout + done.stderr}"
            time.sleep(0.5)
    for command in NAMED - {"hombi --install-completion"}:
        words = [one for one in shlex.split(command)[1:] if one.islower() and "." not in one]
        assert service.hombi(*words, "--help").returncode == 0, command
    with service.hub() as hub:
        until(lambda: hub.entities.get("hen-house-hatch/contact").quality == "good")


def test_radio_nodes_are_in_the_hand(demo: Demo) -> None:
    service = service_of(demo)
    assert "Hold its button" in httpx.get(f"http://127.0.0.1:{service.port + 2}/").text
    service.hombi("pair", "--for", "1m")
    assert "looking for a network" in service.hombi("lab", "press", "workshop-air").stdout
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
        until(lambda: len(hub.nodes.list()) == 41 and all(n.here for n in hub.nodes.list()))
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
