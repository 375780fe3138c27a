"""Readings as files: CSV with a heading, and SenML JSON (RFC 8428)."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime, tzinfo

import msgspec

from hombi.core.kinds import Kind
from hombi.core.series.reading import Reading

CSV = "text/csv; charset=utf-8; header=present"
HEADING = ("time", "value", "unit", "quality", "reason", "sent", "sent_unit")
# What SenML calls the units of our kinds where that differs (RFC 8428, 12.1; RFC 8798).
_SENML_UNITS = {"°C": "Cel", "µg/m³": "ug/m3", "µS/cm": "uS/cm", "m³": "m3", "°": "deg"}
_SENML_BY_KIND = {"humidity": "%RH", "battery": "%EL"}


class Exported(msgspec.Struct, frozen=True):
    """Whose readings a file has: the entity's address and kind, the unit of each
    channel by its number, and the house's zone."""

    entity: str
    kind: Kind
    units: Mapping[int, str]
    zone: tzinfo


class Format(msgspec.Struct, frozen=True):
    """A sort of file: its media type, what it begins and ends with, and how some
    readings are written; `first` says that none were before."""

    name: str
    media_type: str
    begin: str
    end: str
    write: Callable[[Exported, Sequence[Reading], bool], str]


def _csv(of: Exported, readings: Sequence[Reading], first: bool) -> str:
    text = io.StringIO()
    rows = csv.writer(text, lineterminator="\r\n")  # as RFC 4180 says
    zone, unit, words = of.zone, of.kind.unit, of.kind.words
    for reading in readings:
        time = datetime.fromtimestamp(reading.at_ms / 1000, zone).isoformat(timespec="milliseconds")
        value: str | float = "" if reading.value is None else reading.value
        if words is not None and reading.value is not None:
            value = of.kind.word(reading.value)
        sent = "" if reading.sent is None else reading.sent
        quality = reading.quality
        rows.writerow(
            (time, value, unit, quality.level, quality.reason, sent, of.units[reading.channel])
        )
    return text.getvalue()


def _senml(of: Exported, readings: Sequence[Reading], first: bool) -> str:
    base, _, name = of.entity.rpartition("/")
    unit = _SENML_BY_KIND.get(of.kind.name) or _SENML_UNITS.get(of.kind.unit, of.kind.unit)
    result: list[str] = []
    for reading in readings:
        # SenML has no word for a bad value, or for none.
        if reading.value is None or reading.quality.level == "bad":
            continue
        record: dict[str, object] = {"n": name, "t": reading.at_ms / 1000}
        if first and not result:
            record = {"bn": f"{base}/", **({"bu": unit} if unit else {}), **record}
        if of.kind.words is None:
            record["v"] = reading.value
        else:
            record |= _state(of.kind, reading.value)
        result.append(json.dumps(record, ensure_ascii=False, separators=(",", ":")))
    if not result:
        return ""
    return ("" if first else ",\n") + ",\n".join(result)


def _state(kind: Kind, value: float) -> dict[str, object]:
    """A state by RFC 8428, 4.3: true or false for two of them, else its word."""
    return {"vb": value >= 0.5} if kind.two_states else {"vs": kind.word(value)}


FORMATS: Mapping[str, Format] = {
    one.name: one
    for one in (
        Format(
            "csv", "text/csv; charset=utf-8; header=present", ",".join(HEADING) + "\r\n", "", _csv
        ),
        Format("senml", "application/senml+json", "[", "]\n", _senml),
    )
}
