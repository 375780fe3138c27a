"""Conditioning as a person writes it: steps by name, each with its numbers.

    linear offset=-0.7 gain=1.02
    despike window="10 min" times=3

A plan is plain data, so that it can be stored and sent; the steps of a chain are made
of it. Numbers are in the unit of the entity's kind.
"""

from __future__ import annotations

import difflib
import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from hombi.core.errors import ValueTextError
from hombi.core.kinds import Kind
from hombi.core.series.steps import Clamp, Despike, Linear, LowPass, Median, NoValue, Step
from hombi.core.values import parse_span_ms, show_span

MOST_STEPS = 8
LONGEST_MS = 86_400_000
# With larger numbers a value would run out of what a number can be.
LARGEST = 1e12

Parameter = float | str
# The steps in their order: each its name under "step", and its parameters.
Plan = tuple[Mapping[str, Parameter], ...]


class PlanError(ValueError):
    """A plan that cannot be; the message says which step, what, and what to do."""


@dataclass(frozen=True, slots=True)
class StepParameter:
    """One number of a step: whether it is a length of time, and what it is unless it is
    given (None: it must be)."""

    name: str
    about: str
    default: Parameter | None = None
    time: bool = False


@dataclass(frozen=True, slots=True)
class StepKind:
    """One sort of step: its name, what it is for, its parameters, and how it is made of
    them (times in ms)."""

    name: str
    about: str
    parameters: tuple[StepParameter, ...]
    make: Callable[..., Step]


STEP_KINDS: Mapping[str, StepKind] = {
    kind.name: kind
    for kind in (
        StepKind(
            "linear",
            "Corrects by a gain and an offset: value * gain + offset.",
            (
                StepParameter("offset", "what is added", 0.0),
                StepParameter("gain", "by what it is multiplied first", 1.0),
            ),
            lambda offset, gain: Linear(gain, offset),
        ),
        StepKind(
            "despike",
            "Marks single values that stand far from their neighbours as spikes.",
            (
                StepParameter("window", "the time that is looked at", "10 min", time=True),
                StepParameter("times", "how many usual deviations are too many", 3.0),
                StepParameter("floor", "the least deviation that counts", 0.0),
            ),
            Despike,
        ),
        StepKind(
            "median",
            "Takes the middle of the values of the last while.",
            (StepParameter("window", "the time that is looked at", "5 min", time=True),),
            Median,
        ),
        StepKind(
            "low-pass",
            "Smooths: a jump is followed for two thirds within the time constant.",
            (StepParameter("time", "the time constant", "2 min", time=True),),
            LowPass,
        ),
        StepKind(
            "clamp",
            "Keeps values between two bounds.",
            (
                StepParameter("low", "the lowest value"),
                StepParameter("high", "the highest value"),
            ),
            Clamp,
        ),
        StepKind(
            "no-value",
            "One value that means that there is none, like 85 at power-on.",
            (StepParameter("value", "the value that means none"),),
            NoValue,
        ),
    )
}


def checked(given: Sequence[Mapping[str, object]], kind: Kind) -> Plan:
    """The plan in data that somebody sent, whole and in order. Raises PlanError."""
    if kind.words is not None and given:
        raise PlanError(f"a {kind.shown} has two states, and no numbers to condition")
    if len(given) > MOST_STEPS:
        raise PlanError(f"a chain has {MOST_STEPS} steps at most, not {len(given)}")
    return tuple(_checked(number, one) for number, one in enumerate(given, start=1))


def _checked(number: int, given: Mapping[str, object]) -> Mapping[str, Parameter]:
    name = given.get("step")
    found = STEP_KINDS.get(str(name))
    if found is None:
        near = difflib.get_close_matches(str(name), STEP_KINDS, 1)
        hint = f"; did you mean {near[0]}?" if near else f"; use {', '.join(STEP_KINDS)}"
        raise PlanError(f"step {number}: there is no step {str(name)[:40]!r}{hint}")
    known = {one.name for one in found.parameters}
    for other in given:
        if other not in {"step", *known}:
            raise PlanError(
                f"step {number}: {found.name} has no {other[:40]!r}; "
                f"it has {', '.join(sorted(known))}"
            )
    made: dict[str, Parameter] = {"step": found.name}
    for parameter in found.parameters:
        value = given.get(parameter.name, parameter.default)
        where = f"step {number}: {found.name} {parameter.name}"
        if value is None or value == "":
            raise PlanError(f"{where} is missing: {parameter.about}")
        made[parameter.name] = _time(value, where) if parameter.time else _number(value, where)
    try:
        _made(found, made)
    except ValueError as error:
        raise PlanError(f"step {number}: {found.name}: {error}") from error
    return made


def _number(value: object, where: str) -> float:
    try:
        number = float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError) as error:
        raise PlanError(f"{where}: {str(value)[:40]!r} is no number") from error
    if isinstance(value, bool) or not math.isfinite(number):
        raise PlanError(f"{where}: {str(value)[:40]!r} is no number")
    if abs(number) > LARGEST:
        raise PlanError(f"{where}: {str(value)[:40]!r} is more than anything measures")
    return number


def _time(value: object, where: str) -> str:
    try:
        ms = parse_span_ms(str(value))
    except (ValueTextError, OverflowError) as error:
        raise PlanError(f"{where}: {error}") from error
    if ms > LONGEST_MS:
        raise PlanError(f"{where}: {show_span(LONGEST_MS)} is the longest, not {str(value)[:40]!r}")
    return show_span(ms) if ms % 1000 == 0 else f"{ms} ms"


def steps_of(plan: Plan) -> tuple[Step, ...]:
    """The steps that a checked plan names, fresh."""
    return tuple(_made(STEP_KINDS[str(one["step"])], one) for one in plan)


def _made(kind: StepKind, one: Mapping[str, Parameter]) -> Step:
    return kind.make(
        *(
            parse_span_ms(str(one[p.name])) if p.time else float(one[p.name])
            for p in kind.parameters
        )
    )


def in_words(one: Mapping[str, Parameter]) -> str:
    """A step as it is written: 'low-pass time="2 min"'."""
    kind = STEP_KINDS[str(one["step"])]
    parts = [
        f'{p.name}="{one[p.name]}"' if p.time else f"{p.name}={one[p.name]:g}"
        for p in kind.parameters
    ]
    return " ".join([kind.name, *parts])


def corrected(plan: Plan, gain: float, offset: float) -> list[dict[str, Parameter]]:
    """The plan with a correction at its end; one that stands there already is corrected
    itself, so that corrections do not pile up."""
    steps = [dict(step) for step in plan]
    if steps and steps[-1]["step"] == "linear":
        last = steps.pop()
        offset += gain * float(last["offset"])
        gain *= float(last["gain"])
    # A correction to the last digit of a number that is estimated says nothing.
    rounded = {"offset": float(f"{offset:.6g}"), "gain": float(f"{gain:.6g}")}
    return [*steps, {"step": "linear", **rounded}]
