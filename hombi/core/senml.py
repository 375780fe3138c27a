"""SenML JSON packs (RFC 8428): decoding, and resolving base values, units and times
into plain records."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Sequence
from typing import Any

import msgspec
from msgspec.structs import replace

from hombi.core.errors import SenmlError

# RFC 8428, section 4.5.3: a time below 2**28 is relative to now.
RELATIVE_BELOW_S = 2**28
# In seconds this is a time three thousand years from now.
MILLISECONDS_FROM = 1e11
AHEAD_MS = 300_000
SUPPORTED_VERSION = 10
_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9\-:./_]*")


class Record(msgspec.Struct, omit_defaults=True):
    """One record as it stands in the pack, field names as in RFC 8428, section 4.3. A
    value of None was sent as null."""

    bn: str = ""
    bt: float = 0.0
    bu: str = ""
    bv: float = 0.0
    bs: float | None = None
    bver: int | None = None
    n: str = ""
    u: str = ""
    v: float | msgspec.UnsetType | None = msgspec.UNSET
    vs: str | msgspec.UnsetType | None = msgspec.UNSET
    vb: bool | msgspec.UnsetType | None = msgspec.UNSET
    vd: str | None = None
    s: float | None = None
    t: float = 0.0
    ut: float | None = None


# A struct, as is whatever is made for each message: it is made in a fifth of the time
# that a frozen dataclass takes.
class Resolved(msgspec.Struct, frozen=True):
    """One resolved record: full name, unit ("" when none is given), time in ms since
    1970, and its value.

    `stamped` says that its sender gave no time: it is that of its arrival. A value of
    None is a node's own word that it has none. `from_boot` says that its sender counts
    from its own start.
    """

    name: str
    unit: str
    at_ms: int
    value: float | bool | str | None
    stamped: bool = False
    from_boot: bool = False


# The base fields of a pack so far: name, time in s, unit, value.
_Base = tuple[str, float, str, float]
_DECODER = msgspec.json.Decoder(list[Record])
_ENCODER = msgspec.json.Encoder()


# A pack of more bytes takes so long to read that others should have a turn meanwhile.
LARGE_PACK = 16 * 1024


def read_pack(payload: bytes, now_ms: int) -> tuple[list[Resolved], list[str]]:
    """The values of a pack, and what of it cannot be taken. Raises SenmlError for what
    is not a pack at all."""
    return resolve(decode(payload), now_ms)


def decode(payload: bytes) -> list[Record | str]:
    """The records of a SenML JSON pack; one that is none is the reason why, with its
    place.

    Raises SenmlError for what is not a pack at all.
    """
    try:
        return _DECODER.decode(payload)  # type: ignore[return-value]
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        pass
    return [_record(place, one) for place, one in enumerate(_lenient(payload), 1)]


def _lenient(payload: bytes) -> list[Any]:
    try:
        # Small boards print NaN for a sensor that does not answer; this reads it, as
        # Python's own decoder always did.
        result = json.loads(payload)
    except (ValueError, RecursionError) as error:
        raise SenmlError(f"this is not JSON: {str(error) or 'it is nested too deep'}") from error
    if not isinstance(result, list):
        raise SenmlError(
            'this is not SenML: a pack is a list of records, like [{"n": "temperature", "v": 21.5}]'
        )
    return result


def _record(place: int, found: Any) -> Record | str:
    if isinstance(found, dict):
        found = {
            name: None if isinstance(one, float) and math.isnan(one) else one
            for name, one in found.items()
        }
    try:
        return msgspec.convert(found, Record)
    except msgspec.ValidationError as error:
        return f"record {place} is not SenML: {error}"


def resolve(records: Sequence[Record | str], now_ms: int) -> tuple[list[Resolved], list[str]]:
    """The pack with base fields applied and times made absolute (RFC 8428, section
    4.6), and what of it was refused: each record stands for itself, and the reason
    names it by its place counted from 1."""
    base = ("", 0.0, "", 0.0)
    resolved: list[Resolved] = []
    refused: list[str] = []
    for place, record in enumerate(records, 1):
        if isinstance(record, str):
            refused.append(record)
            continue
        name, time, unit, value = base
        base = (record.bn or name, record.bt or time, record.bu or unit, record.bv or value)
        result = _resolve(place, record, base, now_ms)
        if isinstance(result, str):
            refused.append(result)
        elif result is not None:
            resolved.append(result)
    return _from_boot(resolved, now_ms), refused


def _resolve(place: int, record: Record, base: _Base, now_ms: int) -> Resolved | str | None:
    base_name, base_time, base_unit, base_value = base
    if record.bver is not None and record.bver > SUPPORTED_VERSION:
        return (
            f"record {place} is of SenML version {record.bver}; up to {SUPPORTED_VERSION} "
            f"is understood"
        )
    value = _value(record, base_value)
    if isinstance(value, msgspec.UnsetType):
        if record.vd is not None or record.s is not None or record.bs is not None:
            return (
                f"record {place} has a data value or a sum, which no entity takes; send v, vb or vs"
            )
        if record.n or record.u or record.t:
            return f"record {place} has no value; send v, vb or vs"
        return None  # base fields only
    if isinstance(value, float) and not math.isfinite(value):
        return f"record {place} has no finite number"
    name = base_name + record.n
    if not _NAME.fullmatch(name):
        return (
            f"record {place} has the name {name[:60]!r}; a name starts with a letter or "
            f"digit and has no spaces"
        )
    time = base_time + record.t
    if not math.isfinite(time):
        return f"record {place} has no finite time"
    if time >= MILLISECONDS_FROM:  # ms since 1970, where RFC 8428 has seconds
        at_ms = round(time)
    else:
        at_ms = round(time * 1000) if time >= RELATIVE_BELOW_S else now_ms + round(time * 1000)
    return Resolved(name, record.u or base_unit, at_ms, value, stamped=time == 0)


def _value(record: Record, base: float) -> float | bool | str | msgspec.UnsetType | None:
    if record.v is not msgspec.UNSET:
        return None if record.v is None else record.v + base
    return record.vb if record.vb is not msgspec.UNSET else record.vs


def _from_boot(resolved: list[Resolved], now_ms: int) -> list[Resolved]:
    """A time that is relative to now lies in the past. One well ahead of now counts
    from the node's own start: the newest is of now, and the others lie as far before it
    as they say."""
    newest = max([one.at_ms for one in resolved if not one.stamped], default=now_ms)
    if not now_ms + AHEAD_MS < newest < now_ms + RELATIVE_BELOW_S * 1000:
        return resolved
    return [
        one
        if one.stamped
        else replace(
            one, at_ms=now_ms - (newest - one.at_ms), stamped=one.at_ms == newest, from_boot=True
        )
        for one in resolved
    ]


def encode(records: list[Record]) -> bytes:
    """A SenML JSON pack of these records, fields at their defaults left out."""
    return _ENCODER.encode(records)
