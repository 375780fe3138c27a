"""Conditioning as a person writes it: steps by name, each with its numbers.

    linear offset=-0.7 gain=1.02
    despike window="10 min" times=3

A plan is plain data, so that it can be stored and sent; the steps of a chain are made
of it. Numbers are in the unit of the entity's kind.
"""

from __future__ import annotations

import difflib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Literal

from hombi.core.kinds import Kind
from hombi.core.series.parameters import LARGEST, Given, Parameter, ParameterError
from hombi.core.series.steps import (
    ByFormula,
    Clamp,
    Clips,
    Despike,
    HoldOff,
    Linear,
    LowPass,
    Median,
    NoValue,
    Resample,
    Step,
    Stuck,
)
from hombi.core.series.steps.turning import ByParts

MOST_STEPS = 8

# The steps in their order: each its name under "step", and its parameters.
Plan = tuple[Mapping[str, Given], ...]


class PlanError(ValueError):
    """A plan that cannot be; the message says which step, what, and what to do."""


@dataclass(frozen=True, slots=True)
class StepKind:
    """One sort of step: its name, what it is for, its parameters, and how it is made of
    them (times in ms); one that is `of_kind` is given the entity's kind first. `turns`
    says what one does with directions."""

    name: str
    about: str
    parameters: tuple[Parameter, ...]
    make: Callable[..., Step]
    of_kind: bool = False
    turns: Literal["as it is", "by parts", "not at all"] = "as it is"


STEP_KINDS: Mapping[str, StepKind] = {
    kind.name: kind
    for kind in (
        StepKind(
            "linear",
            "Corrects by a gain and an offset: value * gain + offset.",
            (
                Parameter("offset", "what is added", 0.0),
                Parameter("gain", "by what it is multiplied first", 1.0),
            ),
            lambda offset, gain: Linear(gain, offset),
        ),
        StepKind(
            "despike",
            "Marks single values that stand far from their neighbours as spikes.",
            (
                Parameter("window", "the time that is looked at", "10 min", time=True),
                Parameter("times", "how many usual deviations are too many", 3.0),
                Parameter("floor", "the least deviation that counts", 0.0),
            ),
            Despike,
            turns="not at all",
        ),
        StepKind(
            "median",
            "Takes the middle of the values of the last while.",
            (Parameter("window", "the time that is looked at", "5 min", time=True),),
            Median,
            turns="not at all",
        ),
        StepKind(
            "low-pass",
            "Smooths: a jump is followed for two thirds within the time constant.",
            (Parameter("time", "the time constant", "2 min", time=True),),
            LowPass,
            turns="by parts",
        ),
        StepKind(
            "resample",
            "Gives the mean of each stretch of time, until the next one ends.",
            (Parameter("every", "how long a stretch is", "10 min", time=True),),
            Resample,
            turns="by parts",
        ),
        StepKind(
            "clamp",
            "Keeps values between two bounds.",
            (
                Parameter("low", "the lowest value"),
                Parameter("high", "the highest value"),
            ),
            Clamp,
            turns="not at all",
        ),
        StepKind(
            "hold-off",
            "Does not follow changes that are smaller than a band.",
            (Parameter("band", "the least change that counts"),),
            lambda kind, band: HoldOff(band, kind.arithmetic),
            of_kind=True,
        ),
        StepKind(
            "clips",
            "Marks values at the ends of what the sensor can say as clipped.",
            (
                Parameter("low", "its lower end", -LARGEST),
                Parameter("high", "its upper end", LARGEST),
            ),
            Clips,
        ),
        StepKind(
            "stuck",
            "Marks a value that is the very same for too long; for what always moves a little.",
            (Parameter("time", "how long is too long", "2 h", time=True),),
            Stuck,
        ),
        StepKind(
            "formula",
            "Computes with the value; units must fit.",
            (Parameter("text", 'like "value * 1.02 + 0.3 K"', text=True),),
            ByFormula,
            of_kind=True,
        ),
        StepKind(
            "no-value",
            "One value that means that there is none, like 85 at power-on.",
            (Parameter("value", "the value that means none"),),
            NoValue,
        ),
    )
}


def checked(given: Sequence[Mapping[str, object]], kind: Kind) -> Plan:
    """The plan in data that somebody sent, whole and in order. Raises PlanError."""
    if not kind.a_number and given:
        what = "has two states" if kind.two_states else "is no measurement"
        raise PlanError(f"a {kind.shown} {what}, and no numbers to condition")
    if len(given) > MOST_STEPS:
        raise PlanError(f"a chain has {MOST_STEPS} steps at most, not {len(given)}")
    return tuple(_checked(number, one, kind) for number, one in enumerate(given, start=1))


def _checked(number: int, given: Mapping[str, object], kind: Kind) -> Mapping[str, Given]:
    name = given.get("step")
    result = STEP_KINDS.get(str(name))
    if result is None:
        near = difflib.get_close_matches(str(name), STEP_KINDS, 1)
        hint = f"; did you mean {near[0]}?" if near else f"; use {', '.join(STEP_KINDS)}"
        raise PlanError(f"step {number}: there is no step {str(name)[:40]!r}{hint}")
    known = {one.name for one in result.parameters}
    for other in given:
        if other not in {"step", *known}:
            raise PlanError(
                f"step {number}: {result.name} has no {other[:40]!r}; "
                f"it has {', '.join(sorted(known))}"
            )
    made: dict[str, Given] = {"step": result.name}
    for parameter in result.parameters:
        where = f"step {number}: {result.name} {parameter.name}"
        try:
            made[parameter.name] = parameter.read(given.get(parameter.name), where)
        except ParameterError as error:
            raise PlanError(str(error)) from error
    try:
        _made(result, made, kind)
    except ValueError as error:
        raise PlanError(f"step {number}: {result.name}: {error}") from error
    return made


def steps_of(plan: Plan, kind: Kind) -> tuple[Step, ...]:
    """The steps that a checked plan names, fresh, for an entity of this kind."""
    return tuple(_made(STEP_KINDS[str(one["step"])], one, kind) for one in plan)


def _made(sort: StepKind, one: Mapping[str, Given], kind: Kind) -> Step:
    given = [p.value(one[p.name]) for p in sort.parameters]
    make = partial(sort.make, *([kind] if sort.of_kind else []), *given)
    if kind.arithmetic.ordered or sort.turns == "as it is":
        return make()
    if sort.turns == "not at all":
        fit = [name for name, other in STEP_KINDS.items() if other.turns != sort.turns]
        raise ValueError(f"it needs an order, and directions have none; use {', '.join(fit)}")
    return ByParts(make, kind.arithmetic)


def in_words(one: Mapping[str, Given]) -> str:
    """A step as it is written: 'low-pass time="2 min"'."""
    kind = STEP_KINDS[str(one["step"])]
    parts = [
        f'{p.name}="{one[p.name]}"' if p.time or p.text else f"{p.name}={one[p.name]:g}"
        for p in kind.parameters
        if one[p.name] not in (LARGEST, -LARGEST)  # a bound that is none
    ]
    return " ".join([kind.name, *parts])


def corrected(plan: Plan, gain: float, offset: float) -> list[dict[str, Given]]:
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
