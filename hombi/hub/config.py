"""`hombi.toml`: the few things that can be set, their defaults, and what is said about
a wrong one."""

from __future__ import annotations

import ipaddress
import os
import re
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

from hombi.core.errors import ValueTextError
from hombi.core.house_facts import did_you_mean
from hombi.core.toml_text import Mistake, TomlText, read_toml
from hombi.core.values import parse_span_ms
from hombi.links.base import (
    BluetoothSettings,
    BrokerSettings,
    LinkSettings,
    TlsFiles,
    WifiSettings,
    ZigbeeSettings,
)
from hombi.links.wifi.mqtt.topics import valid_filter
from hombi.links.zigbee.profiles import profile_folder, read_profile

FILE_NAME = "hombi.toml"


class ConfigError(Exception):
    """`hombi.toml` or an environment variable is wrong; the message has a line for each
    mistake, `mistakes` those of the file."""

    def __init__(self, what: str, mistakes: Sequence[Mistake] = ()) -> None:
        super().__init__(what)
        self.mistakes = list(mistakes)


@dataclass(frozen=True, slots=True)
class Config:
    """The hub's settings. An `mqtt_port` of 0 stands for the one after the HTTP
    port."""

    data: Path
    house_name: str = "Home"
    time_zone: str = ""
    http_host: str = "0.0.0.0"  # noqa: S104 - nodes and phones of the house must reach it; all but pairing needs a sign-in
    http_port: int = 4662
    http_names: tuple[str, ...] = ()
    http_behind: tuple[str, ...] = ()
    mqtt_host: str = "0.0.0.0"  # noqa: S104
    mqtt_port: int = 0
    mqtt_tls_port: int = 8883
    mqtt_certificate: str = ""
    mqtt_key: str = ""
    broker_host: str = ""
    broker_port: int = 0
    broker_user: str = ""
    broker_password: str = field(default="", repr=False)
    broker_version: str = "5"
    broker_topics: tuple[str, ...] = ("#",)
    broker_ca: str = ""
    broker_certificate: str = ""
    broker_key: str = ""
    wifi_discovery: str = "all"
    wifi_read_every_s: float = 30.0
    answer_s: float = 5.0
    notices_push_services: tuple[str, ...] = ()
    zigbee_port: str = ""
    zigbee_baud: int = 115_200
    bluetooth_use: bool = True
    bluetooth_adapter: str = ""

    @property
    def zone(self) -> ZoneInfo:
        """House time."""
        return ZoneInfo(self.time_zone or _machine_zone())

    @property
    def nodes_port(self) -> int:
        """The MQTT port that is meant."""
        return self.mqtt_port or self.http_port + 1

    @property
    def links(self) -> LinkSettings:
        """What the links are set to."""
        zigbee = ZigbeeSettings(self.zigbee_port, self.zigbee_baud, profile_folder(self.data))
        return LinkSettings(
            self._wifi, zigbee, BluetoothSettings(self.bluetooth_use, self.bluetooth_adapter)
        )

    @property
    def _wifi(self) -> WifiSettings:
        tls = (
            TlsFiles(certificate=self.mqtt_certificate, key=self.mqtt_key)
            if self.mqtt_certificate
            else None
        )
        return WifiSettings(
            self.mqtt_host, self.nodes_port, self.mqtt_tls_port, tls, self._broker,
            self.wifi_discovery, self.http_port,
            self.house_name, self.wifi_read_every_s,
        )  # fmt: skip

    @property
    def _broker(self) -> BrokerSettings | None:
        if not self.broker_host:
            return None
        secure = self.broker_ca or self.broker_certificate
        return BrokerSettings(
            self.broker_host,
            self.broker_port or (8883 if secure else 1883),
            self.broker_user,
            self.broker_password,
            self.broker_version,
            self.broker_topics,
            TlsFiles(self.broker_ca, self.broker_certificate, self.broker_key) if secure else None,
        )


@dataclass(frozen=True, slots=True)
class _Setting:
    """One key: the field it fills, what is expected of it, and how it is read from TOML
    and from text."""

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


def _file(value: Any) -> str:
    path = Path(_name(value)).expanduser()
    if not path.is_file():
        raise ValueError
    return str(path)


def _version(value: Any) -> str:
    if str(value) not in ("3.1.1", "5"):
        raise ValueError
    return str(value)


def _topics(value: Any) -> tuple[str, ...]:
    found = _list(value)
    if not all(valid_filter(one) for one in found):
        raise ValueError
    return tuple(found)


def _list(value: Any) -> list[str]:
    found = [one.strip() for one in value.split(",")] if isinstance(value, str) else value
    if (
        not isinstance(found, list)
        or not found
        or not all(isinstance(one, str) and one for one in found)
    ):
        raise ValueError
    return found


def _names(value: Any) -> tuple[str, ...]:
    found = tuple(_list(value))
    if not all(re.fullmatch(r"[A-Za-z0-9.:_-]{1,253}", one) for one in found):
        raise ValueError
    return found


def _addresses(value: Any) -> tuple[str, ...]:
    return tuple(
        str(ipaddress.ip_network(one)) if "/" in one else str(ipaddress.ip_address(one))
        for one in _list(value)
    )


def _origins(value: Any) -> tuple[str, ...]:
    found = tuple(one.rstrip("/") for one in _list(value))
    if not all(re.fullmatch(r"https?://[^/@?#\s]+", one) for one in found):
        raise ValueError
    return found


def _interfaces(value: Any) -> str:
    text = _name(value)
    if text not in ("all", "off"):
        for one in text.split(","):
            ipaddress.IPv4Address(one.strip())
    return text


def _baud(value: Any) -> int:
    number = int(value) if isinstance(value, str) else value
    if isinstance(number, bool) or number not in (38400, 57600, 115200, 230400, 460800, 921600):
        raise ValueError
    return int(number)


def _yes(value: Any) -> bool:
    found = (
        {"true": True, "on": True, "false": False, "off": False}.get(value.lower())
        if isinstance(value, str)
        else value
    )
    if not isinstance(found, bool):
        raise ValueError
    return found


_FILE = "the path of a PEM file that is there"


SETTINGS: dict[str, dict[str, _Setting]] = {
    "house": {
        "name": _Setting("house_name", 'a text, like "Heron Mill"', _name),
        "time_zone": _Setting("time_zone", 'a time zone, like "Europe/Berlin"', _zone),
    },
    "http": {
        "host": _Setting("http_host", 'an address, like "0.0.0.0"', _name),
        "port": _Setting("http_port", "a port number from 1 to 65535", _port),
        "names": _Setting("http_names", 'a list of names, like ["mill.example"]', _names),
        "behind": _Setting(
            "http_behind", 'the addresses of proxies, like ["192.168.1.2"]', _addresses
        ),
    },
    "mqtt": {
        "host": _Setting("mqtt_host", 'an address, like "0.0.0.0"', _name),
        "port": _Setting("mqtt_port", "a port number from 1 to 65535", _port),
        "tls_port": _Setting("mqtt_tls_port", "a port number from 1 to 65535", _port),
        "certificate": _Setting("mqtt_certificate", _FILE, _file),
        "key": _Setting("mqtt_key", _FILE, _file),
    },
    "broker": {
        "host": _Setting("broker_host", 'an address, like "192.168.1.5" or "broker.local"', _name),
        "port": _Setting("broker_port", "a port number from 1 to 65535", _port),
        "user": _Setting("broker_user", "a text", _name),
        "password": _Setting("broker_password", "a text", _name),
        "version": _Setting("broker_version", '"3.1.1" or "5"', _version),
        "topics": _Setting(
            "broker_topics", 'a list of topic filters, like ["mill/#", "hens/+/state"]', _topics
        ),
        "ca": _Setting("broker_ca", _FILE, _file),
        "certificate": _Setting("broker_certificate", _FILE, _file),
        "key": _Setting("broker_key", _FILE, _file),
    },
    "wifi": {
        "discovery": _Setting(
            "wifi_discovery",
            '"all", "off", or the addresses to use, like "192.168.1.2"',
            _interfaces,
        ),
        "read_every": _Setting("wifi_read_every_s", 'a length of time, like "30 s"', _seconds),
    },
    "zigbee": {
        "port": _Setting(
            "zigbee_port", 'where the stick is, like "/dev/serial/by-id/usb-…"', _name
        ),
        "baud": _Setting(
            "zigbee_baud", "a speed: 38400, 57600, 115200, 230400, 460800 or 921600", _baud
        ),
    },
    "bluetooth": {
        "use": _Setting("bluetooth_use", "true or false", _yes),
        "adapter": _Setting("bluetooth_adapter", 'an adapter, like "hci0"', _name),
    },
    "notices": {
        "push_services": _Setting(
            "notices_push_services",
            'a list of addresses, like ["https://push.mill.example"]',
            _origins,
        ),
    },
    "actuation": {
        "answer_within": _Setting("answer_s", 'a length of time, like "5 s"', _seconds),
    },
}


def load_config(data: Path, environ: Mapping[str, str] = os.environ) -> Config:
    """The settings of a data folder: the environment before the file, the file before
    the defaults.

    `HOMBI_<TABLE>_<KEY>` sets any of them (HOMBI_MQTT_PORT); HOMBI_PORT is short for
    HOMBI_HTTP_PORT. Raises ConfigError.
    """
    path = data / FILE_NAME
    values: dict[str, Any] = {}
    if path.exists():
        values = _read(path)
    for table, keys in SETTINGS.items():
        for key, setting in keys.items():
            for variable in (
                f"HOMBI_{table}_{key}".upper(),
                *(["HOMBI_PORT"] if setting.field == "http_port" else []),
            ):
                if (text := environ.get(variable)) is not None:
                    try:
                        values[setting.field] = setting.read(text)
                    except (ValueError, ValueTextError) as error:
                        raise ConfigError(
                            f"environment variable {variable}={text!r}: expected {setting.expected}"
                        ) from error
    return _fitting(values, data)


def _toml(path: Path) -> TomlText:
    try:
        return read_toml(path.read_text())
    except (OSError, UnicodeDecodeError) as error:
        raise ConfigError(f"{path} cannot be read: {error}") from error


def _read(path: Path) -> dict[str, Any]:
    toml = _toml(path)
    values = _from_file(toml) if not toml.mistakes else {}
    if toml.mistakes:
        raise ConfigError(
            "\n".join(_said(path, mistake) for mistake in toml.mistakes), toml.mistakes
        )
    return values


def check_config(path: Path) -> str:
    """What a settings file sets, or which nodes a node profile is for, in words. Raises
    ConfigError as `load_config` does."""
    if "profile" in _toml(path).data:
        return _check_profile(path)
    values = _read(path)
    _fitting(values, path.parent)
    found = [
        f"{table}.{key}"
        for table, keys in SETTINGS.items()
        for key, one in keys.items()
        if one.field in values
    ]
    return f"it sets {', '.join(found)}" if found else "it sets nothing"


def _check_profile(path: Path) -> str:
    profile, toml = read_profile(path.read_text())
    if profile is None:
        raise ConfigError(
            "\n".join(_said(path, mistake) for mistake in toml.mistakes), toml.mistakes
        )
    return f"a node profile for {profile.make} {', '.join(profile.models)}"


def _fitting(values: dict[str, Any], folder: Path) -> Config:
    """The settings together. Raises ConfigError for what does not go together."""
    if values.get("mqtt_tls_port") and not values.get("mqtt_certificate"):
        raise ConfigError(
            "mqtt.tls_port is set, but mqtt.certificate is not: the door has nothing to "
            "show who it is"
        )
    return Config(folder, **values)


def _from_file(toml: TomlText) -> dict[str, Any]:
    values: dict[str, Any] = {}
    for table, content in toml.data.items():
        known = SETTINGS.get(table)
        if known is None or not isinstance(content, dict):
            hint = (
                did_you_mean(table, SETTINGS)
                or f"tables are {', '.join(f'[{t}]' for t in SETTINGS)}"
            )
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
                shown = "…" if key == "password" else repr(value)
                toml.blame((table, key), f"{table}.{key} is {shown}; expected {setting.expected}")
    if "broker" in toml.data and "broker_host" not in values and not toml.mistakes:
        toml.blame(
            ("broker",),
            "[broker] has no host",
            'add host = "…", or take the table out',
            at_value=False,
        )
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
