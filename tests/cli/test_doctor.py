"""Looking after the hub from the command line: its settings file, how it is, accounts,
programs, and what arrives."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

from tests.house import OWNER, PASSWORD, Joined, Service, until


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (
            "[mqtt]\nprot = 1883\n",
            ["hombi.toml:2:1", "mqtt.prot means nothing here", "did you mean port?", "prot = 1883"],
        ),
        ("[mqqt]\nport = 1883\n", ["hombi.toml:1:", "did you mean mqtt?"]),
        ("[broker]\nport = 1883\n", ["hombi.toml:1:", "[broker] has no host"]),
        ('[broker]\nhost = "b"\nversion = "4"\n', ["hombi.toml:3:11", '"3.1.1" or "5"']),
        (
            '[broker]\nhost = "b"\ntopics = ["a/#/b"]\n',
            ["hombi.toml:3:", "a list of topic filters"],
        ),
        (
            '[broker]\nhost = "b"\nca = "/nowhere.pem"\n',
            ["hombi.toml:3:", "the path of a PEM file that is there"],
        ),
        ("[https]\nuse = false\n[mqtt]\ntls_port = 8883\n", ["mqtt.certificate is not"]),
        ('[house]\ntime_zone = "Mars"\n', ["hombi.toml:2:", "a time zone"]),
    ],
)
def test_check_names_each_mistake_with_its_place(
    service: Service, tmp_path: Path, text: str, said: list[str]
) -> None:
    file = tmp_path / "hombi.toml"
    file.write_text(text)
    done = service.hombi("check", str(file))
    assert done.returncode == 1
    for part in said:
        assert part in done.stderr, done.stderr


def test_check_looks_over_a_node_profile(service: Service, tmp_path: Path) -> None:
    file = tmp_path / "cool-box.toml"
    file.write_text('[profile]\nmake = "Wicker Works"\nmodel = "Cool box"\n')
    done = service.hombi("check", str(file))
    assert "a node profile for Wicker Works Cool box" in done.stdout.replace("\n", " ")
    file.write_text('[profile]\nmake = "Wicker Works"\nmodle = "Cool box"\n')
    done = service.hombi("check", str(file))
    assert done.returncode == 1
    assert f"{file}:3:1" in done.stderr, done.stderr
    assert "did you mean model" in done.stderr


def test_check_says_what_a_right_file_sets_and_keeps_passwords_to_itself(
    service: Service, tmp_path: Path
) -> None:
    file = tmp_path / "hombi.toml"
    file.write_text('[broker]\nhost = "10.0.0.5"\npassword = "sluice"\n')
    done = service.hombi("check", str(file))
    assert done.returncode == 0
    assert "it sets broker.host, broker.password" in done.stdout.replace("\n", " ")
    assert "sluice" not in done.stdout
    file.write_text('[broker]\nhost = "10.0.0.5"\npassword = 17\n')
    done = service.hombi("check", str(file))
    assert "broker.password is …; expected a text" in done.stderr + done.stdout
    assert "every setting has its default" in service.hombi("check").stdout
    assert service.hombi("check", str(tmp_path / "none.toml")).returncode == 1


def test_doctor_looks_at_every_part(service: Service, rack: Joined) -> None:
    done = service.hombi("doctor")
    for part in (
        "hombi.toml",
        "disk",
        "database",
        "event loop",
        "clock",
        "MQTT listener",
        "finding nodes",
        "pairing",
        "nodes",
        "automations",
    ):
        assert part in done.stdout
    asked = service.hombi("doctor", "--json")
    rows = json.loads(asked.stdout)
    faults = {row["part"] for row in rows if row["state"] == "fault"}
    assert faults <= {"event loop"}, "nothing but a machine too busy to test on"
    assert asked.returncode == len(faults)
    assert (
        next(row for row in rows if row["part"] == "phones")["advice"]
        == "open the console on a phone, and take notifications on the page Notices"
    )


def test_doctor_without_a_hub_says_so(own_service: Service) -> None:
    done = own_service.hombi("doctor")
    assert done.returncode == 3
    assert "cannot be reached; is it running?" in done.stderr


def test_mqtt_accounts_come_and_go(service: Service) -> None:
    added = service.hombi(
        "mqtt", "add", "bench", "--publish", "bench/#", "--subscribe", "bench/+/set"
    )
    assert "bench has the key" in added.stdout
    assert "It is not shown again" in added.stdout
    (row,) = json.loads(service.hombi("mqtt", "list", "--json").stdout)
    assert (row["account"], row["publish"], row["subscribe"], "key" in row) == (
        "bench",
        ["bench/#"],
        ["bench/+/set"],
        False,
    )
    changed = service.hombi("mqtt", "change", "bench", "--publish", "drill/#")
    assert "bench may publish drill/#, subscribe to bench/+/set" in changed.stdout
    assert "has the key" in service.hombi("mqtt", "key", "bench").stdout
    assert "is removed" in service.hombi("mqtt", "remove", "bench", "--yes").stdout
    assert "There is no MQTT account yet" in service.hombi("mqtt", "list").stdout
    assert service.hombi("mqtt", "add", "bench", "--publish", "a/#/b").returncode == 2


def test_programs_that_are_signed_in_are_listed_and_made_void(
    service: Service, tmp_path: Path
) -> None:
    elsewhere = {"XDG_CONFIG_HOME": str(tmp_path), "HOMBI_DATA": str(tmp_path / "none")}
    done = service.hombi(
        "sign-in",
        "--hub",
        service.url,
        "--username",
        OWNER,
        env={**elsewhere, "HOMBI_PASSWORD": PASSWORD},
    )
    assert done.returncode == 0, done.stderr
    assert service.hombi("now", env=elsewhere).returncode == 0
    (row,) = json.loads(service.hombi("token", "list", "--json").stdout)
    assert row["username"] == OWNER
    assert "is revoked" in service.hombi("token", "revoke", str(row["id"])).stdout
    assert service.hombi("now", env=elsewhere).returncode != 0


def test_messages_are_followed_as_lines_of_json(service: Service, rack: Joined) -> None:
    words = [
        sys.executable,
        "-m",
        "hombi.cli.app",
        "link",
        "messages",
        "--follow",
        "--json",
        "--node",
        "cellar-rack",
        "--limit",
        "1",
    ]
    with subprocess.Popen(
        words, env=service.environment, stdout=subprocess.PIPE, text=True
    ) as following:
        assert following.stdout is not None
        heard: list[str] = []
        with rack.connected() as client:

            def said() -> bool:
                rack.publish(client, [{"n": "humidity", "v": 61}])
                line = following.stdout.readline() if following.stdout else ""
                heard.append(line)
                return '"v": 61' in json.loads(line)["payload"].replace('"v":61', '"v": 61')

            until(said)
        following.terminate()
    row = json.loads(heard[-1])
    assert (row["via"], row["sender"], row["node"], row["topic"]) == (
        "door",
        "cellar-rack",
        "cellar-rack",
        rack.topics["readings"],
    )
    assert row["at"].endswith("Z")


def test_a_variable_that_cannot_be_read_or_means_nothing_is_found_by_check(
    service: Service, tmp_path: Path
) -> None:
    env = {"HOMBI_DATA": str(tmp_path), "HOMBI_MQTT_PORT": "none"}
    wrong = service.hombi("check", env=env)
    assert wrong.returncode == 1
    assert "HOMBI_MQTT_PORT='none': expected a port number" in wrong.stderr
    env = {"HOMBI_DATA": str(tmp_path), "HOMBI_MQTT_PROT": "1883"}
    stray = service.hombi("check", env=env)
    assert stray.returncode == 0
    assert "HOMBI_MQTT_PROT means nothing here; did you mean HOMBI_MQTT_PORT?" in stray.stderr
