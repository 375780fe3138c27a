"""What can be set of the Wi-Fi link: the tables [mqtt], [broker] and [wifi]."""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass, field
from typing import Any

from hombi.core.settings import (
    Key,
    SettingsError,
    Tables,
    Values,
    file,
    name,
    one_of,
    port,
    seconds,
    texts,
)
from hombi.core.topics import valid_filter
from hombi.links.base import Surroundings

ANY_ADDRESS = "0.0.0.0"  # noqa: S104 - nodes of the house must reach it; the door asks who they are
# How far the door's port over TLS is from that of HTTP.
TLS_AFTER = 5
_PORT, _FILE = "a port number from 1 to 65535", "the path of a PEM file that is there"


@dataclass(frozen=True, slots=True)
class TlsFiles:
    """Certificates as PEM files; "" where there is none."""

    ca: str = ""
    certificate: str = ""
    key: str = ""


@dataclass(frozen=True, slots=True)
class BrokerSettings:
    """An MQTT broker that the house has already."""

    host: str
    port: int = 1883
    user: str = ""
    password: str = field(default="", repr=False)
    version: str = "5"
    topics: tuple[str, ...] = ("#",)
    tls: TlsFiles | None = None


@dataclass(frozen=True, slots=True)
class WifiSettings:
    """All of it."""

    host: str
    port: int
    tls_port: int = 0
    tls: TlsFiles | None = None
    broker: BrokerSettings | None = None
    discovery: str = "all"
    http_port: int = 0
    name: str = "Home"
    read_every_s: float = 30.0
    https_port: int = 0


def _interfaces(value: Any) -> str:
    text = name(value)
    if text not in ("all", "off"):
        for one in text.split(","):
            ipaddress.IPv4Address(one.strip())
    return text


def _topics(value: Any) -> tuple[str, ...]:
    result = texts(value)
    if not all(valid_filter(one) for one in result):
        raise ValueError
    return result


TABLES: Tables = {
    "mqtt": {
        "host": Key('an address, like "0.0.0.0"', name, ANY_ADDRESS),
        # 0 stands for the port after that of HTTP, and 4 more for TLS; with a
        # certificate of the door's own it is the usual 8883.
        "port": Key(_PORT, port, 0),
        "tls_port": Key(_PORT, port, 0),
        "certificate": Key(_FILE, file),
        "key": Key(_FILE, file),
    },
    "broker": {
        "host": Key(
            'an address, like "192.168.1.5" or "broker.local"', name, live=True, required=True
        ),
        "port": Key(_PORT, port, 0, live=True),
        "user": Key("a text", name, live=True),
        "password": Key("a text", name, live=True),
        "version": Key('"3.1.1" or "5"', one_of("3.1.1", "5"), "5", live=True),
        "topics": Key(
            'a list of topic filters, like ["mill/#", "hens/+/state"]', _topics, ("#",), live=True
        ),
        "ca": Key(_FILE, file, live=True),
        "certificate": Key(_FILE, file, live=True),
        "key": Key(_FILE, file, live=True),
    },
    "wifi": {
        "discovery": Key(
            '"all", "off", or the addresses to use, like "192.168.1.2"', _interfaces, "all"
        ),
        "read_every": Key('a length of time, like "30 s"', seconds, 30.0),
    },
}


def settings_of(values: Values, around: Surroundings) -> WifiSettings:
    """The settings in these tables. Raises SettingsError."""
    mqtt, wifi = values["mqtt"], values["wifi"]
    if mqtt["tls_port"] and not mqtt["certificate"] and not around.https_port:
        raise SettingsError(
            "mqtt.tls_port is set, but mqtt.certificate is not, and https.use is off: the door "
            "has nothing to show who it is"
        )
    tls = None
    if mqtt["certificate"]:
        tls = TlsFiles(certificate=mqtt["certificate"], key=mqtt["key"])
    return WifiSettings(
        mqtt["host"],
        mqtt["port"] or around.http_port + 1,
        mqtt["tls_port"] or (8883 if tls is not None else around.http_port + TLS_AFTER),
        tls,
        _broker(values["broker"]),
        wifi["discovery"],
        around.http_port,
        around.house_name,
        wifi["read_every"],
        around.https_port,
    )


def _broker(table: Any) -> BrokerSettings | None:
    if not table["host"]:
        return None
    secure = table["ca"] or table["certificate"]
    return BrokerSettings(
        table["host"],
        table["port"] or (8883 if secure else 1883),
        table["user"],
        table["password"],
        table["version"],
        table["topics"],
        TlsFiles(table["ca"], table["certificate"], table["key"]) if secure else None,
    )
