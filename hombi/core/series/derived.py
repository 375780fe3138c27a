"""Values that are computed from others: each method with its sources, its parameters,
its formula and where that comes from."""

from __future__ import annotations

import difflib
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from statistics import fmean, median

from hombi.core.kinds import KINDS, Kind

MOST_SOURCES = 20

Values = Sequence[float]


class DerivedError(ValueError):
    """A derived value that cannot be; the message says why, and what to do."""


@dataclass(frozen=True, slots=True)
class Method:
    """One way to compute a value.

    `sources` are the kinds of its sources in their order; empty: any number of one
    kind. `kind` is what it gives; "" that of its sources. `compute` takes the values
    and the parameters; where it gives None, there is no value.
    """

    name: str
    title: str
    about: str
    sources: tuple[str, ...]
    kind: str
    compute: Callable[[Values, Mapping[str, float]], float | None]
    parameters: Mapping[str, float | None] | None = None
    source: str = ""

    @property
    def of_any(self) -> bool:
        """Whether it takes any number of sources of one kind."""
        return not self.sources


def saturation_hpa(celsius: float) -> float:
    """Saturation pressure of water vapour over water, in hPa, from -45 to 60 °C.

    WMO No. 8 (CIMO guide), annex 4.B: 6.112 exp(17.62 t / (243.12 + t)).
    """
    return 6.112 * math.exp(17.62 * celsius / (243.12 + celsius))


def dew_point(celsius: float, humidity: float) -> float | None:
    """The dew point in °C: WMO No. 8, annex 4.B, solved for the temperature."""
    if humidity <= 0:
        return None
    g = math.log(humidity / 100) + 17.62 * celsius / (243.12 + celsius)
    return 243.12 * g / (17.62 - g)


def absolute_humidity(celsius: float, humidity: float) -> float:
    """Water in the air, in g/m³: 216.7 e / (273.15 + t), e in hPa."""
    return 216.7 * saturation_hpa(celsius) * humidity / 100 / (273.15 + celsius)


def saturation_pa_iso(celsius: float) -> float:
    """Saturation pressure in Pa: ISO 13788, annex E, over water and over ice."""
    if celsius >= 0:
        return 610.5 * math.exp(17.269 * celsius / (237.3 + celsius))
    return 610.5 * math.exp(21.875 * celsius / (265.5 + celsius))


def surface_humidity(inside: float, humidity: float, outside: float, factor: float) -> float:
    """Relative humidity at an inner surface, in %: ISO 13788. `factor` is fRsi, the
    temperature factor of the surface."""
    surface = outside + factor * (inside - outside)
    return humidity * saturation_pa_iso(inside) / saturation_pa_iso(surface)


def _hot(values: Values, _: Mapping[str, float]) -> float:
    celsius, humidity = values
    vapour = saturation_hpa(celsius) * humidity / 100
    return celsius + 5 / 9 * (vapour - 10)


def _deficit(values: Values, _: Mapping[str, float]) -> float:
    celsius, humidity = values
    return saturation_hpa(celsius) * (1 - humidity / 100) / 10


def _surface(values: Values, parameters: Mapping[str, float]) -> float:
    inside, humidity, outside = values
    return min(100.0, surface_humidity(inside, humidity, outside, parameters["frsi"]))


AIR = ("temperature", "humidity")
METHODS: Mapping[str, Method] = {
    method.name: method
    for method in (
        Method(
            "dew-point", "Dew point", "The temperature at which the air's water condenses.",
            AIR, "temperature", lambda v, _: dew_point(*v), source="WMO No. 8, annex 4.B",
        ),
        Method(
            "absolute-humidity", "Absolute humidity", "How much water is in the air.",
            AIR, "water-content", lambda v, _: absolute_humidity(*v),
            source="WMO No. 8, annex 4.B",
        ),
        Method(
            "vapour-deficit", "Vapour pressure deficit", "How strongly the air dries.",
            AIR, "vapour-deficit", _deficit, source="WMO No. 8, annex 4.B",
        ),
        Method(
            "humidex", "Humidex", "How warm the air feels when it is damp.",
            AIR, "temperature", _hot, source="Masterton and Richardson 1979",
        ),
        Method(
            "surface-humidity", "Surface humidity",
            "The humidity at the coldest inner surface; mould may grow from 80 % on.",
            ("temperature", "humidity", "temperature"), "humidity",
            _surface,
            parameters={"frsi": 0.7}, source="ISO 13788",
        ),
        Method("mean", "Mean", "The mean of several values.", (), "", lambda v, _: fmean(v)),
        Method("median", "Median", "The middle of several.", (), "", lambda v, _: median(v)),
        Method("lowest", "Lowest", "The lowest of several values.", (), "", lambda v, _: min(v)),
        Method("highest", "Highest", "The highest of several.", (), "", lambda v, _: max(v)),
        Method("sum", "Sum", "The sum of several values.", (), "", lambda v, _: sum(v)),
        Method(
            "spread", "Spread", "The highest less the lowest of several values.",
            (), "", lambda v, _: max(v) - min(v),
        ),
        Method(
            "difference", "Difference", "The first value less the second.",
            (), "", lambda v, _: v[0] - v[1],
        ),
    )
}  # fmt: skip
# What still says something when one of its sources has no value.
OF_THE_REST = frozenset({"mean", "median", "lowest", "highest"})


def checked(
    method: str, kinds: Sequence[Kind], given: Mapping[str, float | str]
) -> tuple[Method, Kind, dict[str, float]]:
    """A method with the kind that it gives for sources of these kinds, and its whole
    parameters. Raises DerivedError."""
    found = METHODS.get(method)
    if found is None:
        near = difflib.get_close_matches(method, METHODS, 1)
        hint = f"did you mean {near[0]}?" if near else f"use {', '.join(METHODS)}"
        raise DerivedError(f"there is no method {method[:40]!r}; {hint}")
    names = [kind.name for kind in kinds]
    if found.of_any:
        wanted = 2 if method == "difference" else None
        if wanted is not None and len(kinds) != wanted:
            raise DerivedError(f"a {method} has two sources, not {len(kinds)}")
        if not 2 <= len(kinds) <= MOST_SOURCES:
            raise DerivedError(f"{method} takes 2 to {MOST_SOURCES} sources, not {len(kinds)}")
        if len(set(names)) > 1:
            raise DerivedError(f"{method} takes sources of one kind, not {', '.join(names)}")
        if kinds[0].words is not None:
            raise DerivedError(f"{method} takes numbers, and a {kinds[0].shown} has two states")
        kind = kinds[0]
    else:
        if names != list(found.sources):
            raise DerivedError(f"{method} takes {', '.join(found.sources)}, in this order")
        kind = KINDS[found.kind]
    usual = dict(found.parameters or {})
    for name in given:
        if name not in usual:
            known = f"; it has {', '.join(usual)}" if usual else "; it has none"
            raise DerivedError(f"{method} has no parameter {name[:40]!r}{known}")
    parameters: dict[str, float] = {}
    for name, default in usual.items():
        value = given.get(name, default)
        try:
            parameters[name] = float(value)  # type: ignore[arg-type]
        except (TypeError, ValueError) as error:
            raise DerivedError(f"{method} {name}: {str(value)[:40]!r} is no number") from error
    if not 0.0 < parameters.get("frsi", 0.5) <= 1.0:
        raise DerivedError("frsi lies between 0 and 1; usual walls have 0.5 to 0.95")
    return found, kind, parameters


def limits_of(method: str, kind: Kind) -> tuple[float, float]:
    """What is believed of a derived value: a difference can be less than nothing, a sum
    more than its kind can be alone."""
    if method in ("difference", "spread"):
        return -(kind.high - kind.low), kind.high - kind.low
    if method == "sum":
        return MOST_SOURCES * min(kind.low, 0.0), MOST_SOURCES * kind.high
    return kind.low, kind.high


def computed(method: Method, values: Values, parameters: Mapping[str, float]) -> float | None:
    """The value; None where there is none, or none that is a number."""
    try:
        found = method.compute(values, parameters)
    except (ValueError, ZeroDivisionError, OverflowError):
        return None
    return found if found is not None and math.isfinite(found) else None
