from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

import pytest

from hombi.hub.settings import config
from hombi.hub.settings.config import ConfigError, load_config


def test_everything_has_a_default(tmp_path: Path) -> None:
    config = load_config(tmp_path, {})
    assert (config.http_port, config.links["wifi"].port, config.answer_s) == (21460, 21461, 5.0)
    assert config.zone.key


def test_the_environment_goes_before_the_file(tmp_path: Path) -> None:
    (tmp_path / "hombi.toml").write_text(
        '[house]\nname = "Heron Mill"\ntime_zone = "Europe/Berlin"\n[http]\nport = '
        '5000\n[actuation]\nanswer_within = "2 s"\n'
    )
    config = load_config(tmp_path, {"HOMBI_PORT": "6000", "HOMBI_MQTT_HOST": "127.0.0.1"})
    assert (
        config.house_name,
        config.zone.key,
        config.http_port,
        config.links["wifi"].host,
        config.answer_s,
    ) == (
        "Heron Mill",
        "Europe/Berlin",
        6000,
        "127.0.0.1",
        2.0,
    )
    assert config.links["wifi"].port == 6001


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("[http\n", "line 1, column"),
        ("[htpp]\nport = 1\n", "line 1, column 2: 'htpp' means nothing here; did you mean http?"),
        (
            "[http]\nprot = 1\n",
            "line 2, column 1: http.prot means nothing here; did you mean port?",
        ),
        (
            "[http]\nport = 70000\n",
            "line 2, column 8: http.port is 70000; expected a port number from 1 to 65535",
        ),
        ('[http]\nport = "80"\n', "http.port is '80'; expected a port number"),
        ("[house]\n\nname = 3\n", "line 3, column 8: house.name is 3; expected a text"),
        ('[house]\ntime_zone = "Berlin"\n', "expected a time zone"),
        ('[house]\ntime_zone = "Europe"\n', "expected a time zone"),
        ('[readings]\nkeep = "20 h"\n', 'expected a day to a hundred years, like "90 d"'),
        ('[readings]\nkeep = "40000 d"\n', "expected a day to a hundred years"),
        ('[actuation]\nanswer_within = "soon"\n', 'expected a length of time, like "5 s"'),
        ("port = 1\n", "line 1, column 1: 'port' means nothing here"),
    ],
)
def test_a_wrong_file_is_named_with_line_key_and_what_was_expected(
    tmp_path: Path, text: str, said: str
) -> None:
    (tmp_path / "hombi.toml").write_text(text)
    with pytest.raises(ConfigError) as caught:
        load_config(tmp_path, {})
    assert said in str(caught.value)
    assert str(tmp_path / "hombi.toml") in str(caught.value)


@pytest.mark.parametrize(
    ("named", "zone"),
    [("Europe/Berlin", "Europe/Berlin"), (":America/Lima", "America/Lima")],
)
def test_house_time_is_the_machines_where_the_settings_name_none(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, named: str, zone: str
) -> None:
    monkeypatch.setenv("TZ", named)
    config._machine_zone.cache_clear()
    assert load_config(tmp_path, {}).zone.key == zone


@pytest.mark.parametrize("named", ["", "Europe", "../../etc/passwd", "/etc/passwd", "x" * 5000])
def test_a_machine_with_an_odd_time_zone_has_one_all_the_same(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, named: str
) -> None:
    monkeypatch.setenv("TZ", named)
    config._machine_zone.cache_clear()
    link = Path("/etc/localtime")
    linked = str(link.resolve()).partition("zoneinfo/")[2] if link.is_symlink() else ""
    assert load_config(tmp_path, {}).zone.key in (linked, *time.tzname, "UTC")


def test_all_mistakes_are_said_at_once(tmp_path: Path) -> None:
    (tmp_path / "hombi.toml").write_text("[http]\nport = 0\n[mqtt]\nport = 0\n")
    with pytest.raises(ConfigError) as caught:
        load_config(tmp_path, {})
    assert len(str(caught.value).splitlines()) == 4


@pytest.mark.parametrize(
    ("variable", "text"),
    [("HOMBI_PORT", "none"), ("HOMBI_MQTT_PORT", "0"), ("HOMBI_ACTUATION_ANSWER_WITHIN", "x")],
)
def test_a_wrong_variable_is_named(tmp_path: Path, variable: str, text: str) -> None:
    with pytest.raises(ConfigError, match=f"{variable}='{text}': expected"):
        load_config(tmp_path, {variable: text})


def test_the_machines_zone_is_the_one_before_django_sets_its_own(tmp_path: Path) -> None:
    program = (
        "import os; from pathlib import Path; from hombi.hub.settings.config import load_config; "
        "config = load_config(Path('.')); os.environ['DJANGO_SETTINGS_MODULE'] = "
        "'hombi.service.settings'; import django; django.setup(); print(config.zone.key, "
        "load_config(Path('.')).zone.key)"
    )
    result = subprocess.run(
        [sys.executable, "-c", program],
        cwd=tmp_path,
        env={**os.environ, "TZ": "America/Lima", "HOMBI_DATA": str(tmp_path)},
        capture_output=True,
        text=True,
        check=True,
    )
    assert result.stdout.split() == ["America/Lima", "America/Lima"]


@pytest.mark.parametrize("given", ['["°F", "inHg"]', "°F, inHg", " [ '°F', 'inHg' ] "])
def test_a_list_in_the_environment_is_written_as_in_the_file_or_with_commas(
    tmp_path: Path, given: str
) -> None:
    assert load_config(tmp_path, {"HOMBI_HOUSE_UNITS": given}).units == ("°F", "inHg")


@pytest.mark.parametrize("given", ["[1, 2]", '["°F", "furlongs"]', "[°F"])
def test_a_list_in_the_environment_that_is_wrong_says_how_it_is_written(
    tmp_path: Path, given: str
) -> None:
    with pytest.raises(ConfigError, match="expected a list of units, like"):
        load_config(tmp_path, {"HOMBI_HOUSE_UNITS": given})
