"""Setting a node's values, and reading them. What it answers comes in as any other
frame does."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any

from hombi.links.base import LinkError
from hombi.links.zigbee import tunnel, zcl
from hombi.links.zigbee.device import Device, now_ms
from hombi.links.zigbee.doing import Doing
from hombi.links.zigbee.errors import NoAnswer
from hombi.links.zigbee.operated import COMMANDS, GLIDES
from hombi.links.zigbee.points import LEVEL, ON_OFF, Point
from hombi.links.zigbee.radio import Radio
from hombi.links.zigbee.stick import Stick


def glides(point: Point) -> bool:
    """Whether a node takes a value slowly by itself: its move to a level has a time."""
    return not point.tunnelled and (point.cluster, point.attribute) in GLIDES


def _switch_of(switch: Point, level: Point) -> bool:
    return switch.cluster == ON_OFF and level.cluster == LEVEL and switch.endpoint == level.endpoint


async def write(
    stick: Stick, device: Device, point: Point, value: float, taking_ms: int = 0
) -> list[Point]:
    """Have a node take a value, acknowledged from end to end; the points to read back.
    Raises LinkError."""
    radio = stick.radio
    raw = point.raw(value)
    send = partial(radio.send, device.short, point.endpoint, point.cluster)
    sequence = radio.next_sequence()
    if point.tunnelled:
        payload = tunnel.encode(sequence, [tunnel.Tunnelled(point.attribute, point.type, raw)])
        await send(
            zcl.Zcl(sequence, tunnel.WRITE, payload, cluster_command=True, no_default_response=True)
        )
        return []  # such a node tells by itself what it has made of it
    place = point.cluster, point.attribute
    if place in COMMANDS and not point.manufacturer:
        command, content = COMMANDS[place](int(raw), taking_ms)
        await send(
            zcl.Zcl(sequence, command, content, cluster_command=True, no_default_response=True)
        )
        # A level switches its lamp on and off.
        switches = [p for p in device.points.values() if _switch_of(p, point)]
        return [*switches, point]
    attribute = zcl.Attribute(point.attribute, point.type, raw)
    await radio.write(device.short, point.endpoint, point.cluster, attribute, point.manufacturer)
    return [point]


async def do(stick: Stick, device: Device, doing: Doing, given: Mapping[str, Any]) -> None:
    """Have a node do something, acknowledged from end to end. Raises LinkError."""
    frame = zcl.Zcl(
        stick.radio.next_sequence(),
        doing.command,
        doing.payload(given),
        cluster_command=True,
        no_default_response=True,
    )
    await stick.radio.send(device.short, doing.endpoint, doing.cluster, frame)


async def read_settings(radio: Radio, device: Device) -> dict[str, Any]:
    """How a node's own settings stand, by name. Raises LinkError."""
    for point in device.points.values():
        if point.setting and not point.tunnelled:
            attributes = [point.attribute]
            result = await radio.read(
                device.short, point.endpoint, point.cluster, attributes, point.manufacturer
            )
            device.attributes(point.endpoint, point.cluster, result, now_ms())
    return {wire: value for wire, value in device.told.items() if value is not None}


async def read_points(stick: Stick, device: Device, points: Sequence[Point]) -> bool:
    """Ask for values. What is not answered stays in `device.unread`. Whether the node
    answered anything, or nothing was asked."""
    places: dict[tuple[int, int, int], list[Point]] = {}
    for point in points:
        places.setdefault((point.endpoint, point.cluster, point.manufacturer), []).append(point)
    answered = not places
    for (endpoint, cluster, maker), there in places.items():
        if stick.up is None:
            return answered
        attributes = sorted({point.attribute for point in there})
        try:
            await stick.up.radio.read(device.short, endpoint, cluster, attributes, maker)
        except (LinkError, NoAnswer):
            device.unread |= {point.wire for point in there}
        else:
            answered = True
            device.unread -= {point.wire for point in there}
    return answered


async def read_all(stick: Stick, device: Device) -> bool:
    """All its values as they are now, so that none must be waited for; whether it
    answered."""
    answered = await read_points(
        stick,
        device,
        [
            point
            for point in device.points.values()
            if not (point.tunnelled or point.setting or point.moment)
        ],
    )
    for endpoint, cluster in sorted(device.profile.tunnels):
        if stick.up is None:
            break
        sequence = stick.up.radio.next_sequence()
        frame = zcl.Zcl(
            sequence, tunnel.ASK_ALL, b"", cluster_command=True, no_default_response=True
        )
        with contextlib.suppress(LinkError):
            await stick.up.radio.send(
                device.short,
                endpoint,
                cluster,
                frame,
            )
    return answered
