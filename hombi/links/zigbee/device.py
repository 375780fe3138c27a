"""A node as the Zigbee link knows it: its addresses, what it said in its interview, and
what its frames come to."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any

from hombi.core.kinds import kind_by_key
from hombi.core.names import slug
from hombi.core.senml import Resolved
from hombi.links.offer import Offer, OfferedValue, Setting
from hombi.links.pace import Pace
from hombi.links.zigbee import tunnel, zcl
from hombi.links.zigbee.clusters import Unused, unused
from hombi.links.zigbee.commands import Incoming
from hombi.links.zigbee.doing import Doing, doings
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.operated import operated_points
from hombi.links.zigbee.points import (
    BASIC,
    IAS_ZONE,
    LINK_QUALITY,
    ZONE_STATUS,
    Point,
    finite,
    name_apart,
    standard_points,
)
from hombi.links.zigbee.presses import Remote, remotes
from hombi.links.zigbee.profiles import PLAIN, Profile
from hombi.links.zigbee.raw import Unnamed

SAME_FRAME_S = 1.5
RATE_PER_S, BURST = 50.0, 250.0
QUALITY_STEP, QUALITY_EVERY_S = 26, 600.0
MAINS = {1, 2, 4}
MOST_UNNAMED = 100
MOST_PLACES = 64


@dataclass(slots=True)
class Endpoint:
    """What one endpoint of a node has."""

    profile: int
    device: int
    inputs: tuple[int, ...]
    outputs: tuple[int, ...]


# Clusters of makers lie beyond (ZCL, 2.4.1).
LAST_STANDARD = 0x7FFF


@dataclass
class Device:
    """One node of the network. `node` is its address in the house, "" while it is not
    let in; it is `unsettled` while it has not been told what to report of the values
    that it has by now."""

    ieee: int
    short: int
    sleepy: bool = True
    router: bool = False
    maker: int = 0
    make: str = ""
    model: str = ""
    software: str = ""
    power: int = 0
    endpoints: dict[int, Endpoint] = field(default_factory=dict)
    facts: dict[str, Any] = field(default_factory=dict)
    known: bool = False
    left: bool = False
    notes: list[str] = field(default_factory=list)
    node: str = ""
    unsettled: bool = False
    profile: Profile = PLAIN
    points: dict[str, Point] = field(default_factory=dict)
    told: dict[str, Any] = field(default_factory=dict)
    # What it was asked for and did not tell: it is asked again when it speaks.
    unread: set[str] = field(default_factory=set)
    ask_again_s: float = 0.0
    ask_pause_s: float = 0.0
    unnamed: dict[tuple[int, int, int, int], Unnamed] = field(default_factory=dict)
    pace: Pace = field(default_factory=lambda: Pace(RATE_PER_S, BURST))
    remotes: dict[int, Remote] = field(default_factory=dict)
    _by_place: dict[tuple[int, int, int, int], list[Point]] = field(default_factory=dict)
    says_clear: set[str] = field(default_factory=set)
    missing: list[str] = field(default_factory=list)
    # Whether it is sure in this run of the network that its short address is still its.
    checked: bool = False
    _latest: dict[tuple[int, int], tuple[float, bytes]] = field(default_factory=dict)
    _quality: tuple[float, int] = (-QUALITY_EVERY_S, -1000)

    @property
    def id(self) -> str:
        """Its 64-bit address as a URN (RFC 9039)."""
        return f"urn:dev:mac:{self.ieee:016x}"

    @property
    def title(self) -> str:
        """What it is called before a person has named it."""
        return (
            " ".join(filter(None, (self.make, self.model)))
            or f"Zigbee node {self.ieee & 0xFFFFFF:06x}"
        )

    @property
    def key(self) -> str:
        """Where its state is kept."""
        return f"{self.ieee:016x}"

    def tunnels(self, cluster: int) -> bool:
        """Whether it may tunnel values through a cluster: one that its profile names,
        or, without one that names any, one beyond those of the standard."""
        named = self.profile.tunnels
        return any(cluster == one for _, one in named) if named else cluster > LAST_STANDARD

    def kept(self) -> dict[str, Any]:
        """What must outlive a restart."""
        ends = {
            str(n): [e.profile, e.device, list(e.inputs), list(e.outputs)]
            for n, e in self.endpoints.items()
        }
        return {
            "ieee": f"{self.ieee:016x}", "short": self.short, "sleepy": self.sleepy,
            "router": self.router, "maker": self.maker,
            "make": self.make, "model": self.model, "software": self.software,
            "power": self.power, "endpoints": ends,
            "facts": self.facts, "known": self.known, "left": self.left, "notes": self.notes,
            "unsettled": self.unsettled,
            "missing": self.missing, "says_clear": sorted(self.says_clear),
        }  # fmt: skip

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Device:
        """As it was kept."""
        ends = {
            int(n): Endpoint(p, d, tuple(i), tuple(o))
            for n, (p, d, i, o) in kept["endpoints"].items()
        }
        clear = set(kept.get("says_clear", ()))
        return cls(
            **{**kept, "ieee": int(kept["ieee"], 16), "endpoints": ends, "says_clear": clear}
        )

    def settle(self, profile: Profile) -> None:
        """Work out its points from what it said and from its profile."""
        self.profile = profile
        self.unnamed.clear()
        standard: list[Point] = []
        for number, endpoint in sorted(self.endpoints.items()):
            standard += standard_points(number, endpoint.inputs, self.facts)
            standard += operated_points(number, endpoint.inputs, self.facts)
        self.points = {point.wire: point for point in profile.apply(name_apart(standard))}
        outputs = {number: endpoint.outputs for number, endpoint in self.endpoints.items()}
        self.remotes = remotes(outputs, profile.presses)
        self._by_place.clear()
        for point in self.points.values():
            self._by_place.setdefault(_place(point), []).append(point)

    def doings(self) -> list[Doing]:
        """What it can be asked to do."""
        return [*doings({number: one.inputs for number, one in self.endpoints.items()})]

    def unused(self) -> list[Unused]:
        """The clusters of which there is no value."""
        return unused(
            {number: endpoint.inputs for number, endpoint in self.endpoints.items()},
            [
                *((point.endpoint, point.cluster) for point in self.points.values()),
                *((doing.endpoint, doing.cluster) for doing in self.doings()),
                *self.profile.tunnels,
            ],
        )

    def offer(self) -> Offer:
        """What it has, as every link says so."""
        manner = "passes on for others" if self.router else "always listens"
        about = ["sleeps" if self.sleepy and not self.router else manner]
        if self.software:
            about.append(f"software {self.software}")
        if self.power:
            about.append("on mains" if self.power & 0x7F in MAINS else "on a battery")
        points = self.points.values()
        return Offer(
            self.title,
            ", ".join(about),
            (
                *(_value(point) for point in points if not _is_setting(point)),
                *(
                    value
                    for remote in self.remotes.values()
                    for value in remote.values(alone=len(self.remotes) == 1)
                ),
                _QUALITY,
            ),
            tuple(_setting(point) for point in points if _is_setting(point)),
            tuple(doing.action for doing in self.doings()),
            left_out=(*self.notes, *(str(one) for one in self.unused())),
        )

    def repeated(self, incoming: Incoming, now_s: float) -> bool:
        """Whether this is a frame that came already: what was not acknowledged in time
        is sent again on the radio.

        It has the same sequence number and content as the one before it from this
        endpoint: a door that is opened, closed and opened again says three things.
        """
        place = incoming.endpoint, incoming.cluster
        at, before = self._latest.get(place, (-SAME_FRAME_S, b""))
        if before == incoming.data and now_s - at < SAME_FRAME_S:
            return True
        if len(self._latest) > MOST_PLACES:
            self._latest.clear()
        self._latest[place] = (now_s, incoming.data)
        return False

    def heard(self, incoming: Incoming, now_ms: int) -> list[Resolved]:
        """The link quality, now and then: when it has changed a good deal, or after a
        while."""
        at, before = self._quality
        now_s = now_ms / 1000
        if abs(before - incoming.quality) < QUALITY_STEP and 0 <= now_s - at < QUALITY_EVERY_S:
            return []
        self._quality = (now_s, incoming.quality)
        return [
            Resolved(LINK_QUALITY, "%", now_ms, float(round(incoming.quality * 100 / 255)), True)
        ]

    def attributes(
        self,
        endpoint: int,
        cluster: int,
        found: Iterable[zcl.Attribute],
        now_ms: int,
        manufacturer: int = 0,
        *,
        asked: bool = False,
    ) -> list[Resolved]:
        """The values of attributes that came. Settings are noted on the way, and what
        has no name yet. An attribute of a maker's own (ZCL, 2.4.1) is another than the
        standard one of the same number. One that was asked for has not happened now."""
        values: list[Resolved] = []
        for attribute in found:
            if attribute.status:
                continue
            place = (endpoint, cluster, attribute.id, manufacturer)
            points = [p for p in self._by_place.get(place, ()) if not p.tunnelled]
            told = [p for p in points if not (asked and p.moment)]
            values += self._all_resolved(told, attribute.value, now_ms)
            if not points and cluster != BASIC:
                self._unnamed(
                    Unnamed(
                        endpoint,
                        cluster,
                        attribute.id,
                        attribute.type,
                        attribute.value,
                        manufacturer,
                    )
                )
        return values

    def pressed(self, endpoint: int, cluster: int, frame: zcl.Zcl, now_ms: int) -> list[Resolved]:
        """What a command of a button or a dial comes to. Raises CodecError."""
        remote = self.remotes.get(endpoint)
        return [] if remote is None else remote.heard(cluster, frame, now_ms)

    def sends(self, endpoint: int, cluster: int) -> bool:
        """Whether commands of a cluster come from an endpoint of it."""
        remote = self.remotes.get(endpoint)
        return remote is not None and cluster in remote.clusters

    def zone_changed(self, endpoint: int, status: int, now_ms: int) -> list[Resolved]:
        """An IAS zone's notification: each of its bits that is an entity."""
        return self._all_resolved(
            self._by_place.get((endpoint, IAS_ZONE, ZONE_STATUS, 0), ()), status, now_ms
        )

    def tunnelled(
        self, endpoint: int, cluster: int, found: Iterable[tunnel.Tunnelled], now_ms: int
    ) -> list[Resolved]:
        """The values that came through a tunnel."""
        values: list[Resolved] = []
        for one in found:
            place = (endpoint, cluster, one.id, 0)
            points = [
                p for p in self._by_place.get(place, ()) if p.tunnelled and p.type == one.type
            ]
            values += self._all_resolved(points, one.value, now_ms)
            if not points:
                self._unnamed(
                    Unnamed(endpoint, cluster, one.id, one.type, one.value, tunnelled=True)
                )
        return values

    def clear_s(self, point: Point) -> float:
        """How long after its last report a value counts as over; 0 for one that says so
        by itself."""
        return 0.0 if point.wire in self.says_clear else point.clear_s

    def cleared(self, point: Point, now_ms: int) -> Resolved:
        """The value of a point that is over, although its node did not say so."""
        return Resolved(point.wire, "", now_ms, False, True)

    def _all_resolved(self, points: Iterable[Point], raw: Any, now_ms: int) -> list[Resolved]:
        result = []
        for point in points:
            try:
                result.append(self._resolved(point, raw, now_ms))
            except (ArithmeticError, TypeError, ValueError) as error:
                raise CodecError(
                    f"{point.name}: {raw!r} is not a value of it ({type(error).__name__})"
                ) from error
        return result

    def _unnamed(self, unnamed: Unnamed) -> None:
        key = unnamed.endpoint, unnamed.cluster, unnamed.id, unnamed.manufacturer
        if key in self.unnamed or len(self.unnamed) < MOST_UNNAMED:
            self.unnamed[key] = unnamed

    def _resolved(self, point: Point, raw: Any, now_ms: int) -> Resolved:
        value = finite(point.value(raw))
        if point.clear_s and value is False:
            self.says_clear.add(point.wire)
        if point.setting:
            self.told[point.wire] = value
        return Resolved(point.wire, "" if point.binary else point.unit, now_ms, value, True)


def _place(point: Point) -> tuple[int, int, int, int]:
    return point.endpoint, point.cluster, point.attribute, point.manufacturer


def now_ms() -> int:
    """The time at which something came."""
    return time.time_ns() // 1_000_000


# Standard clusters end here (ZCL, 2.4.1: those of makers lie beyond).
LAST_STANDARD = 0x7FFF
_QUALITY = OfferedValue(
    slug(LINK_QUALITY), "Link quality", "reception", LINK_QUALITY, "%", hidden=True
)


def _is_setting(point: Point) -> bool:
    return point.setting and point.writable


def _value(point: Point) -> OfferedValue:
    kind = kind_by_key(point.kind)
    return OfferedValue(
        slug(point.name),
        point.title,
        point.kind,
        point.wire,
        (point.unit or kind.unit) if kind.unit and not point.binary else "",
        point.low,
        point.high,
        writable=point.writable,
        hidden=point.hidden,
        endpoint=f"{point.endpoint}",
    )


def _setting(point: Point) -> Setting:
    sort = "boolean" if point.binary else "number"
    unit = "" if point.binary else point.unit
    name = slug(point.name)
    return Setting(name, point.title, point.wire, sort, unit, point.low, point.high)
