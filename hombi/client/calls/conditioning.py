"""Conditioning: the steps that an entity's values go through."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.client.calls.base import Call, entity_path
from hombi.wire.conditioning import (
    CalibrationRequest,
    CompareRequest,
    Comparison,
    ConditioningRequest,
    StepSort,
    TriedConditioning,
    TryRequest,
    TypedValue,
)
from hombi.wire.conditioning import Conditioning as ConditioningShape

Step = dict[str, float | str]


def steps() -> Call[list[StepSort]]:
    """The sorts of steps, with their numbers."""
    return Call("GET", "/api/steps", list[StepSort])


def show(address: str) -> Call[ConditioningShape]:
    """How an entity's values are conditioned, all plans, and what would be a
    beginning."""
    return Call("GET", entity_path(address, "conditioning"), ConditioningShape)


def set_(address: str, steps: Sequence[Step], *, past: bool = False) -> Call[ConditioningShape]:
    """Condition an entity by these steps from now on, or over its whole past too. A
    step is {"step": "linear", "offset": -0.7}."""
    body = ConditioningRequest(steps=list(steps), past=past)
    return Call("PUT", entity_path(address, "conditioning"), ConditioningShape, body=body)


def undo(address: str) -> Call[ConditioningShape]:
    """Take the latest plan back; the past becomes what it was before."""
    return Call("DELETE", entity_path(address, "conditioning"), ConditioningShape)


def try_(
    address: str, steps: Sequence[Step], *, start: int = 0, end: int = 0
) -> Call[TriedConditioning]:
    """What steps would make of a stretch of the past, the last day unless given;
    nothing is stored."""
    body = TryRequest(steps=list(steps), start=start, end=end)
    return Call("POST", entity_path(address, "conditioning/try"), TriedConditioning, body=body)


def compare(
    address: str,
    reference: str = "",
    *,
    start: int,
    end: int,
    typed: Sequence[TypedValue] = (),
) -> Call[Comparison]:
    """A sensor beside a reference over a span, in ms: hour by hour, with the correction
    that follows; or beside values that were read off an instrument. Nothing is
    changed."""
    body = CompareRequest(reference=reference, start=start, end=end, typed=list(typed))
    return Call("POST", entity_path(address, "compare"), Comparison, body=body)


def calibrate(
    address: str,
    reference: str = "",
    *,
    start: int,
    end: int,
    gain: bool = False,
    past: bool = False,
    typed: Sequence[TypedValue] = (),
) -> Call[ConditioningShape]:
    """Correct a sensor by what the comparison comes to: by the offset, or with `gain`
    by gain and offset; from now on, or over its whole past too."""
    body = CalibrationRequest(
        reference=reference, start=start, end=end, gain=gain, past=past, typed=list(typed)
    )
    return Call("POST", entity_path(address, "calibration"), ConditioningShape, body=body)
