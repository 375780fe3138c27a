"""Sunrise, sunset, dawn and dusk on a day at a place on the earth.

The method is the one of the NOAA's solar calculator (Meeus, Astronomical Algorithms),
as the library astral has it: good to about a minute between the polar circles. Dawn and
dusk are the civil ones, with the sun 6° below the horizon.
"""

from __future__ import annotations

from datetime import date, tzinfo
from functools import lru_cache
from typing import Any, NamedTuple

SUN = ("sunrise", "sunset", "dawn", "dusk")
MORNING = frozenset({"sunrise", "dawn"})


class Position(NamedTuple):
    """A place on the earth, in degrees: north and east are positive."""

    latitude: float
    longitude: float


@lru_cache(maxsize=4096)
def sun_ms(what: str, day: date, position: Position, zone: tzinfo) -> int | None:
    """When the sun does this on a day of the house's calendar, in ms since 1970; None
    on a day on which it does not, beyond the polar circles."""
    from astral import Observer  # noqa: PLC0415 - most houses start without it
    from astral.sun import dawn, dusk, sunrise, sunset  # noqa: PLC0415

    result: Any = {"sunrise": sunrise, "sunset": sunset, "dawn": dawn, "dusk": dusk}[what]
    observer = Observer(position.latitude, position.longitude)
    try:
        at = result(observer, date=day, tzinfo=zone)
    except ValueError:
        return None
    return round(float(at.timestamp())) * 1000
