"""The one list of drivers."""

from __future__ import annotations

from hombi.links.base import Driver, Reports
from hombi.links.wifi.driver import Keys, WifiDriver


def drivers(reports: Reports, keys: Keys, mqtt_host: str, mqtt_port: int) -> list[Driver]:
    """A driver for each link, none of them started."""
    return [WifiDriver(reports, keys, mqtt_host, mqtt_port)]
