"""The one list of drivers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from hombi.links.base import Driver, LinkSettings, Reports
from hombi.links.bluetooth.driver import BluetoothDriver
from hombi.links.wifi.driver import Keys, WifiDriver
from hombi.links.zigbee.driver import ZigbeeDriver

Kept = Mapping[str, dict[str, Any]]


def drivers(reports: Reports, keys: Keys, settings: LinkSettings, kept: Kept) -> list[Driver]:
    """A driver for each link, none of them started. `kept` is what they asked to be
    kept before a restart."""
    return [
        WifiDriver(reports, keys, settings.wifi, _own(kept, "wifi")),
        ZigbeeDriver(reports, settings.zigbee, _own(kept, "zigbee")),
        BluetoothDriver(reports, settings.bluetooth),
    ]


def _own(kept: Kept, link: str) -> Kept:
    """What one link had kept: its keys begin with its name; those without a link's name
    are the first link's."""
    named = {key: key.partition("/")[0] for key in kept}
    others = {"zigbee", "bluetooth", "hub"}
    return {
        key: kept[key]
        for key, name in named.items()
        if name == link or (link == "wifi" and name not in others)
    }
