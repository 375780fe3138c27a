"""The nodes of the network: by the address they were built with, by the short one that
they have now, and by what the house calls them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from hombi.links.base import LinkError, OwnReports, Unreachable
from hombi.links.zigbee.device import Device
from hombi.links.zigbee.points import Point
from hombi.links.zigbee.shelf import Shelf

# Where it is kept that a node was removed and has not been told.
REMOVED = "removed"


class Roster:
    """Every node that the network is known to have, admitted or not."""

    def __init__(self, reports: OwnReports, shelf: Shelf) -> None:
        self._reports, self._shelf = reports, shelf
        self.devices: dict[int, Device] = {}
        self._by_short: dict[int, Device] = {}
        self._by_node: dict[str, Device] = {}
        # Nodes that were removed and do not know it yet, with the short address that
        # they had.
        self.removed: dict[int, int] = {}

    def restore(self, kept: Mapping[str, dict[str, Any]]) -> None:
        """Take up what was kept of nodes."""
        for state in kept.values():
            if (ieee := state.get(REMOVED)) is not None:
                self.removed[int(ieee, 16)] = state["short"]
            else:
                self.add(Device.of(state))

    def add(self, device: Device) -> None:
        """A node that has joined."""
        self.devices[device.ieee] = self._by_short[device.short] = device
        device.settle(self._shelf.find(device.make, device.model))

    def keep(self, device: Device) -> None:
        """Have what is known of it outlive a restart."""
        self._reports.keep(device.key, device.kept())

    def forget(self, device: Device) -> None:
        """It is not a node of this network any more."""
        self.devices.pop(device.ieee, None)
        self._by_node.pop(device.node, None)
        if self._by_short.get(device.short) is device:
            del self._by_short[device.short]
        self._reports.keep(device.key, None)

    def remove(self, device: Device, *, knows: bool) -> None:
        """It is not a node of this house any more; one that does not know it yet is
        told when it is next heard."""
        self.forget(device)
        if not knows:
            self.removed[device.ieee] = device.short
            state = {REMOVED: f"{device.ieee:016x}", "short": device.short}
            self._reports.keep(f"{REMOVED} {device.ieee:016x}", state)

    def gone(self, ieee: int) -> None:
        """A node that was removed knows it, or joins anew."""
        if self.removed.pop(ieee, None) is not None:
            self._reports.keep(f"{REMOVED} {ieee:016x}", None)

    def admitted(self, device: Device, node: str) -> None:
        """The house has let it in, under this name."""
        device.node = node
        self._by_node[node] = device

    def moved(self, device: Device, short: int) -> bool:
        """Take note of a node's short address; whether it is another one."""
        before = device.short
        if self._by_short.get(before) is device:
            del self._by_short[before]
        device.short = short
        self._by_short[short] = device
        return before != short

    def at(self, short: int) -> Device | None:
        """The node that has this short address."""
        return self._by_short.get(short)

    def arrival(self, thing_id: str) -> Device | None:
        """The node with this identifier."""
        return next((device for device in self.devices.values() if device.id == thing_id), None)

    def of(self, node: str) -> Device:
        """An admitted node. Raises Unreachable."""
        device = self._by_node.get(node)
        if device is None:
            raise Unreachable(f"{node} is not in the Zigbee network any more; let it join again")
        return device

    def point(self, node: str, wire: str) -> tuple[Device, Point]:
        """One of its values. Raises LinkError."""
        device = self.of(node)
        if (point := device.points.get(wire)) is None:
            raise LinkError(f"{node} has no {wire} any more; let it join again")
        return device, point
