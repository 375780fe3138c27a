"""Values that are computed from others: each method with its sources, its parameters,
its formula and where that comes from."""

from __future__ import annotations

import difflib
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, tzinfo
from functools import lru_cache
from statistics import median
from typing import Any

from hombi.core.arithmetic import LINE, Arithmetic
from hombi.core.formula import Formula, compile_formula
from hombi.core.kinds import KINDS, Kind, difference_of
from hombi.core.series.parameters import NO_TIME, Given, Parameter
from hombi.core.series.running import (
    PERIODS,
    ChangeOver,
    Counter,
    Hysteresis,
    Integral,
    MovingMean,
    Running,
    Tally,
    TimeSince,
)

# How far back a moving mean goes.
LONGEST_MEAN_MS = 31 * 86_400_000
MOST_SOURCES = 20

Values = Sequence[float]


class MethodError(ValueError):
    """A computed value that cannot be; the message says why, and what to do."""


@dataclass(frozen=True, slots=True)
class Method:
    """One way to compute a value.

    `sources` are the kinds of its sources in their order; empty: any number of one
    kind. A source that is not a kind says which it can be: NUMBER, STATES, or several
    kinds. `kind` is what it gives; "" that of its sources. `compute` takes the values,
    the parameters and the arithmetic of the sources' kind; where it gives None, there
    is no value. One that runs on is made
    by `run`, of its parameters, the kind of its source and the house's zone.
    """

    name: str
    title: str
    about: str
    sources: tuple[str, ...]
    kind: str
    compute: Callable[[Values, Mapping[str, float], Arithmetic], float | None] | None = None
    parameters: tuple[Parameter, ...] = ()
    source: str = ""
    run: Callable[[Mapping[str, Any], Kind, tzinfo], Running] | None = None

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


def temperature_factor(surface: float, inside: float, outside: float) -> float:
    """fRsi of a surface from one measurement: (θsi - θe) / (θi - θe), ISO 13788. Raises
    MethodError where inside and outside are too close for it, or it cannot be."""
    if abs(inside - outside) < LEAST_APART_K:
        raise MethodError(
            f"inside ({inside:.1f} °C) and outside ({outside:.1f} °C) are less than "
            f"{LEAST_APART_K:.0f} K apart; measure when it is colder outside"
        )
    factor = (surface - outside) / (inside - outside)
    if not 0.0 < factor <= 1.0:
        raise MethodError(
            f"a surface of {surface:.1f} °C is not between inside ({inside:.1f} °C) and outside "
            f"({outside:.1f} °C)"
        )
    return factor


def _hot(values: Values, *_: object) -> float:
    celsius, humidity = values
    vapour = saturation_hpa(celsius) * humidity / 100
    return celsius + 5 / 9 * (vapour - 10)


def _deficit(values: Values, *_: object) -> float:
    celsius, humidity = values
    return saturation_hpa(celsius) * (1 - humidity / 100) / 10


def _surface(values: Values, parameters: Mapping[str, float], _: Arithmetic) -> float:
    inside, humidity, outside = values
    return min(100.0, surface_humidity(inside, humidity, outside, parameters["frsi"]))


def _hysteresis(given: Mapping[str, Any], *_: object) -> Running:
    return Hysteresis(given["on"], given["off"], given["least_on"], given["least_off"])


def _mean(values: Values, _: object, arithmetic: Arithmetic) -> float | None:
    return arithmetic.mean((value, 1.0) for value in values)


def _moving_mean(given: Mapping[str, Any], kind: Kind, _: tzinfo) -> Running:
    return MovingMean(given["window"], kind.arithmetic)


def _change(given: Mapping[str, Any], kind: Kind, _: tzinfo) -> Running:
    return ChangeOver(given["window"], kind.arithmetic)


def _tally(what: str) -> Callable[[Mapping[str, Any], Kind, tzinfo], Running]:
    return lambda given, _, zone: Tally(what, given["per"], zone)


FORMULA = "formula"
# What makes sense of values that have no order.
OF_DIRECTIONS = frozenset({"mean", "spread", "difference", "moving-mean", "change"})
# What gives the distance of two values, not a value.
DIFFERENCES = ("difference", "spread", "change")
# Of which kinds its sources were when it was checked: of a formula, and of what is not
# computed on a line.
OF = "of"
AIR = ("temperature", "humidity")
# A source that can be of any kind with numbers, or with two states.
NUMBER, STATES = "a number", "two states"
FRSI = (
    "the temperature factor of the coldest surface, 0 to 1: about 0.9 for a well insulated "
    "wall, 0.7 for an old one, 0.5 for a cold corner"
)
MEASURED = (
    "in its place: the temperature of that surface, measured now in °C; the factor follows "
    "from it where it is at least 5 K colder or warmer outside than inside"
)
LEAST_APART_K = 5.0
PER = Parameter("per", "the calendar's span in which it counts", "day", choices=PERIODS)
# What the sum over time makes: the kind, and how much of it one of the source's unit
# makes in a millisecond.
INTEGRALS = {"power": ("energy", 1 / 3.6e9), "flow": ("volume", 1 / 60_000)}
METHODS: Mapping[str, Method] = {
    method.name: method
    for method in (
        Method(
            "dew-point", "Dew point", "The temperature at which the air's water condenses.",
            AIR, "temperature", lambda v, *_: dew_point(*v), source="WMO No. 8, annex 4.B",
        ),
        Method(
            "absolute-humidity", "Absolute humidity", "How much water is in the air.",
            AIR, "water-content", lambda v, *_: absolute_humidity(*v),
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
            parameters=(
                Parameter("frsi", FRSI, 0.7), Parameter("surface", MEASURED, "", text=True),
            ),
            source="ISO 13788",
        ),
        Method("mean", "Mean", "The mean of several values.", (), "", _mean),
        Method("median", "Median", "The middle of several.", (), "", lambda v, *_: median(v)),
        Method("lowest", "Lowest", "The lowest of several values.", (), "", lambda v, *_: min(v)),
        Method("highest", "Highest", "The highest of several.", (), "", lambda v, *_: max(v)),
        Method("sum", "Sum", "The sum of several values.", (), "", lambda v, *_: sum(v)),
        Method(
            "spread", "Spread", "The highest less the lowest of several values.",
            (), "", lambda v, _, a: a.spread(v),
        ),
        Method(
            "difference", "Difference", "The first value less the second.",
            (), "", lambda v, _, a: a.difference(*v),
        ),
        Method(
            FORMULA, "Formula", "What a formula makes of other values; units must fit.",
            (), "", parameters=(
                Parameter("text", "the formula; it names values by their addresses", text=True),
                Parameter("kind", "what it gives, where its unit does not say so", "", text=True),
            ),
        ),
        Method(
            "hysteresis", "Active or idle",
            "Active once the value passes one limit, idle once it is back past the other.",
            (NUMBER,), "activity", run=_hysteresis,
            parameters=(
                Parameter("on", "it is active beyond this value"),
                Parameter("off", "it is idle beyond this value, on the other side"),
                Parameter("least_on", "how long it stays active at least", NO_TIME, time=True),
                Parameter("least_off", "how long it stays idle at least", NO_TIME, time=True),
            ),
        ),
        Method(
            "steady", "Steady", "The state, each lasting for a least time: no flicker.",
            (STATES,), "", run=lambda given, *_: Hysteresis(
                0.5, 0.5, given["least_on"], given["least_off"]
            ),
            parameters=(
                Parameter("least_on", "the least time of the second state", "1 min", time=True),
                Parameter("least_off", "the least time of the first one", "1 min", time=True),
            ),
        ),
        Method(
            "counter", "Total", "A total that goes on where its counter begins anew.",
            (NUMBER,), "", run=lambda given, *_: Counter(given["size"]),
            parameters=(
                Parameter(
                    "size", "after how many its counter begins anew, like 65536; 0: never", 0.0
                ),
            ),
        ),
        Method(
            "moving-mean", "Moving mean", "The mean of the last while, by how long values held.",
            (NUMBER,), "", run=_moving_mean,
            parameters=(
                Parameter("window", "the while", "1 h", time=True, longest_ms=LONGEST_MEAN_MS),
            ),
        ),
        Method(
            "starts", "How often", "How often the state began in this hour, day, week …",
            (STATES,), "count", run=_tally("starts"), parameters=(PER,),
        ),
        Method(
            "time-on", "How long", "How long the state lasted in this hour, day, week …",
            (STATES,), "duration", run=_tally("time"), parameters=(PER,),
        ),
        Method(
            "amount", "How much", "By how much a counter rose in this hour, day, week …",
            (NUMBER,), "", run=_tally("amount"), parameters=(PER,),
        ),
        Method(
            "time-since", "Time since", "How long ago a state began.",
            (STATES,), "duration", run=lambda given, *_: TimeSince(given["event"]),
            parameters=(
                Parameter("event", "which state began", "on", choices=("on", "off", "change")),
            ),
        ),
        Method(
            "change", "Change", "By how much the value changed within a time.",
            (NUMBER,), "", run=_change,
            parameters=(Parameter("window", "the time", "1 h", time=True),),
        ),
        Method(
            "integral", "Sum over time", "Energy from power, or volume from flow.",
            ("power or flow",), "energy or volume",
            run=lambda _, kind, zone: Integral(INTEGRALS[kind.name][1]),
            source="the trapezoid rule",
        ),
    )
}  # fmt: skip
# What still says something when one of its sources has no value.
OF_THE_REST = frozenset({"mean", "median", "lowest", "highest"})


def checked(
    method: str, kinds: Sequence[Kind], given: Mapping[str, Given]
) -> tuple[Method, Kind, dict[str, Given]]:
    """A method with the kind that it gives for sources of these kinds, and its whole
    parameters. Raises MethodError."""
    result = METHODS.get(method)
    if result is None:
        near = difflib.get_close_matches(method, METHODS, 1)
        hint = f"did you mean {near[0]}?" if near else f"use {', '.join(METHODS)}"
        raise MethodError(f"there is no method {method[:40]!r}; {hint}")
    if method == FORMULA:
        return _formula(result, kinds, given)
    kind = _kind_of_any(result, kinds) if result.of_any else _kind_of_fixed(result, kinds)
    kind = kind_given(method, kind)
    if method == "sum" and kind.name == "temperature":
        raise MethodError("temperatures are not added up; mean, lowest and highest make sense")
    unordered = next((kind for kind in kinds if not kind.arithmetic.ordered), None)
    if unordered is not None and method not in OF_DIRECTIONS:
        raise MethodError(
            f"{method} takes values of which one is higher than another, and a "
            f"{unordered.shown} is not; use {', '.join(sorted(OF_DIRECTIONS))}"
        )
    known = {parameter.name: parameter for parameter in result.parameters}
    for name in given:
        # What is kept with it may be given back, as a file of the house does.
        if name not in known and name != OF:
            has = f"it has {', '.join(known)}" if known else "it has none"
            raise MethodError(f"{method} has no parameter {name[:40]!r}; {has}")
    try:
        parameters = {
            name: parameter.read(given.get(name), f"{method} {name}")
            for name, parameter in known.items()
        }
        if result.run is not None:
            result.run(values_of(result, parameters), kinds[0], UTC)
    except ValueError as error:
        raise MethodError(str(error)) from error
    if not 0.0 < float(parameters.get("frsi", 0.5)) <= 1.0:
        raise MethodError("frsi lies between 0 and 1; usual walls have 0.5 to 0.95")
    if unordered is not None and result.of_any:
        parameters[OF] = unordered.name
    return result, kind, parameters


def _formula(
    method: Method, kinds: Sequence[Kind], given: Mapping[str, Given]
) -> tuple[Method, Kind, dict[str, Given]]:
    text, wanted = str(given.get("text", "")).strip(), str(given.get("kind", "")).strip()
    names = tuple(kind.name for kind in kinds)
    made = compile_formula(text, names, wanted)
    kind = difference_of(made.kind) if _stays(made, kinds) else made.kind
    # The kinds that it was checked for are kept with it.
    return method, kind, {"text": text, "kind": kind.name, OF: ", ".join(names)}


def _stays(made: Formula, kinds: Sequence[Kind]) -> bool:
    """Whether what a formula makes of temperatures, or of directions, stays the same
    when all of them rise alike: then it is how far they lie apart."""
    if difference_of(made.kind) is made.kind:
        return False
    rises = [1.0 if kind is made.kind else 0.0 for kind in kinds]
    if not any(rises):
        return False
    tried = [
        [
            kind.low + (place * 0.37 + turn * 0.21) % 1.0 * (kind.high - kind.low)
            for place, kind in enumerate(kinds)
        ]
        for turn in range(5)
    ]
    try:
        moved = [
            made.compute([v + rise for v, rise in zip(values, rises, strict=True)])
            - made.compute(values)
            for values in tried
        ]
    except (ValueError, ArithmeticError):
        return False
    return all(abs(made.kind.arithmetic.difference(one, 0.0)) < 1e-6 for one in moved)


def kind_wanted(method: str, parameters: Mapping[str, str], place: int) -> str:
    """What the source at a place must be: a kind, or a sort of kinds; "" the kind of
    what is computed."""
    if method == FORMULA:
        return parameters[OF].split(", ")[place]
    sources = METHODS[method].sources
    return sources[place] if sources else ""


@lru_cache(maxsize=1024)
def computing(
    method: str, parameters: tuple[tuple[str, str], ...]
) -> Callable[[Values], float | None]:
    """A method with its parameters, as a function of the values of its sources."""
    given = dict(parameters)
    if method == FORMULA:
        names = tuple(given[OF].split(", "))
        of = compile_formula(given["text"], names, given["kind"]).compute
        return lambda values: _finite(of, values)
    result = METHODS[method]
    known = values_of(result, given)
    arithmetic = KINDS[given[OF]].arithmetic if OF in given else LINE
    return lambda values: computed(result, values, known, arithmetic)


def _finite(of: Callable[[Values], float], values: Values) -> float | None:
    try:
        result = of(values)
    except (ValueError, ArithmeticError):
        return None
    return result if math.isfinite(result) else None


def values_of(method: Method, kept: Mapping[str, Given]) -> dict[str, Any]:
    """The parameters as they are computed with."""
    return {
        parameter.name: parameter.value(kept.get(parameter.name, ""))
        for parameter in method.parameters
    }


def fits(wanted: str, kind: Kind) -> bool:
    """Whether an entity of this kind can be such a source."""
    if wanted == NUMBER:
        return kind.a_number
    if wanted == STATES:
        return kind.two_states
    return kind.name in wanted.split(" or ")


def _kind_of_any(method: Method, kinds: Sequence[Kind]) -> Kind:
    names = [kind.name for kind in kinds]
    if method.name == "difference" and len(kinds) != 2:
        raise MethodError(f"a {method.name} has two sources, not {len(kinds)}")
    if not 2 <= len(kinds) <= MOST_SOURCES:
        raise MethodError(f"{method.name} takes 2 to {MOST_SOURCES} sources, not {len(kinds)}")
    if len(set(names)) > 1:
        raise MethodError(f"{method.name} takes sources of one kind, not {', '.join(names)}")
    if not kinds[0].a_number:
        has = "has two states" if kinds[0].two_states else "is not one"
        raise MethodError(f"{method.name} takes numbers, and a {kinds[0].shown} {has}")
    return kinds[0]


def _kind_of_fixed(method: Method, kinds: Sequence[Kind]) -> Kind:
    if len(kinds) != len(method.sources) or not all(map(fits, method.sources, kinds)):
        order = ", in this order" if len(method.sources) > 1 else ""
        names = ", ".join(kind.shown for kind in kinds) or "nothing"
        raise MethodError(f"{method.name} takes {', '.join(method.sources)}{order}; not {names}")
    if method.name == "integral":
        return KINDS[INTEGRALS[kinds[0].name][0]]
    return KINDS[method.kind] if method.kind else kinds[0]


def kind_given(method: str, kind: Kind) -> Kind:
    """The kind of what a method makes of values of a kind."""
    return difference_of(kind) if method in DIFFERENCES else kind


def limits_of(method: str, kind: Kind) -> tuple[float, float]:
    """What is believed of a computed value: a difference can be less than nothing, a
    sum more than its kind can be alone."""
    if kind.difference:
        return kind.low, kind.high
    if method in (*DIFFERENCES, FORMULA):
        return -(kind.high - kind.low), kind.high - kind.low
    if method in ("sum", "counter"):
        return MOST_SOURCES * min(kind.low, 0.0), MOST_SOURCES * kind.high
    return kind.low, kind.high


def computed(
    method: Method, values: Values, parameters: Mapping[str, float], arithmetic: Arithmetic = LINE
) -> float | None:
    """The value; None where there is none, or none that is a number."""
    if method.compute is None:
        return None
    try:
        result = method.compute(values, parameters, arithmetic)
    except (ValueError, ZeroDivisionError, OverflowError):
        return None
    return result if result is not None and math.isfinite(result) else None
