"""As people install it: from a wheel without Node.js, run by systemd, measured."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import sys
import sysconfig
import time
import zipfile
from pathlib import Path

import httpx
import pytest
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from hombi.cli.service import home_of
from hombi.client import Hub
from tests.conftest import make_service
from tests.house import CLIMATE, OWNER, PASSWORD, Service, description, let_in, until

ROOT = Path(__file__).parents[2]


def test_a_wheel_holds_the_console_and_runs_without_node(
    tmp_path: Path, empty_database: Path
) -> None:
    copy = tmp_path / "source"
    for name in ("hombi", "pyproject.toml", "README.md"):
        source = ROOT / name
        if source.is_dir():
            shutil.copytree(source, copy / name, ignore=shutil.ignore_patterns("__pycache__"))
        else:
            shutil.copy(source, copy / name)
    words = ["wheel", "--quiet", "--no-deps", "--wheel-dir", str(tmp_path)]
    subprocess.run([sys.executable, "-m", "pip", *words, str(copy)], check=True, timeout=200)
    (wheel,) = tmp_path.glob("hombi-*.whl")
    with zipfile.ZipFile(wheel) as held:
        names = held.namelist()
        held.extractall(tmp_path / "installed")
    assert "hombi/service/console_files/index.html" in names
    assert any(one.startswith("hombi/links/zigbee/profiles/") for one in names)
    assert "hombi/CHANGELOG.md" in names
    assert not any(one.startswith(("tests/", "bench/", "console/")) for one in names)
    data = tmp_path / "data"
    data.mkdir()
    shutil.copy(empty_database, data)
    result = make_service(data, PYTHONPATH=str(tmp_path / "installed"), PATH="/nowhere")
    result.start()
    try:
        page = httpx.get(result.url)
        assert page.status_code == 200
        asset = page.text.split('src="/assets/')[1].split('"')[0]
        assert httpx.get(f"{result.url}/assets/{asset}").status_code == 200
    finally:
        result.kill()


def test_systemd_is_told_that_it_is_ready_that_it_lives_and_that_it_stops(
    own_service: Service, tmp_path: Path
) -> None:
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as listens:
        address = str(tmp_path / "notify")
        listens.bind(address)
        listens.settimeout(30)
        own_service.env |= {"NOTIFY_SOCKET": address, "WATCHDOG_USEC": "400000"}
        own_service.start()
        assert listens.recv(100) == b"READY=1"
        begun = time.monotonic()
        assert [listens.recv(100) for _ in range(3)] == [b"WATCHDOG=1"] * 3
        assert time.monotonic() - begun < 5
        own_service.stop()
        said = []
        listens.settimeout(1)
        while not said or said[-1] != b"STOPPING=1":
            said.append(listens.recv(100))
    assert said[-1] == b"STOPPING=1"


def test_the_unit_of_the_machine_shuts_the_hub_in(own_service: Service, tmp_path: Path) -> None:
    shown = own_service.hombi("service", "show", "--system")
    assert shown.returncode == 0, shown.stderr
    path = tmp_path / "hombi.service"
    path.write_text(shown.stdout)
    said = subprocess.run(
        ["systemd-analyze", "security", "--offline=true", "--no-pager", str(path)],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    level = float(said.stdout.split("exposure level for hombi.service:")[1].split()[0])
    assert level < 3, said.stdout
    written = own_service.hombi(
        "service", "install", "--no-start", env={"XDG_CONFIG_HOME": str(tmp_path / "config")}
    )
    assert written.returncode == 0, written.stderr
    text = (tmp_path / "config" / "systemd" / "user" / "hombi.service").read_text()
    assert f"HOMBI_DATA={own_service.data}" in text
    assert "WatchdogSec=" in text


@pytest.mark.parametrize(
    ("program", "home"),
    [
        ("/home/ada/.local/pipx/venvs/hombi/bin/python", "/home"),
        ("/root/hombi/bin/python", "/root"),
        ("/opt/hombi/bin/python", None),
        ("/homeward/bin/python", None),
    ],
)
def test_a_service_of_the_machine_does_not_live_in_a_home(program: str, home: str | None) -> None:
    assert home_of(Path(program)) == (Path(home) if home else None)


def test_metrics_are_for_a_token_that_may_read(service: Service) -> None:
    rack = let_in(service, description("Cellar rack", **CLIMATE))
    rack.post([{"n": "humidity", "v": 84.5}])
    assert httpx.get(f"{service.url}/metrics").status_code == 401
    with Hub(service.url) as hub:
        token = hub.sign_in(OWNER, PASSWORD, "gatherer", limit="read").token
    bearer = {"Authorization": f"Bearer {token}"}

    def gathered() -> dict[str, float]:
        answer = httpx.get(f"{service.url}/metrics", headers=bearer)
        assert answer.headers["Content-Type"].startswith("application/openmetrics-text")
        return {
            sample.name: sample.value
            for family in text_string_to_metric_families(answer.text)
            for sample in family.samples
        }

    until(lambda: gathered()["hombi_readings_committed_total"] >= 1)
    result = gathered()
    assert result["hombi_nodes"] == 1
    assert result["hombi_database_bytes"] > 100_000
    assert result["hombi_info"] == 1
    assert httpx.get(f"{service.url}/api/health/ready").json()["status"] == "ok"


def test_a_folder_of_its_name_where_it_is_started_is_no_part_of_it(tmp_path: Path) -> None:
    """The parent of a clone has a folder `hombi`, too."""
    (tmp_path / "hombi").mkdir()
    (tmp_path / "hombi" / "__init__.py").write_text("raise RuntimeError('the wrong one')")
    command = Path(sys.executable).with_name("hombi")
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"} | {
        "HOMBI_DATA": str(tmp_path / "data")
    }
    shown = subprocess.run(
        [command, "service", "show"], cwd=tmp_path, env=environment, capture_output=True, text=True,
        check=True,
    )  # fmt: skip
    (start,) = [line for line in shown.stdout.splitlines() if line.startswith("ExecStart=")]
    words = start.removeprefix("ExecStart=").split()[:-1]
    said = subprocess.run(
        [*words, "--help"], cwd=tmp_path, env=environment, capture_output=True, text=True,
        check=True,
    )  # fmt: skip
    assert "Usage" in said.stdout


def test_an_editable_install_is_found_by_type_checkers() -> None:
    """They follow a path to `hombi/py.typed`, and no finder."""
    (path,) = Path(sysconfig.get_path("purelib")).glob("__editable__.hombi-*.pth")
    assert (Path(path.read_text().strip()) / "hombi" / "py.typed").is_file()
