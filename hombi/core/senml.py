"""SenML JSON packs (RFC 8428): decoding, and resolving base values, units and times into plain records."""

from __future__ import annotations

import math
import re

import msgspec

from hombi.core.errors import SenmlError

# RFC 8428, section 4.5.3: a time below 2**28 is relative to now.
RELATIVE_BELOW_S = 2**28
SUPPORTED_VERSION = 10
_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9\-:./_]*")


class Record(msgspec.Struct, omit_defaults=True):
    """One record as it stands in the pack, field names as in RFC 8428, section 4.3."""

    bn: str = ""
    bt: float = 0.0
    bu: str = ""
    bv: float = 0.0
    bs: float | None = None
    bver: int | None = None
    n: str = ""
    u: str = ""
    v: float | None = None
    vs: str | None = None
    vb: bool | None = None
    vd: str | None = None
    s: float | None = None
    t: float = 0.0
    ut: float | None = None


# A struct, as is whatever is made for each message: it is made in a fifth of the time that a frozen dataclass takes.
class Resolved(msgspec.Struct, frozen=True):
    """One resolved record: full name, unit ("" when none is given), time in ms since 1970, and its value.

    `stamped` says that its sender gave no time: it is that of its arrival. A value of None is a node's own word that it has none.
    """

    name: str
    unit: str
    at_ms: int
    value: float | bool | str | None
    stamped: bool = False


_DECODER = msgspec.json.Decoder(list[Record])
_ENCODER = msgspec.json.Encoder()


def decode(payload: bytes) -> list[Record]:
    """The records of a SenML JSON pack. Raises SenmlError with the place in the pack."""
    try:
        return _DECODER.decode(payload)
    except msgspec.ValidationError as error:
        raise SenmlError(f"this is not SenML: {error}") from error
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise SenmlError(f"this is not JSON: {error}") from error


def resolve(records: list[Record], now_ms: int) -> list[Resolved]:
    """The pack with base fields applied and times made absolute (RFC 8428, section 4.6).

    Raises SenmlError, naming the record by its place counted from 1.
    """
    base_name, base_time, base_unit, base_value = "", 0.0, "", 0.0
    resolved: list[Resolved] = []
    for place, record in enumerate(records, 1):
        if record.bver is not None and record.bver > SUPPORTED_VERSION:
            raise SenmlError(f"record {place} is of SenML version {record.bver}; up to {SUPPORTED_VERSION} is understood")
        base_name = record.bn or base_name
        base_time = record.bt or base_time
        base_unit = record.bu or base_unit
        base_value = record.bv or base_value
        value: float | bool | str
        if record.v is not None:
            value = record.v + base_value
            if not math.isfinite(value):
                raise SenmlError(f"record {place} has no finite number")
        elif record.vb is not None:
            value = record.vb
        elif record.vs is not None:
            value = record.vs
        elif record.vd is not None or record.s is not None or record.bs is not None:
            raise SenmlError(f"record {place} has a data value or a sum, which no entity takes; send v, vb or vs")
        elif record.n or record.u or record.t:
            raise SenmlError(f"record {place} has no value; send v, vb or vs")
        else:
            continue  # base fields only
        name = base_name + record.n
        if not _NAME.fullmatch(name):
            raise SenmlError(f"record {place} has the name {name!r}; a name starts with a letter or digit and has no spaces")
        time = base_time + record.t
        at_ms = round(time * 1000) if time >= RELATIVE_BELOW_S else now_ms + round(time * 1000)
        resolved.append(Resolved(name, record.u or base_unit, at_ms, value, stamped=time == 0))
    return resolved


def encode(records: list[Record]) -> bytes:
    """A SenML JSON pack of these records, fields at their defaults left out."""
    return _ENCODER.encode(records)
