"""The one list of drivers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from hombi.links.base import Driver, Reports, WifiSettings
from hombi.links.wifi.driver import Keys, WifiDriver


def drivers(reports: Reports, keys: Keys, wifi: WifiSettings, kept: Mapping[str, dict[str, Any]]) -> list[Driver]:
    """A driver for each link, none of them started. `kept` is what they asked to be kept before a restart."""
    return [WifiDriver(reports, keys, wifi, kept)]
