"""What a node says, as it says it: frames in words, and the beginning of a profile for
values that have no name yet. No I/O."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import msgspec

from hombi.links.zigbee import datatypes as dt
from hombi.links.zigbee import tunnel, zcl
from hombi.links.zigbee.errors import CodecError

_TYPES = {number: name for name, number in dt.TYPE_NAMES.items()}
_TUNNELLED_TYPES = {number: name for name, number in tunnel.TYPES.items()}
_GIVEN_TYPES = {number: name for name, number in tunnel.GIVEN_TYPES.items()}


class Unnamed(msgspec.Struct, frozen=True):
    """A value that came and that no point of its node takes: where it was, its type,
    and what it was last."""

    endpoint: int
    cluster: int
    id: int
    type: int
    value: Any
    manufacturer: int = 0
    tunnelled: bool = False


def in_words(cluster: int, frame: zcl.Zcl, *, tunnels: bool) -> bytes:
    """A frame as JSON, with the names and types that node profiles use. `tunnels`
    says that its node may tunnel values through this cluster."""
    result: dict[str, Any] = (
        {"manufacturer": f"0x{frame.manufacturer:04X}"} if frame.manufacturer else {}
    )
    try:
        if not frame.cluster_command and frame.command in (
            zcl.Command.REPORT,
            zcl.Command.READ_RESPONSE,
        ):
            parse = (
                zcl.parse_report if frame.command == zcl.Command.REPORT else zcl.parse_read_response
            )
            for attribute in parse(frame.payload):
                fields = {
                    _TYPES.get(attribute.type, f"0x{attribute.type:02X}"): _shown(attribute.value)
                }
                result[f"0x{attribute.id:04X}"] = (
                    {"status": f"0x{attribute.status:02X}"} if attribute.status else fields
                )
            return msgspec.json.encode(result)
        if frame.cluster_command and tunnels and frame.command in (tunnel.ANSWER, tunnel.TELL):
            for point in tunnel.decode(frame.payload)[1]:
                result[str(point.id)] = {
                    _TUNNELLED_TYPES.get(point.type, f"type {point.type}"): _shown(point.value)
                }
            return msgspec.json.encode(result)
    except CodecError:
        pass  # shown as what it is, bytes
    whose = "cluster" if frame.cluster_command else "general"
    return msgspec.json.encode(
        {**result, f"{whose} command": f"0x{frame.command:02X}", "payload": frame.payload.hex()}
    )


def draft(make: str, model: str, text: str, unnamed: Iterable[Unnamed]) -> str:
    """A profile for a make and model, as it is in use (`text`, "" for none), and after
    it each value that has no name yet, for a person to name."""
    lines = (
        [text.rstrip()]
        if text
        else ["[profile]", f"make = {_text(make)}", f"model = {_text(model)}"]
    )
    result = sorted(
        unnamed, key=lambda point: (point.tunnelled, point.endpoint, point.cluster, point.id)
    )
    for point in result:
        types = _GIVEN_TYPES if point.tunnelled else _TYPES
        where = (
            f"tunnelled {point.id}"
            if point.tunnelled
            else f"0x{point.cluster:04X}/0x{point.id:04X}"
        )
        lines.append("")
        if point.type not in types or (point.type == dt.TEXT and not point.tunnelled):
            lines.append(f"# {where} is {_shown(point.value)!r}, which is not a number")
            continue
        lines.append(f"# it was {_shown(point.value)}")
        if point.tunnelled:
            lines += [
                "[[tunnelled]]",
                f"endpoint = {point.endpoint}",
                f"cluster = 0x{point.cluster:04X}",
                f"id = {point.id}",
            ]
        else:
            lines += [
                "[[value]]",
                f"endpoint = {point.endpoint}",
                f"cluster = 0x{point.cluster:04X}",
                f"attribute = 0x{point.id:04X}",
            ]
        if point.manufacturer:
            lines.append(f"manufacturer = 0x{point.manufacturer:04X}")
        lines += [
            f'type = "{types[point.type]}"',
            f'name = "{where.replace("0x", "").replace("/", " ")}"',
            'kind = "number"',
        ]
    return "\n".join(lines) + "\n"


def _shown(value: Any) -> Any:
    if isinstance(value, bytes):
        return value.hex()
    if isinstance(value, list):
        return [_shown(one) for one in value]
    return value


def _text(value: str) -> str:
    """As a TOML basic string; those are written as JSON's are."""
    return msgspec.json.encode(value).decode()
