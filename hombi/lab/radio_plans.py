"""Heron Mill's radio nodes: what each Zigbee and Bluetooth node senses and switches."""

from __future__ import annotations

from hombi.lab.bluetooth_nodes import BluetoothPlan
from hombi.lab.heron_mill import of_room
from hombi.lab.zigbee_plan import Attr, Part, ZigbeePlan, lux
from hombi.links.bluetooth import gatt
from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import tunnel


def _climate(room: str) -> dict[int, dict[int, Attr]]:
    return {
        0x0402: {0x0000: Attr(dt.S16, lambda m: 100 * of_room(room, "temperature")(m))},
        0x0405: {
            0x0000: Attr(
                dt.U16,
                lambda m: 100 * min(100.0, max(0.0, float(of_room(room, "humidity")(m)))),
            )
        },
    }


_ABOUT: dict[int, dict[int, Attr]] = {0x0000: {}}
_BATTERY: dict[int, dict[int, Attr]] = {0x0001: {0x0021: Attr(dt.U8)}}
_OWNER = Attr(dt.IEEE, 0, writable=True)


def _zone(kind: int) -> dict[int, dict[int, Attr]]:
    return {
        0x0500: {
            0x0000: Attr(dt.ENUM8, 0),
            0x0001: Attr(dt.ENUM16, kind),
            0x0010: _OWNER,
        }
    }


# The Zigbee nodes, all of made-up makes. Those that `waits` are not let in when the
# demo begins.
ZIGBEE: tuple[ZigbeePlan, ...] = (
    ZigbeePlan(
        "loft-climate", "Loft climate", "Loft", "Alder & Finch", "Climate C3",
        0x00F1_5EED_0000_0101,
        {1: Part(0x0302, _ABOUT | _BATTERY | _climate("loft") | {
            0x0403: {0x0000: Attr(dt.S16, lambda m: m.outdoor.pressure)},
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
                0x0000: Attr(dt.BITMAP8, lambda m: int(m.somebody_at_the_boats)),
                0x0001: Attr(dt.ENUM8, 0),
                0x0010: Attr(dt.U16, 60, writable=True),
            },
            0x0400: {0x0000: Attr(dt.U16, lambda m: lux(m.outdoor.light / 12))},
        })},
    ),
    ZigbeePlan(
        "terrace-plug", "Terrace plug", "Terrace", "Weirside", "Plug P1", 0x00F1_5EED_0000_0104,
        {1: Part(0x0051, _ABOUT | {
            0x0006: {0x0000: Attr(dt.BOOL)},
            0x0702: {
                0x0000: Attr(dt.U48, lambda m: m.lights_kwh * 1000),
                0x0300: Attr(dt.ENUM8, 0), 0x0301: Attr(dt.U24, 1), 0x0302: Attr(dt.U24, 1000),
            },
            0x0B04: {
                0x050B: Attr(dt.S16, lambda m: 10 * m.lights_power),
                0x0505: Attr(dt.U16, lambda m: 10 * (231 + m.noise("mains", 0.6))),
                0x0508: Attr(dt.U16, lambda m: 1000 * m.lights_power / 231),
                0x0600: Attr(dt.U16, 1), 0x0601: Attr(dt.U16, 10), 0x0602: Attr(dt.U16, 1),
                0x0603: Attr(dt.U16, 1000),
                0x0604: Attr(dt.U16, 1), 0x0605: Attr(dt.U16, 10),
            },
        }, (0x000A,))},
        sleepy=False, router=True, power=1, switches="lights",
    ),
    ZigbeePlan(
        "loft-lamp", "Loft lamp", "Loft", "Weirside", "Lamp L4", 0x00F1_5EED_0000_0105,
        {1: Part(0x0101, _ABOUT | {0x0006: {0x0000: Attr(dt.BOOL)},
                                   0x0008: {0x0000: Attr(dt.U8)}})},
        sleepy=False, router=True, power=1,
    ),
    ZigbeePlan(
        "terrace-light", "Terrace light", "Terrace", "Alder & Finch", "Light L1",
        0x00F1_5EED_0000_0106,
        {1: Part(0x0106, _ABOUT | _BATTERY | {
            0x0400: {0x0000: Attr(dt.U16, lambda m: lux(m.outdoor.light))}})},
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
        tunnel_cluster=0xFC52,
        tunnel={
            11: (tunnel.S32, lambda m: round(m.soil_moisture)),
            12: (tunnel.S32, lambda m: round(10 * m.soil_temperature)),
            20: (tunnel.S32, lambda m: round(m.battery("herb-probe"))),
            # Its conductivity, µS/cm: no profile names it, so that there is something
            # to name.
            33: (tunnel.S32, lambda m: round(300 + 9 * m.soil_moisture)),
            60: (tunnel.S32, 30),
        },
    ),
    ZigbeePlan(
        "workshop-air", "Workshop air", "Workshop", "Weirside", "Air A2", 0x00F1_5EED_0000_0109,
        {1: Part(0x0302, _ABOUT | _climate("workshop") | {
            0x040D: {0x0000: Attr(dt.SINGLE, lambda m: m.co2 * 1e-6)},
            0x042A: {0x0000: Attr(dt.SINGLE, lambda m: max(1.0, 8 + m.noise("dust", 2)))},
        })},
        sleepy=False, router=True, power=1, waits=True,
    ),
)  # fmt: skip

# The Bluetooth nodes.
BLUETOOTH: tuple[BluetoothPlan, ...] = (
    BluetoothPlan(
        "boathouse-tag", "Boathouse tag", "Boathouse", "00:00:5E:00:53:21", "Alder & Finch",
        "Tag T2",
        senses=((gatt.TEMPERATURE, lambda m: float(of_room("boathouse", "temperature")(m))),
                (gatt.HUMIDITY, lambda m: min(100.0, float(of_room("boathouse", "humidity")(m))))),
    ),
    BluetoothPlan(
        "cellar-shelf", "Cellar shelf", "Cheese cellar", "00:00:5E:00:53:22", "Reed & Rush",
        "Shelf",
        shelf=lambda m: 8400 + 40 * m.noise("shelf", 0.2),
    ),
    BluetoothPlan(
        "drying-probe", "Drying probe", "Drying room", "00:00:5E:00:53:23", "Alder & Finch",
        "Probe G1", connects=True,
        senses=((gatt.TEMPERATURE, lambda m: float(of_room("drying", "temperature")(m))),
                (gatt.HUMIDITY, lambda m: min(100.0, float(of_room("drying", "humidity")(m)))),
                (gatt.PRESSURE, lambda m: 100 * m.outdoor.pressure)),
    ),
    BluetoothPlan(
        "hen-lamp", "Hen house lamp", "Hen house", "00:00:5E:00:53:24", "Weirside", "Switch B1",
        connects=True, switches="hen_lamp",
    ),
    BluetoothPlan(
        "terrace-bell", "Terrace bell", "Terrace", "00:00:5E:00:53:25", "Reed & Rush", "Bell",
        bell=True,
    ),
    BluetoothPlan(
        "hen-barrel", "Hen house barrel", "Hen house", "00:00:5E:00:53:26", "Reed & Rush",
        "Barrel", connects=True, barrel=lambda m: 640 + 8 * m.noise("barrel", 0.2),
    ),
    BluetoothPlan(
        "loft-scale", "Loft scale", "Loft", "00:00:5E:00:53:27", "Weirside", "Scale S1",
        connects=True, scale=71.3,
    ),
)  # fmt: skip
