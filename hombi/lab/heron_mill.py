"""Heron Mill: which nodes are where, and what each of them senses and switches."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from hombi.lab.physics import Mill
from hombi.lab.property import Property, Sense

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


# What the house computes from its nodes' values: method, sources, name, parameters.
DERIVED: tuple[tuple[str, tuple[str, ...], str, Mapping[str, float | str]], ...] = (
    ("dew-point", ("cellar-rack/temperature", "cellar-rack/humidity"), "", {}),
    (
        "surface-humidity",
        ("loft-beam/temperature", "loft-beam/humidity", "terrace-mast/temperature"),
        "Cold corner",
        {"frsi": 0.6},
    ),
    ("hysteresis", ("cellar-sump/depth",), "Full", {"on": 0.55, "off": 0.3}),
    ("starts", ("cellar-sump/full",), "Pump starts", {"per": "day"}),
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


def of_room(room: str, what: str) -> Sense:
    """What a room's air or light is like."""
    return lambda mill: (
        getattr(mill.rooms[room], what)
        + mill.noise(f"{room} {what}", 0.05 if what == "temperature" else 0.25)
    )


def _temperature(room: str) -> Property:
    return Property(
        "temperature", "Temperature", "number", of_room(room, "temperature"), "Cel", -40, 85
    )


def _humidity(room: str) -> Property:
    def sense(mill: Mill) -> float:
        # Someone may hold the sensor over steam, to see whether anything happens.
        if room == "cellar" and mill.time_s < mill.devices.steam_until_s:
            return min(100.0, 97 + mill.noise("steam", 0.5))
        return min(100.0, max(0.0, of_room(room, "humidity")(mill)))

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


# The bench's sensor is warmed by the radio in its case; the terrace's light
# sensor has no larger number to send.
CASE_WARMS = 1.6
LIGHT_ENDS = 20_000


def _fahrenheit(mill: Mill) -> float:
    celsius = mill.rooms["workshop"].temperature + CASE_WARMS
    return celsius * 9 / 5 + 32 + mill.noise("workshop fahrenheit", 0.1)


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
        "cellar-sump",
        "Cellar sump",
        "Cheese cellar",
        "mqtt",
        10,
        (
            Property(
                "depth",
                "Depth",
                "number",
                lambda mill: round(100 * mill.sump_depth, 1),
                "cm",
                0,
                150,
            ),
        ),
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
                "CO₂",
                "number",
                lambda mill: round(mill.co2 + mill.noise("co2", 6)),
                "ppm",
                400,
                5000,
            ),
        ),
    ),
    NodePlan(
        "workshop-gauge",
        "Workshop gauge",
        "Workshop",
        "mqtt",
        30,
        (_temperature("workshop"),),
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
                lambda m: min(LIGHT_ENDS, round(m.outdoor.light * (1 + m.noise("light", 0.02)))),
                "lx",
                0,
                120000,
            ),
            Property(
                "wind-from",
                "Wind from",
                "number",
                # This vane counts from -180 to 180.
                lambda m: round((m.outdoor.wind_from + m.noise("vane", 8.0) + 180) % 360 - 180),
                "deg",
                -180,
                180,
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
