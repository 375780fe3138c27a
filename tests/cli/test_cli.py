"""The command line, run as people and programs run it, against a hub that was
started."""

from __future__ import annotations

import json
import signal
import stat
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from hombi import __version__
from hombi.cli.drawing import out
from tests.house import (
    CLIMATE,
    OWNER,
    PASSWORD,
    Joined,
    Service,
    ask,
    description,
    free_ports,
    until,
)

DRY = (
    'name = "Too dry"\n\n[watch]\nentity = "cellar-rack/humidity"\nunder = "20 %"\nheld '
    '= "10 min"\n\n'
    '[[starts]]\nswitch = "cellar-mister/switch"\nto = "on"\n'
)


@pytest.fixture(scope="module", autouse=True)
def house(service: Service, rack: Joined, mister: Joined) -> Iterator[None]:
    """A cellar with a rack that has spoken and a mister that obeys."""
    rack.post([{"n": "temperature", "v": 11.25}, {"n": "humidity", "v": 84.5}])
    with mister.connected() as client:
        mister.publish(client, [{"n": "switch", "vb": False}])
        yield


def test_help_names_every_command(service: Service) -> None:
    text = service.hombi("--help").stdout
    for name in (
        "serve", "demo", "status", "pair", "arrivals", "admit", "now", "history", "follow", "set",
        "journal", "doctor", "check", "sign-in",
        "node", "entity", "room", "automation", "contact", "notices", "mqtt", "token", "link",
    ):  # fmt: skip
        assert f" {name} " in text


def test_now_is_a_table_for_people(service: Service) -> None:
    done = service.hombi("now")
    assert done.returncode == 0, done.stderr
    row = next(line for line in done.stdout.splitlines() if "cellar-rack/humidity" in line)
    assert row.split()[:4] == ["cheese-cellar", "cellar-rack/humidity", "84.5", "%"]


def test_now_is_json_for_programs(service: Service) -> None:
    rows = json.loads(service.hombi("now", "--json", "--kind", "humidity").stdout)
    assert len(rows) == 1
    assert rows[0]["heard_at"].endswith("Z")
    assert {
        k: rows[0][k]
        for k in ("node", "link", "entity", "kind", "room", "value", "unit", "quality")
    } == {
        "node": "cellar-rack",
        "link": "wifi",
        "entity": "cellar-rack/humidity",
        "kind": "humidity",
        "room": "cheese-cellar",
        "value": 84.5,
        "unit": "%",
        "quality": "good",
    }


@pytest.mark.parametrize(
    "command",
    [
        "status",
        "now",
        "arrivals",
        "journal",
        "doctor",
        "node list",
        "entity list",
        "room list",
        "automation list",
        "contact list",
        "mqtt list",
        "token list",
        "link list",
    ],
)
def test_every_listing_is_also_a_list_of_objects(service: Service, command: str) -> None:
    rows = json.loads(service.hombi(*command.split(), "--json").stdout)
    assert isinstance(rows, list)
    assert all(isinstance(row, dict) for row in rows)


def test_status_says_what_needs_you(service: Service) -> None:
    text = service.hombi("status").stdout
    assert f"Test house · Hombi {__version__}" in text
    assert "2 nodes · 4 entities" in text
    assert f"MQTT on port {service.mqtt_port}" in text
    assert "pairing is closed" in text


def test_set_waits_for_the_nodes_word(service: Service) -> None:
    done = service.hombi("set", "cellar-mister/switch", "on")
    assert done.returncode == 0, done.stderr
    assert "cellar-mister/switch is on, confirmed by the node after" in done.stdout
    (row,) = json.loads(service.hombi("set", "cellar-mister/switch", "off", "--json").stdout)
    assert (row["state"], row["value"], row["by"]) == ("confirmed", 0.0, "command line")


def test_set_that_is_not_done_is_said_so_with_its_own_code(service: Service) -> None:
    thing = description("Deaf plug", switch={"type": "boolean"})
    with service.hub() as hub:
        hub.pairing.open("20 s")
        asked = ask(service, thing)
        hub.pairing.admit(asked.json()["id"], "1234-5678")
        hub.pairing.close()
    done = service.hombi("set", "deaf-plug/switch", "on")
    assert done.returncode == 5
    assert "deaf-plug is not connected" in done.stderr
    assert done.stdout == ""
    with service.hub() as hub:
        hub.nodes.remove("deaf-plug")


@pytest.mark.parametrize(
    ("words", "code", "said"),
    [
        (("set", "cellar-mister/swich", "on"), 1, "did you mean cellar-mister/switch?"),
        (("set", "cellar-mister/switch", "onn"), 2, "use 'on' or 'off'"),
        (("set", "cellar-rack/humidity", "80 %"), 2, "read-only"),
        (
            ("history", "cellar-rack/humidity", "--span", "century"),
            2,
            "use hour, day, week, month, year",
        ),
        (("now", "--room", "cheese-celar"), 1, "did you mean cheese-cellar?"),
        (("admit", "nobody"), 1, "no arrival is called nobody"),
        (("pair", "--for", "2 hours"), 2, "15 min"),
        (("automation", "show", "nothing"), 1, "no automation nothing"),
        (("automation", "check", "/nowhere.toml"), 2, "does not exist"),
        (("automation", "duty", "x", "maybe"), 2, "duty is on or off"),
        (("contact", "test", "7"), 1, "no contact 7"),
        (("nonsense",), 2, "No such command"),
    ],
)
def test_errors_are_words_with_a_code_that_means_something(
    service: Service, words: tuple[str, ...], code: int, said: str
) -> None:
    done = service.hombi(*words)
    assert done.returncode == code, done.stdout + done.stderr
    assert said in " ".join(done.stderr.replace("│", " ").split())
    assert "Traceback" not in done.stderr


def test_no_hub_is_code_3_and_no_token_is_code_4(service: Service, tmp_path: Path) -> None:
    (port,) = free_ports(1)
    nowhere = {"HOMBI_DATA": str(tmp_path), "XDG_CONFIG_HOME": str(tmp_path)}
    done = service.hombi("now", env={**nowhere, "HOMBI_PORT": str(port)})
    assert done.returncode == 3
    assert "cannot be reached" in done.stderr
    done = service.hombi("now", env={**nowhere, "HOMBI_PORT": str(service.port)})
    assert done.returncode == 4
    assert "hombi sign-in" in done.stderr


@pytest.mark.parametrize("command", ["now", "demo"])
def test_a_port_that_is_none_is_named(service: Service, tmp_path: Path, command: str) -> None:
    done = service.hombi(command, env={"HOMBI_DATA": str(tmp_path), "HOMBI_PORT": "none"})
    assert done.returncode == 2
    assert "HOMBI_PORT='none' is not a port number" in done.stderr


def test_sign_in_keeps_a_token_for_later_commands(service: Service, tmp_path: Path) -> None:
    elsewhere = {"HOMBI_DATA": str(tmp_path / "none"), "XDG_CONFIG_HOME": str(tmp_path)}
    del_port = {"HOMBI_PORT": ""}
    done = service.hombi(
        "sign-in",
        "--hub",
        service.url,
        "--username",
        OWNER,
        env={**elsewhere, "HOMBI_PASSWORD": PASSWORD},
    )
    assert done.returncode == 0, done.stderr
    kept = tmp_path / "hombi" / "sign-in.json"
    assert stat.S_IMODE(kept.stat().st_mode) == 0o600
    assert "cellar-rack/humidity" in service.hombi("now", env={**elsewhere, **del_port}).stdout
    wrong = service.hombi(
        "sign-in", "--hub", service.url, "--username", OWNER, "--password", "wrong", env=elsewhere
    )
    assert wrong.returncode == 4


def test_history_draws_the_course_and_its_numbers(service: Service, rack: Joined) -> None:
    now = time.time()
    rack.post([{"n": "humidity", "t": now - 3000 + n * 30, "v": 60 + n / 5} for n in range(90)])
    text = service.hombi("history", "cellar-rack/humidity", "--span", "hour").stdout
    assert "last hour" in text
    assert "▁" in text
    assert "█" in text
    assert "lowest 60.0" in text
    rows = json.loads(
        service.hombi("history", "cellar-rack/humidity", "--span", "hour", "--json").stdout
    )
    assert sum(row["count"] for row in rows) >= 90
    assert all(row["low"] <= row["mean"] <= row["high"] for row in rows if row["count"])


def test_follow_shows_readings_as_they_come(service: Service, rack: Joined) -> None:
    # Whoever starts the tests in the background may have had SIGINT ignored.
    words = [
        "env",
        "--default-signal=INT",
        sys.executable,
        "-m",
        "hombi.cli.app",
        "follow",
        "cellar-rack/humidity",
        "--json",
    ]
    following = subprocess.Popen(words, env=service.environment, stdout=subprocess.PIPE, text=True)
    assert following.stdout is not None
    heard = threading.Event()

    def post() -> None:
        while not heard.wait(0.2):
            rack.post([{"n": "temperature", "v": 11.5}])
            rack.post([{"n": "humidity", "v": 42.5}])

    posting = threading.Thread(target=post)
    posting.start()
    try:
        row = json.loads(following.stdout.readline())
        assert (row["entity"], row["value"]) == ("cellar-rack/humidity", 42.5)
    finally:
        heard.set()
        posting.join(30)
        following.send_signal(signal.SIGINT)
        assert following.wait(30) == 0


def test_pair_arrivals_and_admit(service: Service) -> None:
    assert "Pairing is open for 60 s" in service.hombi("pair", "--for", "1m").stdout
    ask(service, description("Hen perch", **CLIMATE))
    listing = service.hombi("arrivals").stdout
    assert "Hen perch" in listing
    assert "temperature (°C), humidity (%)" in listing
    wrong = service.hombi("admit", "Hen perch", "--code", "0000")
    assert wrong.returncode == 1
    assert "4 more tries" in wrong.stderr
    done = service.hombi("admit", "Hen perch", "--room", "Hen house", stdin="1234-5678\n")
    assert done.returncode == 0, done.stderr
    assert "Hen perch is in as hen-perch: hen-perch/temperature, hen-perch/humidity" in done.stdout
    ask(service, description("Stranger", **CLIMATE))
    assert "Stranger was turned away" in service.hombi("admit", "Stranger", "--turn-away").stdout
    odd = {"hob": {"type": "number", "unit": "celcius", "title": "Hob", "readOnly": True}}
    ask(service, description("Odd stove", **odd, flue=odd["hob"]))
    assert "did you mean °C?" in service.hombi("arrivals").stdout
    wrong = service.hombi(
        "admit", "Odd stove", "--code", "1234-5678", "--unit", "hob=gauge", "--room", "Hen house"
    )
    assert wrong.returncode == 2
    assert "hob: no unit 'gauge' is known" in wrong.stderr
    service.hombi("admit", "Odd stove", "--code", "1234-5678", "--unit", "hob=°C")
    assert "hombi entity kind" in service.hombi("node", "show", "odd-stove").stdout
    assert service.hombi("entity", "kind", "odd-stove/flue", "temperature").returncode == 0
    assert "hombi entity kind" not in service.hombi("node", "show", "odd-stove").stdout
    assert service.hombi("node", "remove", "odd-stove", "--yes").returncode == 0
    assert "Pairing is closed" in service.hombi("pair", "--close").stdout
    assert "No node waits" in service.hombi("arrivals").stdout


def test_a_command_of_before_goes_on_and_says_its_new_name(service: Service) -> None:
    for before, now in (("way", "contact"), ("tool", "mqtt")):
        done = service.hombi(before, "list")
        assert done.returncode == 0
        assert done.stdout == service.hombi(now, "list").stdout
        assert f"`hombi {before}` is called `hombi {now}` now." in done.stderr


def test_automations_from_a_file(service: Service, tmp_path: Path) -> None:
    path = tmp_path / "dry.toml"
    path.write_text(DRY.replace("humidity", "humidty").replace('"on"', '"onn"'))
    done = service.hombi("automation", "check", str(path))
    assert done.returncode == 1
    assert f"{path}:4:10: no entity cellar-rack/humidty" in done.stderr
    assert (
        '    entity = "cellar-rack/humidty"\n             ^\n    did you mean cellar-rack/humidity?'
        in done.stderr
    )
    assert f"{path}:10:6: 'onn' is not a state of a switch" in done.stderr
    assert service.hombi("automation", "add", str(path)).returncode == 1
    path.write_text(DRY)
    assert (
        "is sound. When Cellar rack humidity is under 20 %"
        in service.hombi("automation", "check", str(path)).stdout
    )
    assert "too-dry is on duty" in service.hombi("automation", "add", str(path)).stdout
    assert service.hombi("automation", "show", "too-dry").stdout == DRY
    assert "off duty" in service.hombi("automation", "duty", "too-dry", "off").stdout
    listing = service.hombi("automation", "list").stdout
    assert "off duty" in listing
    assert json.loads(service.hombi("automation", "list", "--json").stdout)[0]["text"] == DRY
    path.write_text(DRY.replace("20 %", "30 %"))
    assert "under 30 %" in service.hombi("automation", "change", "too-dry", str(path)).stdout
    assert service.hombi("automation", "remove", "too-dry").returncode == 0


def test_the_journal_is_in_order_the_latest_last(service: Service) -> None:
    for _ in range(2):
        service.hombi("pair", "--for", "1m")
        service.hombi("pair", "--close")
    until(lambda: service.hombi("journal", "--event", "PairingClosed").stdout.count("closed") >= 2)
    text = service.hombi("journal", "-n", "2", "--event", "PairingClosed").stdout
    said = "pairing is closed · command line"
    assert [line.split("  ")[1] for line in text.splitlines()] == [said] * 2
    assert "No events of this kind" in service.hombi("journal", "--event", "BatteryLow").stdout


def test_the_shell_completes_names_that_the_hub_knows(service: Service) -> None:
    env = {
        **service.environment,
        "_HOMBI_COMPLETE": "complete_bash",
        "COMP_WORDS": "hombi set cellar-",
        "COMP_CWORD": "2",
        "_TYPER_COMPLETE_ARGS": "hombi set cellar-",
    }
    done = subprocess.run(
        [Path(sys.executable).parent / "hombi"],
        env=env,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.stdout.split() == ["cellar-mister/switch"]


FORGED = "anna\x1b[2J\x9b31m\u202e\n27 Nov 12:00:00  Cellar mister was switched on by mill [bold]"


def test_what_comes_from_outside_forges_no_line_on_the_terminal(service: Service) -> None:
    with service.hub() as hub:
        hub.pairing.open("1 min")
        assert ask(service, description(FORGED, **CLIMATE)).is_success
        # It is stored as the node sent it.
        until(lambda: any(FORGED in entry.text for entry in hub.journal()), 20)
        hub.pairing.close()
    said = service.hombi("journal").stdout
    (line,) = [row for row in said.splitlines() if "\\x1b[2J" in row]
    assert (
        "anna\\x1b[2J\\x9b31m\\u202e\\x0a27 Nov 12:00:00  Cellar mister was switched on "
        "by mill [bold]" in line
    )
    assert not any(sign in said for sign in "\x1b\x9b\u202e")
    exported = service.hombi("journal", "--json").stdout
    assert exported.isascii()
    assert any(FORGED in entry["text"] for entry in json.loads(exported))
    # A name that is drawn as a right-to-left one, and would end a markup, is no harm in
    # a table either.
    with service.hub() as hub:
        hub.pairing.open("1 min")
        assert ask(service, description("Rack [/bold] two", **CLIMATE)).is_success
        assert "Rack [/bold] two" in service.hombi("arrivals").stdout
        hub.pairing.close()


def test_a_part_of_a_fingerprint_is_no_picture() -> None:
    with out.capture() as drawn:
        out.print("5E:AB:0F", ":smile:")
    assert drawn.get() == "5E:AB:0F :smile:\n"


def test_what_is_hardly_meant_is_warned_of_when_a_text_is_added(
    service: Service, mister: Joined, tmp_path: Path
) -> None:
    path = tmp_path / "chase.toml"
    switch = '[[{}]]\nswitch = "cellar-mister/switch"\nto = "{}"\n'
    watch = 'name = "Chase"\n[watch]\nentity = "cellar-mister/switch"\nis = "on"\n'
    path.write_text(watch + switch.format("starts", "off") + switch.format("ends", "on"))
    for words in (("check",), ("add",), ("change", "chase")):
        done = service.hombi("automation", *words, str(path))
        assert done.returncode == 0, done.stderr
        assert f"{path}:6:10: it switches what it watches" in done.stderr
    service.hombi("automation", "remove", "chase")


def test_a_word_of_before_leads_to_the_command_of_now(service: Service) -> None:
    for words, meant in ((("nodes",), "node"), (("statsu",), "status"), (("node", "lst"), "list")):
        said = service.hombi(*words).stderr
        assert said.count(f"Did you mean '{meant}'") == 1, said


@pytest.mark.parametrize("encoding", ["latin-1", "ascii", "utf-8"])
def test_every_encoding_of_the_terminal_is_written_to(
    service: Service, rack: Joined, encoding: str
) -> None:
    rack.post([{"n": "temperature", "v": 11.5}])
    done = subprocess.run(
        [sys.executable, "-m", "hombi.cli.app", "now"],
        env={**service.environment, "PYTHONIOENCODING": encoding},
        capture_output=True,
        timeout=60,
        check=True,
    )
    said = done.stdout.decode(encoding)
    assert "cellar-rack/temperature" in said
    assert ("11.5 deg C" if encoding == "ascii" else "11.5 °C") in said
    with service.hub() as hub:
        hub.rooms.add("奥の間 – “Loft”")
    done = subprocess.run(
        [sys.executable, "-m", "hombi.cli.app", "room", "list"],
        env={**service.environment, "PYTHONIOENCODING": encoding},
        capture_output=True,
        timeout=60,
        check=True,
    )
    poorer = '??? - "Loft"' if encoding != "utf-8" else "奥の間 – “Loft”"
    assert poorer in done.stdout.decode(encoding)
    with service.hub() as hub:
        hub.rooms.remove(next(one.room for one in hub.rooms.list() if "Loft" in one.name))
