"""The command `hombi serve`: what keeps it from starting, and how it stops."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.house import (
    Service,
    free_ports,
)


def test_a_second_hub_on_the_same_folder_is_refused(service: Service) -> None:
    done = service.hombi("serve", env={"HOMBI_PORT": str(free_ports(1)[0])})
    assert done.returncode == 1
    assert service.process is not None
    assert (
        f"another hub (process {service.process.pid}) runs on {service.data}"
        in done.stderr.replace("\n", "")
    )


@pytest.mark.parametrize(
    ("taken", "said"), [("HOMBI_PORT", "HTTP port"), ("HOMBI_MQTT_PORT", "MQTT port")]
)
def test_a_port_in_use_is_named_with_what_to_do(
    service: Service, tmp_path: Path, taken: str, said: str
) -> None:
    ports = dict(zip(("HOMBI_PORT", "HOMBI_MQTT_PORT"), map(str, free_ports(2)), strict=True))
    ports[taken] = str(service.port)
    done = service.hombi("serve", env={"HOMBI_DATA": str(tmp_path), **ports})
    assert done.returncode == 1
    assert f"{said} {service.port} cannot be opened" in done.stderr
    assert "hombi.toml" in done.stderr
    assert "Traceback" not in done.stderr


def test_a_wrong_hombi_toml_is_named_with_file_line_and_key(
    service: Service, tmp_path: Path
) -> None:
    (tmp_path / "hombi.toml").write_text('[http]\nprot = 1\n[house]\nname = ""\n')
    done = service.hombi("serve", env={"HOMBI_DATA": str(tmp_path)})
    assert done.returncode == 1
    assert (
        f"{tmp_path}/hombi.toml, line 2, column 1: http.prot means nothing here; did you mean port?"
        in done.stderr
    )
    assert "line 4, column 8: house.name is ''; expected a text" in done.stderr


def test_serve_stops_at_ctrl_c_also_with_listeners(own_service: Service) -> None:
    own_service.start()
    with own_service.hub() as hub:
        stream = hub.live()
        hub.pairing.open("20 s")
        following = subprocess.Popen(
            [sys.executable, "-m", "hombi.cli.app", "follow"],
            env=own_service.environment,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        time.sleep(1.5)
        own_service.stop(signal.SIGINT)
        assert own_service.process is not None
        assert own_service.process.returncode == 0
        assert not (own_service.data / "hub.token").exists()
        following.kill()
        following.wait()
        stream.close()  # type: ignore[attr-defined]
