"""Heron Mill: which nodes are where, and what each of them senses and switches."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from hombi.lab.bluetooth_nodes import BluetoothPlan
from hombi.lab.physics import Mill
from hombi.lab.property import Property, Sense
from hombi.lab.web_thing import ThingPlan
from hombi.lab.zigbee_nodes import Attr, Part, ZigbeePlan, lux
from hombi.links.bluetooth import gatt
from hombi.links.zigbee import datapoints, zcl

# The lab's pages are here unless the demo runs on another port.
USUAL_PORT = 4664
FLOORS = ("Under the stone", "At the water", "Above the wheel", "Under the roof")
ROOMS = (
    ("Cheese cellar", "Under the stone"),
    ("Boathouse", "At the water"),
    ("Workshop", "At the water"),
    ("Terrace", "At the water"),
    ("Hen house", "At the water"),
    ("Drying room", "Above the wheel"),
    ("Loft", "Under the roof"),
)


@dataclass(frozen=True, slots=True)
class NodePlan:
    """One node: its name, room, how it talks ("mqtt" or "http"), how often in s, and
    what it has."""

    address: str
    title: str
    room: str
    talks: str
    every_s: float
    properties: tuple[Property, ...]
    # Settings of the node's own: affordances by name, each with the value it has when
    # it is new as `default`.
    settings: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)

    @property
    def thing_id(self) -> str:
        """A name that the node keeps."""
        d = hashlib.sha256(self.address.encode()).hexdigest()
        return f"urn:uuid:{d[:8]}-{d[8:12]}-4{d[13:16]}-8{d[17:20]}-{d[20:32]}"

    @property
    def setup_code(self) -> str:
        """What is printed on its back."""
        number = int(hashlib.sha256(f"code {self.address}".encode()).hexdigest(), 16) % 10**8
        return f"{number:08d}"[:4] + "-" + f"{number:08d}"[4:]

    def description(self) -> dict[str, Any]:
        """Its Thing Description."""
        return {
            "@context": "https://www.w3.org/2022/wot/td/v1.1",
            "id": self.thing_id,
            "title": self.title,
            "securityDefinitions": {"basic": {"scheme": "basic"}},
            "security": "basic",
            "properties": {p.name: p.description() for p in self.properties}
            | {k: dict(v) for k, v in self.settings.items()},
        }


def _room(room: str, what: str) -> Sense:
    return lambda mill: (
        getattr(mill.rooms[room], what)
        + mill.noise(f"{room} {what}", 0.05 if what == "temperature" else 0.25)
    )


def _temperature(room: str) -> Property:
    return Property(
        "temperature", "Temperature", "number", _room(room, "temperature"), "Cel", -40, 85
    )


def _humidity(room: str) -> Property:
    def sense(mill: Mill) -> float:
        # Someone may hold the sensor over steam, to see whether anything happens.
        if room == "cellar" and mill.time_s < mill.devices.steam_until_s:
            return min(100.0, 97 + mill.noise("steam", 0.5))
        return min(100.0, max(0.0, _room(room, "humidity")(mill)))

    return Property("humidity", "Humidity", "number", sense, "%RH", 0, 100)


def _battery(node: str) -> Property:
    return Property(
        "battery",
        "Battery",
        "number",
        lambda mill: round(mill.battery(node)),
        "%EL",
        0,
        100,
        history_every=36,
    )


def _switch(device: str, title: str = "Switch") -> Property:
    return Property(
        "switch", title, "boolean", lambda mill: getattr(mill.devices, device), switches=device
    )


def _power(device: str, watts: float) -> Property:
    def sense(mill: Mill) -> float:
        return (
            round(watts + mill.noise(device, watts / 60), 1)
            if getattr(mill.devices, device)
            else 0.4
        )

    return Property("power", "Power", "number", sense, "W", 0, 3680)


def _fahrenheit(mill: Mill) -> float:
    return mill.rooms["workshop"].temperature * 9 / 5 + 32 + mill.noise("workshop fahrenheit", 0.1)


PLANS: tuple[NodePlan, ...] = (
    NodePlan(
        "cellar-rack",
        "Cellar rack",
        "Cheese cellar",
        "mqtt",
        5,
        (_temperature("cellar"), _humidity("cellar"), _battery("cellar-rack")),
        {
            "interval": {
                "title": "Interval",
                "type": "integer",
                "unit": "s",
                "minimum": 2,
                "maximum": 600,
                "default": 5,
            },
            "sensitivity": {
                "title": "Sensitivity",
                "type": "string",
                "enum": ["low", "medium", "high"],
                "default": "medium",
            },
        },
    ),
    NodePlan(
        "cellar-mister",
        "Cellar mister",
        "Cheese cellar",
        "mqtt",
        10,
        (_switch("mister", "Mister"), _power("mister", 38)),
    ),
    NodePlan(
        "workshop-bench",
        "Workshop bench",
        "Workshop",
        "mqtt",
        5,
        (
            Property("temperature", "Temperature", "number", _fahrenheit, "[degF]", -40, 185),
            Property("humidity", "Humidity", "number", _humidity("workshop").sense, "%RH", 0, 100),
            Property(
                "co2",
                "CO2",
                "number",
                lambda mill: round(mill.co2 + mill.noise("co2", 6)),
                "ppm",
                400,
                5000,
            ),
        ),
    ),
    NodePlan(
        "workshop-plug",
        "Workshop plug",
        "Workshop",
        "mqtt",
        10,
        (
            _switch("kettle", "Kettle"),
            Property(
                "power",
                "Power",
                "number",
                lambda mill: round(mill.plug_power + mill.noise("plug", 0.1), 1),
                "W",
                0,
                3680,
            ),
            Property(
                "energy",
                "Energy",
                "number",
                lambda mill: round(mill.energy_kwh, 3),
                "kWh",
                0,
                history_every=6,
            ),
        ),
    ),
    NodePlan(
        "boathouse-door",
        "Boathouse door",
        "Boathouse",
        "mqtt",
        15,
        (
            Property("contact", "Door", "boolean", lambda mill: mill.devices.door_open),
            _temperature("boathouse"),
            _battery("boathouse-door"),
        ),
    ),
    NodePlan(
        "hen-house-perch",
        "Hen house perch",
        "Hen house",
        "mqtt",
        15,
        (
            _temperature("hen-house"),
            Property(
                "occupancy",
                "Hens inside",
                "boolean",
                lambda mill: mill.hens_inside,
                semantic_type="hombi:Occupancy",
            ),
            _battery("hen-house-perch"),
        ),
    ),
    NodePlan(
        "drying-rack",
        "Drying rack",
        "Drying room",
        "mqtt",
        5,
        (_temperature("drying"), _humidity("drying")),
    ),
    NodePlan(
        "drying-fan",
        "Drying fan",
        "Drying room",
        "mqtt",
        10,
        (_switch("fan", "Fan"), _power("fan", 24)),
    ),
    NodePlan(
        "loft-beam",
        "Loft beam",
        "Loft",
        "http",
        20,
        (_temperature("loft"), _humidity("loft"), _battery("loft-beam")),
    ),
    NodePlan(
        "terrace-mast",
        "Terrace mast",
        "Terrace",
        "http",
        20,
        (
            Property(
                "temperature",
                "Temperature",
                "number",
                lambda m: m.outdoor.temperature + m.noise("out", 0.1),
                "Cel",
                -40,
                60,
            ),
            Property(
                "pressure",
                "Pressure",
                "number",
                lambda m: round(100 * (m.outdoor.pressure + m.noise("air", 0.1))),
                "Pa",
                30000,
                110000,
            ),
            Property(
                "illuminance",
                "Light",
                "number",
                lambda m: round(m.outdoor.light * (1 + m.noise("light", 0.02))),
                "lx",
                0,
                120000,
            ),
        ),
    ),
)

# One node that nobody has let in yet: it keeps asking, and is seen as soon as pairing
# is open.
OUTSIDE = NodePlan(
    "hen-house-hatch",
    "Hen house hatch",
    "Hen house",
    "mqtt",
    15,
    (
        Property(
            "contact",
            "Hatch",
            "boolean",
            lambda mill: mill.outdoor.light > 300,
            semantic_type="hombi:Contact",
        ),
        _temperature("hen-house"),
        _battery("hen-house-hatch"),
    ),
)


# Nodes that describe themselves and are reached over HTTP. The first is let in when the
# demo begins, the second waits.
def _vent() -> ThingPlan:
    return ThingPlan(
        "loft-vent",
        "Loft vent",
        "A flap in the gable, with a climate sensor on it.",
        "Loft",
        (
            Property(
                "temperature", "Temperature", "number", _room("loft", "temperature"), "Cel", -40, 85
            ),
            Property("humidity", "Humidity", "number", _room("loft", "humidity"), "%RH", 0, 100),
            Property(
                "flap",
                "Flap",
                "boolean",
                lambda mill: False,
                semantic_type="hombi:Switch",
                switches="flap",
            ),
        ),
        told=("temperature",),
        settings={
            "interval": {
                "title": "Interval",
                "type": "integer",
                "unit": "s",
                "minimum": 1,
                "maximum": 600,
            },
            "mode": {"title": "Mode", "type": "string", "enum": ["quiet", "usual", "brisk"]},
        },
        starts={"interval": 30, "mode": "usual"},
        actions={
            "wink": {
                "title": "Wink",
                "description": "Blinks, to be found.",
                "input": {"type": "integer", "unit": "s"},
            }
        },
    )


def _gauge() -> ThingPlan:
    return ThingPlan(
        "race-gauge",
        "Race gauge",
        "How high the water stands in the mill race.",
        "Boathouse",
        (
            Property(
                "level", "Water level", "number", lambda m: 82 + m.noise("race", 1), "cm", 0, 250
            ),
            Property(
                "temperature",
                "Water temperature",
                "number",
                lambda m: 9 + m.noise("water", 0.2),
                "Cel",
                -5,
                40,
            ),
        ),
        told=("level",),
        extra={
            "firmware": {"title": "Firmware", "type": "string", "readOnly": True},
            "drift": {"title": "Drift", "type": "number", "unit": "furlong", "readOnly": True},
        },
        starts={"firmware": "2.1.0", "drift": 0.0},
        actions={"rinse": {"title": "Rinse", "description": "Rinses the float's pipe."}},
    )


def web_things(port: int = USUAL_PORT) -> tuple[ThingPlan, ThingPlan]:
    """The described nodes: the one that is let in, and the one that waits. At another
    port they are other nodes."""
    house = "" if port == USUAL_PORT else f" {port}"
    return replace(_vent(), house=house), replace(_gauge(), house=house)


def _climate(room: str) -> dict[int, dict[int, Attr]]:
    return {
        0x0402: {0x0000: Attr(zcl.S16, lambda m: 100 * _room(room, "temperature")(m))},
        0x0405: {
            0x0000: Attr(
                zcl.U16, lambda m: 100 * min(100.0, max(0.0, float(_room(room, "humidity")(m))))
            )
        },
    }


_ABOUT: dict[int, dict[int, Attr]] = {0x0000: {}}
_BATTERY: dict[int, dict[int, Attr]] = {0x0001: {0x0021: Attr(zcl.U8)}}
_OWNER = Attr(zcl.IEEE, 0, writable=True)


def _zone(kind: int) -> dict[int, dict[int, Attr]]:
    return {0x0500: {0x0000: Attr(zcl.ENUM8, 0), 0x0001: Attr(zcl.ENUM16, kind), 0x0010: _OWNER}}


# The Zigbee nodes, all of made-up makes. Those that `waits` are not let in when the
# demo begins.
ZIGBEE: tuple[ZigbeePlan, ...] = (
    ZigbeePlan(
        "loft-climate", "Loft climate", "Loft", "Alder & Finch", "Climate C3",
        0x00F1_5EED_0000_0101,
        {1: Part(0x0302, _ABOUT | _BATTERY | _climate("loft") | {
            0x0403: {0x0000: Attr(zcl.S16, lambda m: m.outdoor.pressure)},
        })},
    ),
    ZigbeePlan(
        "workshop-door", "Workshop door", "Workshop", "Alder & Finch", "Door D1",
        0x00F1_5EED_0000_0102,
        {1: Part(0x0402, _ABOUT | _BATTERY | _zone(0x0015))},
        zone_alarm=lambda m: m.workshop_door_open,
    ),
    ZigbeePlan(
        "boathouse-watch", "Boathouse watch", "Boathouse", "Weirside", "Watch W2",
        0x00F1_5EED_0000_0103,
        {1: Part(0x0107, _ABOUT | _BATTERY | {
            0x0406: {
                0x0000: Attr(zcl.BITMAP8, lambda m: int(m.somebody_at_the_boats)),
                0x0001: Attr(zcl.ENUM8, 0),
                0x0010: Attr(zcl.U16, 60, writable=True),
            },
            0x0400: {0x0000: Attr(zcl.U16, lambda m: lux(m.outdoor.light / 12))},
        })},
    ),
    ZigbeePlan(
        "terrace-plug", "Terrace plug", "Terrace", "Weirside", "Plug P1", 0x00F1_5EED_0000_0104,
        {1: Part(0x0051, _ABOUT | {
            0x0006: {0x0000: Attr(zcl.BOOL)},
            0x0702: {
                0x0000: Attr(zcl.U48, lambda m: m.lights_kwh * 1000),
                0x0300: Attr(zcl.ENUM8, 0), 0x0301: Attr(zcl.U24, 1), 0x0302: Attr(zcl.U24, 1000),
            },
            0x0B04: {
                0x050B: Attr(zcl.S16, lambda m: 10 * m.lights_power),
                0x0505: Attr(zcl.U16, lambda m: 10 * (231 + m.noise("mains", 0.6))),
                0x0508: Attr(zcl.U16, lambda m: 1000 * m.lights_power / 231),
                0x0600: Attr(zcl.U16, 1), 0x0601: Attr(zcl.U16, 10), 0x0602: Attr(zcl.U16, 1),
                0x0603: Attr(zcl.U16, 1000),
                0x0604: Attr(zcl.U16, 1), 0x0605: Attr(zcl.U16, 10),
            },
        }, (0x000A,))},
        sleepy=False, router=True, power=1, switches="lights",
    ),
    ZigbeePlan(
        "loft-lamp", "Loft lamp", "Loft", "Weirside", "Lamp L4", 0x00F1_5EED_0000_0105,
        {1: Part(0x0101, _ABOUT | {0x0006: {0x0000: Attr(zcl.BOOL)},
                                   0x0008: {0x0000: Attr(zcl.U8)}})},
        sleepy=False, router=True, power=1,
    ),
    ZigbeePlan(
        "terrace-light", "Terrace light", "Terrace", "Alder & Finch", "Light L1",
        0x00F1_5EED_0000_0106,
        {1: Part(0x0106, _ABOUT | _BATTERY | {
            0x0400: {0x0000: Attr(zcl.U16, lambda m: lux(m.outdoor.light))}})},
    ),
    ZigbeePlan(
        "cellar-floor", "Cellar floor", "Cheese cellar", "Alder & Finch", "Leak K1",
        0x00F1_5EED_0000_0107,
        {1: Part(0x0402, _ABOUT | _BATTERY | _zone(0x002A))},
        zone_alarm=lambda m: m.devices.spilt, waits=True,
    ),
    ZigbeePlan(
        "herb-probe", "Herb probe", "Terrace", "Kelp Row", "Soil S7", 0x00F1_5EED_0000_0108,
        {1: Part(0x0051, _ABOUT)},
        tunnel_cluster=0xEF00,
        tunnel={
            3: (datapoints.VALUE, lambda m: round(m.soil_moisture)),
            5: (datapoints.VALUE, lambda m: round(10 * m.soil_temperature)),
            15: (datapoints.VALUE, lambda m: round(m.battery("herb-probe"))),
            # Its conductivity, µS/cm: no profile names it, so that there is something
            # to name.
            21: (datapoints.VALUE, lambda m: round(300 + 9 * m.soil_moisture)),
            101: (datapoints.VALUE, 30),
        },
    ),
    ZigbeePlan(
        "workshop-air", "Workshop air", "Workshop", "Weirside", "Air A2", 0x00F1_5EED_0000_0109,
        {1: Part(0x0302, _ABOUT | _climate("workshop") | {
            0x040D: {0x0000: Attr(zcl.SINGLE, lambda m: m.co2 * 1e-6)},
            0x042A: {0x0000: Attr(zcl.SINGLE, lambda m: max(1.0, 8 + m.noise("dust", 2)))},
        })},
        sleepy=False, router=True, power=1, waits=True,
    ),
)  # fmt: skip

# The Bluetooth nodes.
BLUETOOTH: tuple[BluetoothPlan, ...] = (
    BluetoothPlan(
        "boathouse-tag", "Boathouse tag", "Boathouse", "00:00:5E:00:53:21", "Alder & Finch",
        "Tag T2",
        senses=((gatt.TEMPERATURE, lambda m: float(_room("boathouse", "temperature")(m))),
                (gatt.HUMIDITY, lambda m: min(100.0, float(_room("boathouse", "humidity")(m))))),
    ),
    BluetoothPlan(
        "cellar-shelf", "Cellar shelf", "Cheese cellar", "00:00:5E:00:53:22", "Reed & Rush",
        "Shelf",
        shelf=lambda m: 8400 + 40 * m.noise("shelf", 0.2),
    ),
    BluetoothPlan(
        "drying-probe", "Drying probe", "Drying room", "00:00:5E:00:53:23", "Alder & Finch",
        "Probe G1", connects=True,
        senses=((gatt.TEMPERATURE, lambda m: float(_room("drying", "temperature")(m))),
                (gatt.HUMIDITY, lambda m: min(100.0, float(_room("drying", "humidity")(m)))),
                (gatt.PRESSURE, lambda m: 100 * m.outdoor.pressure)),
    ),
    BluetoothPlan(
        "hen-lamp", "Hen house lamp", "Hen house", "00:00:5E:00:53:24", "Weirside", "Switch B1",
        connects=True, switches="hen_lamp",
    ),
)  # fmt: skip
