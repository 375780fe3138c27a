"""The clusters of what a household operates, as the bytes of the standard's tables."""

from __future__ import annotations

from typing import Any

import pytest

from hombi.core.kinds import kind_by_key
from hombi.links.zigbee import zcl
from hombi.links.zigbee.device import Device, Endpoint
from hombi.links.zigbee.doing import doings
from hombi.links.zigbee.operated import COMMANDS, operated_points
from hombi.links.zigbee.points import Point
from hombi.links.zigbee.profiles import PLAIN

COVERING, LOCK, THERMOSTAT, FAN, COLOUR = 0x0102, 0x0101, 0x0201, 0x0202, 0x0300


def points(cluster: int, **facts: Any) -> dict[str, Point]:
    """The points of a cluster on endpoint 1, with attributes by their number in hex."""
    read = {f"1/{cluster:04X}/{number[1:]}": value for number, value in facts.items()}
    return {point.name: point for point in operated_points(1, [cluster], read)}


def reported(cluster: int, data: str, **facts: Any) -> dict[str, Any]:
    """What a report of attributes comes to, by name: a word, or a number."""
    device = Device(1, 1)
    device.endpoints[1] = Endpoint(0x0104, 0, (cluster,), ())
    device.facts = {f"1/{cluster:04X}/{number[1:]}": value for number, value in facts.items()}
    device.settle(PLAIN)
    found, broken = zcl.read_records(bytes.fromhex(data), answers=False)
    assert broken is None
    named = {point.wire: point for point in device.points.values()}
    result = {}
    for one in device.attributes(1, cluster, found, 0):
        kind = kind_by_key(named[one.name].kind)
        number = None if one.value is None else float(one.value)
        words = kind.words is not None and number is not None
        result[named[one.name].name] = kind.word(number) if words and number is not None else number
    return result


HEATS = {"x001B": 2, "x0012": 2000, "x0029": 0, "x0008": 0}


# Attribute, type, value; little-endian (ZCL, 2.5.11).
@pytest.mark.parametrize(
    ("cluster", "data", "facts", "values"),
    [
        (COVERING, "08002000", {}, {"position": 100}),
        (COVERING, "08002064", {}, {"position": 0}),
        (COVERING, "080020FF", {}, {"position": None}),
        (COVERING, "0900201E", {"x0000": 8}, {"tilt": 70}),
        (LOCK, "00003001", {}, {"lock": "locked"}),
        (LOCK, "00003002", {}, {"lock": "unlocked"}),
        (LOCK, "00003000", {}, {"lock": None}),  # not fully locked
        (LOCK, "000030FF", {}, {"lock": None}),
        (LOCK, "03003000", {"x0003": 0}, {"door": "open"}),
        (THERMOSTAT, "0000296608", HEATS, {"temperature": 21.5}),
        (THERMOSTAT, "0000290080", HEATS, {"temperature": None}),
        (THERMOSTAT, "1200293408", HEATS, {"target": 21.0}),
        (THERMOSTAT, "1C003004", HEATS, {"mode": "heat"}),
        (THERMOSTAT, "1C003000", HEATS, {"mode": "off"}),
        (THERMOSTAT, "1C003007", HEATS, {"mode": None}),  # only its fan runs
        (THERMOSTAT, "2900190100", HEATS, {"heating": "active", "fan": "idle"}),
        (THERMOSTAT, "0800204B", HEATS, {"valve": 75}),
        (FAN, "00003005", {"x0001": 2}, {"fan": "auto"}),
        (FAN, "00003003", {"x0001": 0}, {"fan": "high"}),
        (FAN, "00003005", {"x0001": 0}, {"fan": None}),
        (COLOUR, "0700217201", {"x400A": 0x10}, {"white": 2703}),
        (COLOUR, "070021FFFF", {"x400A": 0x10}, {"white": None}),
        (COLOUR, "0700210000", {"x400A": 0x10}, {"white": None}),
        (COLOUR, "00002055", {"x400A": 0x01}, {"hue": pytest.approx(120.47, abs=0.01)}),
        (COLOUR, "010020FE", {"x400A": 0x01}, {"saturation": 100}),
        (0x000C, "5500390000A841", {"x0075": 62}, {"value": 21.0}),
        (0x000C, "5500390000C07F", {"x0075": 62}, {"value": None}),
        (0x000F, "55001001", {}, {"state": "active"}),
        (0x0012, "5500210200", {"x004A": 3}, {"choice": "2"}),
        (0x0013, "5500210200", {"x004A": 2, "x000E": ["dry", "wash"]}, {"choice": "wash"}),
        (0x0012, "5500210900", {"x004A": 3}, {"choice": None}),
    ],
)
def test_what_a_report_says(
    cluster: int, data: str, facts: dict[str, Any], values: dict[str, Any]
) -> None:
    assert reported(cluster, data, **facts) == values


@pytest.mark.parametrize(
    ("cluster", "facts", "names"),
    [
        (COVERING, {}, ["position"]),
        (COVERING, {"x0000": 6}, ["tilt"]),
        (COVERING, {"x0000": 8}, ["position", "tilt"]),
        (THERMOSTAT, {"x001B": 0}, ["temperature", "cooling target", "mode"]),
        (THERMOSTAT, {"x001B": 4}, ["temperature", "target", "cooling target", "mode"]),
        (THERMOSTAT, HEATS, ["temperature", "target", "mode", "heating", "fan", "valve"]),
        (COLOUR, {}, []),
        (COLOUR, {"x400A": 0x10}, ["white"]),
        (COLOUR, {"x400A": 0x19}, ["white", "hue", "saturation"]),
        (0x0012, {}, []),
        (0x0012, {"x004A": 5_000}, []),
        (LOCK, {}, ["lock"]),
    ],
)
def test_what_it_cannot_do_is_not_offered(
    cluster: int, facts: dict[str, Any], names: list[str]
) -> None:
    assert [*points(cluster, **facts)] == names


def test_its_own_limits_and_words_are_offered() -> None:
    heats = points(THERMOSTAT, **HEATS, x0015=500, x0016=3000)
    assert (heats["target"].low, heats["target"].high) == (5.0, 30.0)
    both = points(THERMOSTAT, x001B=4)
    assert kind_by_key(both["mode"].kind).words == ("off", "auto", "heat", "cool")
    white = points(COLOUR, x400A=0x10, x400B=153, x400C=454)["white"]
    assert (white.low, white.high) == (2203, 6536)


@pytest.mark.parametrize(
    "texts",
    [["on", "on"], ["on  now", "on now"], ["on", ""], ["x" * 70, "x" * 71], ["a", "\x1b"], [1]],
)
def test_words_that_cannot_be_told_apart_are_numbers(texts: list[Any]) -> None:
    """Else one word would stand for another's number."""
    point = points(0x0013, x004A=2, x000E=texts)["choice"]
    assert (kind_by_key(point.kind).words, point.raws) == (("1", "2"), (1, 2))


def test_words_from_the_wire_move_no_cursor() -> None:
    point = points(0x0013, x004A=2, x000E=["a|b", "\x1b[2Jwash\n"])["choice"]
    assert kind_by_key(point.kind).words == ("a/b", "[2Jwash")
    assert kind_by_key(kind_by_key(point.kind).key) == kind_by_key(point.kind)


@pytest.mark.parametrize(
    ("point", "value", "taking_ms", "sent"),
    [
        (points(COVERING)["position"], 30.0, 0, (0x05, "46")),
        (points(COVERING, x0000=8)["tilt"], 100.0, 0, (0x08, "00")),
        (points(LOCK)["lock"], 1.0, 0, (0x00, "")),
        (points(LOCK)["lock"], 0.0, 0, (0x01, "")),
        (points(COLOUR, x400A=0x10)["white"], 2700.0, 1500, (0x0A, "72010F00")),
        (points(COLOUR, x400A=1)["hue"], 120.0, 0, (0x00, "55000000")),
        (points(COLOUR, x400A=1)["saturation"], 50.0, 0, (0x03, "7F0000")),
        (points(COLOUR, x400A=1)["saturation"], 50.0, 10**9, (0x03, "7FFEFF")),
    ],
)
def test_what_is_sent_to_set_it(
    point: Point, value: float, taking_ms: int, sent: tuple[int, str]
) -> None:
    command, payload = COMMANDS[point.cluster, point.attribute](int(point.raw(value)), taking_ms)
    assert (command, payload.hex().upper()) == sent


def test_what_a_node_can_do() -> None:
    able = [*doings({1: (0x0003, COVERING), 2: (0x0003, 0x0502)})]
    assert [(one.action.name, one.endpoint, one.command) for one in able] == [
        ("blink", 1, 0x00),
        ("stop", 1, 0x02),
        ("sound", 2, 0x00),
        ("silence", 2, 0x00),
    ]
    blink, _, sound, silence = able
    assert blink.payload({}).hex() == "0500"
    assert blink.payload({"seconds": 30}).hex() == "1e00"
    # For a burglar, with flashes, of medium loudness; 30 s; half of the time; medium.
    assert sound.payload({}).hex() == "151e003201"
    assert silence.payload({}).hex() == "0000000000"
