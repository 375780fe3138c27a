"""A sample: what a node sent, in the unit it was sent in. It is never changed."""

from __future__ import annotations

import math
from functools import lru_cache

import msgspec

from hombi.core.errors import NotASample, UnitError
from hombi.core.kinds import LONGEST_WORD, Kind
from hombi.core.senml import Resolved
from hombi.core.units import COUNTS, conversion, find_unit
from hombi.core.values import either

FUTURE_MS = 5 * 60_000
OLDEST_MS = 400 * 86_400_000


class Sample(msgspec.Struct, frozen=True):
    """One sample: `value` in `unit`, None for no value; time in ms since 1970."""

    at_ms: int
    value: float | None
    unit: str


def sample_of(sent: Resolved, kind: Kind, usual_unit: str, now_ms: int) -> Sample:
    """The sample in what a node sent for an entity of this kind.

    A value without a unit is in the node's usual one. A kind with words takes them and
    their numbers; with two states, also true and false; with one word, also true.
    Raises NotASample.
    """
    if sent.at_ms > now_ms + FUTURE_MS:
        ahead = (sent.at_ms - now_ms) / 1000
        raise NotASample(f"its time lies {ahead:.0f} s ahead of the hub's; check the node's clock")
    if sent.at_ms < now_ms - OLDEST_MS:
        raise NotASample(
            "its time lies more than 400 days back; a node without a clock leaves the time out"
        )
    value = sent.value
    if value is None or (value == "" and kind.moment):
        return Sample(sent.at_ms, None, usual_unit)
    if isinstance(value, str):
        state = kind.state(value)
        if state is None:
            expected = "a number" if kind.words is None else either(kind.words)
            raise NotASample(f"{expected} was expected, not the text {value[:LONGEST_WORD]!r}")
        number = state
    elif value is True and kind.words is not None and len(kind.words) == 1:
        number = 0.0  # of a bell most nodes say no more than that it rang
    elif isinstance(value, bool) and not kind.two_states:
        raise NotASample("a number was expected, not true or false")
    else:
        number = float(value)
    if not kind.unit:
        if sent.unit and sent.unit not in COUNTS:
            raise NotASample(f"a {kind.shown} has no unit, but {sent.unit!r} was sent")
        if kind.words is not None and number not in range(len(kind.words)):
            last = len(kind.words) - 1
            raise NotASample(
                f"a {kind.shown} is 0 {'or' if last == 1 else 'to'} {last}, not {number:g}"
            )
        return Sample(sent.at_ms, number, "")
    try:
        unit = _called(sent.unit, usual_unit) if sent.unit else usual_unit
        factor, addend = conversion(unit, kind.unit)
    except UnitError as error:
        raise NotASample(str(error)) from error
    if not math.isfinite(number * factor + addend):
        raise NotASample("its value is not a finite number")
    return Sample(sent.at_ms, number, unit)


@lru_cache(maxsize=256)
def _called(unit: str, usual: str) -> str:
    """The one name of a unit that has many: the usual one, or its symbol."""
    result = find_unit(unit)
    return usual if result is find_unit(usual) else result.symbol
