"""Zigbee nodes as they are built: endpoints, clusters, attributes and what senses
them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from hombi.lab.physics import Mill

Sense = Callable[[Mill], Any]


@dataclass(frozen=True, slots=True)
class Attr:
    """One attribute: its type, how it is sensed (or its value), whether it may be
    written, and what values it takes."""

    type: int
    sense: Sense | int | float | str | None = None
    writable: bool = False
    low: float = -math.inf
    high: float = math.inf
    among: tuple[int, ...] = ()

    def takes(self, value: Any) -> bool:
        """Whether a value is one that it can have."""
        if not isinstance(value, int | float):
            return isinstance(value, str)
        return self.low <= value <= self.high and (not self.among or value in self.among)


@dataclass(frozen=True, slots=True)
class Part:
    """One endpoint: what kind of device it is, its clusters with their attributes, and
    those it uses."""

    device: int
    clusters: Mapping[int, Mapping[int, Attr]]
    outputs: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class ZigbeePlan:
    """One node as it is built. `switches` is the mill's device that its on/off cluster
    sets, `tunnel` what it tunnels by number with type and sense (or first value), on a
    cluster of the maker's own. `taps` is what a person can do at it: endpoint, cluster,
    command and payload that it sends."""

    address: str
    title: str
    room: str
    make: str
    model: str
    ieee: int
    parts: Mapping[int, Part]
    sleepy: bool = True
    router: bool = False
    power: int = 3
    switches: str = ""
    zone_alarm: Sense | None = None
    tunnel_cluster: int = 0
    tunnel: Mapping[int, tuple[int, Any]] = field(default_factory=dict)
    waits: bool = False
    taps: Mapping[str, tuple[int, int, int, bytes]] = field(default_factory=dict)


def lux(value: float) -> int:
    """An illuminance as its cluster counts it (ZCL, 4.2.2.2.1.1)."""
    return 0 if value < 1 else min(0xFFFE, round(10_000 * math.log10(value)) + 1)
