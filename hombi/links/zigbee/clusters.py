"""The clusters of the ZCL by their names, for those that no entity comes of: a person
sees what a node has beside its values, and a profile may name it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

# What nodes have for their own working (ZCL, chapter 3, and the Zigbee base device):
# nothing of it is missed. 0x0500 and 0x0020 are spoken by the hub itself.
_WORKING = frozenset(
    {0x0000, 0x0003, 0x0004, 0x0005, 0x000A, 0x0015, 0x0019, 0x0020, 0x0021, 0x0B05, 0x1000}
)
_NAMES = {
    0x0001: "power", 0x0002: "temperature of the node itself", 0x0005: "scenes",
    0x0006: "on and off", 0x0007: "how a switch works", 0x0008: "level", 0x0009: "alarms",
    0x000B: "location", 0x000C: "analog input", 0x000D: "analog output",
    0x000E: "analog value", 0x000F: "binary input", 0x0010: "binary output",
    0x0011: "binary value", 0x0012: "multistate input", 0x0013: "multistate output",
    0x0014: "multistate value", 0x001B: "appliance", 0x0100: "shade", 0x0101: "door lock",
    0x0102: "window covering", 0x0200: "pump", 0x0201: "thermostat", 0x0202: "fan",
    0x0203: "dehumidifying", 0x0204: "thermostat's own interface", 0x0300: "colour",
    0x0301: "ballast", 0x0400: "illuminance", 0x0401: "illuminance level",
    0x0500: "alarm zone", 0x0501: "alarm panel", 0x0502: "siren", 0x0700: "price",
    0x0702: "metering", 0x0B04: "electrical measurement",
}  # fmt: skip
MAKERS_OWN = 0xFC00


class Unused(NamedTuple):
    """A cluster of which the hub makes no entity."""

    endpoint: int
    cluster: int

    def __str__(self) -> str:
        name = _NAMES.get(self.cluster, "")
        number = f"cluster {self.cluster:04X} on endpoint {self.endpoint}"
        if not name and self.cluster >= MAKERS_OWN:
            name = "something of its maker's own"
        what = f"{name} ({number})" if name else number
        return f"it has {what}; only a profile can make values of it"


def unused(inputs: Mapping[int, Iterable[int]], used: Iterable[tuple[int, int]]) -> list[Unused]:
    """The clusters of a node, by endpoint, that are not among the `used` ones
    (endpoint, cluster)."""
    taken = set(used)
    return [
        Unused(endpoint, cluster)
        for endpoint, clusters in sorted(inputs.items())
        for cluster in clusters
        if cluster not in _WORKING and (endpoint, cluster) not in taken
    ]
