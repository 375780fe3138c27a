"""`hombi.toml`: the few things that can be set, their defaults, and what is said about a wrong one."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

from hombi.core.errors import ValueTextError
from hombi.core.house_facts import did_you_mean
from hombi.core.toml_text import Mistake, TomlText, read_toml
from hombi.core.values import parse_span_ms

FILE_NAME = "hombi.toml"


class ConfigError(Exception):
    """`hombi.toml` or an environment variable is wrong; the message has a line for each mistake."""


@dataclass(frozen=True, slots=True)
class Config:
    """The hub's settings. An `mqtt_port` of 0 stands for the one after the HTTP port."""

    data: Path
    house_name: str = "Home"
    time_zone: str = ""
    http_host: str = "0.0.0.0"  # noqa: S104 - nodes and phones of the house must reach it; all but pairing needs a sign-in
    http_port: int = 4662
    mqtt_host: str = "0.0.0.0"  # noqa: S104
    mqtt_port: int = 0
    answer_s: float = 5.0

    @property
    def zone(self) -> ZoneInfo:
        """House time."""
        return ZoneInfo(self.time_zone or _machine_zone())

    @property
    def nodes_port(self) -> int:
        """The MQTT port that is meant."""
        return self.mqtt_port or self.http_port + 1


@dataclass(frozen=True, slots=True)
class _Setting:
    """One key: the field it fills, what is expected of it, and how it is read from TOML and from text."""

    field: str
    expected: str
    read: Callable[[Any], Any]


def _name(value: Any) -> str:
    if not isinstance(value, str) or not value.strip():
        raise ValueError
    return value.strip()


def _port(value: Any) -> int:
    number = int(value) if isinstance(value, str) else value
    if isinstance(number, bool) or not isinstance(number, int) or not 1 <= number <= 65535:
        raise ValueError
    return number


def _zone(value: Any) -> str:
    if value not in available_timezones():
        raise ValueError
    return str(value)


def _seconds(value: Any) -> float:
    if not isinstance(value, str):
        raise ValueError
    return parse_span_ms(value) / 1000


SETTINGS: dict[str, dict[str, _Setting]] = {
    "house": {
        "name": _Setting("house_name", 'a text, like "Heron Mill"', _name),
        "time_zone": _Setting("time_zone", 'a time zone, like "Europe/Berlin"', _zone),
    },
    "http": {
        "host": _Setting("http_host", 'an address, like "0.0.0.0"', _name),
        "port": _Setting("http_port", "a port number from 1 to 65535", _port),
    },
    "mqtt": {
        "host": _Setting("mqtt_host", 'an address, like "0.0.0.0"', _name),
        "port": _Setting("mqtt_port", "a port number from 1 to 65535", _port),
    },
    "actuation": {
        "answer_within": _Setting("answer_s", 'a length of time, like "5 s"', _seconds),
    },
}


def load_config(data: Path, environ: Mapping[str, str] = os.environ) -> Config:
    """The settings of a data folder: the environment before the file, the file before the defaults.

    `HOMBI_<TABLE>_<KEY>` sets any of them (HOMBI_MQTT_PORT); HOMBI_PORT is short for HOMBI_HTTP_PORT. Raises ConfigError.
    """
    path = data / FILE_NAME
    values: dict[str, Any] = {}
    if path.exists():
        toml = read_toml(path.read_text())
        if not toml.mistakes:
            values = _from_file(toml)
        if toml.mistakes:
            raise ConfigError("\n".join(_said(path, mistake) for mistake in toml.mistakes))
    for table, keys in SETTINGS.items():
        for key, setting in keys.items():
            for variable in (f"HOMBI_{table}_{key}".upper(), *(["HOMBI_PORT"] if setting.field == "http_port" else [])):
                if (text := environ.get(variable)) is not None:
                    try:
                        values[setting.field] = setting.read(text)
                    except (ValueError, ValueTextError) as error:
                        raise ConfigError(f"environment variable {variable}={text!r}: expected {setting.expected}") from error
    return Config(data, **values)


def _from_file(toml: TomlText) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for table, content in toml.data.items():
        known = SETTINGS.get(table)
        if known is None or not isinstance(content, dict):
            hint = did_you_mean(table, SETTINGS) or f"tables are {', '.join(f'[{t}]' for t in SETTINGS)}"
            toml.blame((table,), f"{table!r} means nothing here", hint, at_value=False)
            continue
        for key, value in content.items():
            setting = known.get(key)
            if setting is None:
                hint = did_you_mean(key, known) or f"known in [{table}]: {', '.join(known)}"
                toml.blame((table, key), f"{table}.{key} means nothing here", hint, at_value=False)
                continue
            try:
                if isinstance(value, str) and setting.read is _port:
                    raise ValueError
                values[setting.field] = setting.read(value)
            except (ValueError, ValueTextError):
                toml.blame((table, key), f"{table}.{key} is {value!r}; expected {setting.expected}")
    return values


def _said(path: Path, mistake: Mistake) -> str:
    return f"{path}, {mistake}\n    {mistake.source_line}"


def _machine_zone() -> str:
    """The machine's own time zone by its name, or UTC when it has none."""
    link = Path("/etc/localtime")
    if (named := os.environ.get("TZ", "").lstrip(":")) in available_timezones():
        return named
    if link.is_symlink():
        name = str(link.resolve()).partition("zoneinfo/")[2]
        if name in available_timezones():
            return name
    return time.tzname[0] if time.tzname[0] in available_timezones() else "UTC"
