"""Heron Mill's Zigbee nodes that a household operates, all of made-up makes: a dial, a
remote, lamps with colour, a blind, a radiator head, a fan, a lock and a siren."""

from __future__ import annotations

from hombi.lab.heron_mill import of_room
from hombi.lab.zigbee_plan import Attr, Part, ZigbeePlan
from hombi.links.zigbee import datatypes as dt

_ABOUT: dict[int, dict[int, Attr]] = {0x0000: {}, 0x0003: {0x0000: Attr(dt.U16, 0)}}
_BATTERY: dict[int, dict[int, Attr]] = {0x0001: {0x0021: Attr(dt.U8)}}
ON_OFF, LEVEL, COLOUR = 0x0006, 0x0008, 0x0300
# A step of 13 of 254 levels, within 0.1 s.
_STEP_UP, _STEP_DOWN = bytes.fromhex("000D0100"), bytes.fromhex("010D0100")


def _lamp(can: int) -> dict[int, dict[int, Attr]]:
    """A lamp with colour; `can` are its capabilities (ZCL, 5.2.2.2.1.30)."""
    colour = {0x400A: Attr(dt.BITMAP16, can)}
    if can & 0x10:
        colour |= {
            0x0007: Attr(dt.U16, 370, low=153, high=454),
            0x400B: Attr(dt.U16, 153),
            0x400C: Attr(dt.U16, 454),
        }
    if can & 0x01:
        colour |= {0x0000: Attr(dt.U8, 20, high=254), 0x0001: Attr(dt.U8, 0, high=254)}
    switch = {ON_OFF: {0x0000: Attr(dt.BOOL)}, LEVEL: {0x0000: Attr(dt.U8)}}
    return _ABOUT | switch | {COLOUR: colour}


OPERATED: tuple[ZigbeePlan, ...] = (
    ZigbeePlan(
        "loft-dial", "Loft dial", "Loft", "Alder & Finch", "Dial D2", 0x00F1_5EED_0000_0201,
        {1: Part(0x0104, _ABOUT | _BATTERY, (ON_OFF, LEVEL))},
        taps={
            "tap": (1, ON_OFF, 0x02, b""),
            "turn right": (1, LEVEL, 0x02, _STEP_UP),
            "turn left": (1, LEVEL, 0x02, _STEP_DOWN),
        },
    ),
    ZigbeePlan(
        "workshop-remote", "Workshop remote", "Workshop", "Weirside", "Remote R4",
        0x00F1_5EED_0000_0202,
        {
            number: Part(0x0000, _ABOUT | _BATTERY if number == 1 else {}, (ON_OFF,))
            for number in (1, 2, 3, 4)
        },
        taps={f"button {number}": (number, ON_OFF, 0x02, b"") for number in (1, 2, 3, 4)},
    ),
    ZigbeePlan(
        "loft-reading-lamp", "Loft reading lamp", "Loft", "Weirside", "Lamp C1",
        0x00F1_5EED_0000_0203,
        {1: Part(0x010D, _lamp(0x11))}, sleepy=False, router=True, power=1,
    ),
    ZigbeePlan(
        "drying-room-lamp", "Drying room lamp", "Drying room", "Weirside", "Lamp W1",
        0x00F1_5EED_0000_0204,
        {1: Part(0x010C, _lamp(0x10))}, sleepy=False, router=True, power=1,
    ),
    ZigbeePlan(
        "loft-blind", "Loft blind", "Loft", "Kelp Row", "Blind B3", 0x00F1_5EED_0000_0205,
        {1: Part(0x0202, _ABOUT | {
            0x0102: {
                0x0000: Attr(dt.ENUM8, 0), 0x0007: Attr(dt.BITMAP8, 0x0B),
                0x0008: Attr(dt.U8, 40),
            },
        })},
        sleepy=False, router=True, power=1,
    ),
    ZigbeePlan(
        "drying-room-radiator", "Drying room radiator", "Drying room", "Kelp Row", "Valve V5",
        0x00F1_5EED_0000_0206,
        {1: Part(0x0301, _ABOUT | _BATTERY | {
            0x0201: {
                0x0000: Attr(dt.S16, lambda m: 100 * of_room("drying", "temperature")(m)),
                0x0008: Attr(dt.U8, lambda m: min(100, max(0, 10 * (30 - of_room(
                    "drying", "temperature")(m))))),
                0x0012: Attr(dt.S16, 2_600, writable=True, low=500, high=3_000),
                0x0015: Attr(dt.S16, 500), 0x0016: Attr(dt.S16, 3_000),
                0x001B: Attr(dt.ENUM8, 2),
                0x001C: Attr(dt.ENUM8, 4, writable=True, among=(0, 4)),
                0x0029: Attr(dt.BITMAP16, 0x0001),
            },
        })},
    ),
    ZigbeePlan(
        "drying-room-ceiling-fan", "Drying room ceiling fan", "Drying room", "Weirside", "Fan F1",
        0x00F1_5EED_0000_0207,
        {1: Part(0x000E, _ABOUT | {
            0x0202: {
                0x0000: Attr(dt.ENUM8, 0, writable=True, among=(0, 1, 2, 3, 5)),
                0x0001: Attr(dt.ENUM8, 2),
            },
        })},
        sleepy=False, router=True, power=1,
    ),
    ZigbeePlan(
        "workshop-lock", "Workshop lock", "Workshop", "Alder & Finch", "Lock K2",
        0x00F1_5EED_0000_0208,
        {1: Part(0x000A, _ABOUT | _BATTERY | {
            0x0101: {0x0000: Attr(dt.ENUM8, 1), 0x0001: Attr(dt.ENUM8, 0)},
        })},
    ),
    ZigbeePlan(
        "boathouse-siren", "Boathouse siren", "Boathouse", "Kelp Row", "Siren S1",
        0x00F1_5EED_0000_0209,
        {1: Part(0x0403, _ABOUT | _BATTERY | {0x0502: {0x0000: Attr(dt.U16, 240)}})},
    ),
)  # fmt: skip
