"""Conditioning: the steps that an entity's values go through."""

from __future__ import annotations

from collections.abc import Sequence

from hombi import wire
from hombi.client.calls.base import Call, entity_path

Step = dict[str, float | str]


def steps() -> Call[list[wire.StepSort]]:
    """The sorts of steps, with their numbers."""
    return Call("GET", "/api/steps", list[wire.StepSort])


def show(address: str) -> Call[wire.Conditioning]:
    """How an entity's values are conditioned, all plans, and what would be a
    beginning."""
    return Call("GET", entity_path(address, "conditioning"), wire.Conditioning)


def set_(address: str, steps: Sequence[Step], *, past: bool = False) -> Call[wire.Conditioning]:
    """Condition an entity by these steps from now on, or over its whole past too. A
    step is {"step": "linear", "offset": -0.7}."""
    body = wire.ConditioningRequest(steps=list(steps), past=past)
    return Call("PUT", entity_path(address, "conditioning"), wire.Conditioning, body=body)


def undo(address: str) -> Call[wire.Conditioning]:
    """Take the latest plan back; the past becomes what it was before."""
    return Call("DELETE", entity_path(address, "conditioning"), wire.Conditioning)


def try_(
    address: str, steps: Sequence[Step], *, start: int = 0, end: int = 0
) -> Call[wire.TriedConditioning]:
    """What steps would make of a stretch of the past, the last day unless given;
    nothing is stored."""
    body = wire.TryRequest(steps=list(steps), start=start, end=end)
    return Call("POST", entity_path(address, "conditioning/try"), wire.TriedConditioning, body=body)


def compare(
    address: str,
    reference: str = "",
    *,
    start: int,
    end: int,
    typed: Sequence[wire.TypedValue] = (),
) -> Call[wire.Comparison]:
    """A sensor beside a reference over a span, in ms: hour by hour, with the correction
    that follows; or beside values that were read off an instrument. Nothing is
    changed."""
    body = wire.CompareRequest(reference=reference, start=start, end=end, typed=list(typed))
    return Call("POST", entity_path(address, "compare"), wire.Comparison, body=body)


def calibrate(
    address: str,
    reference: str = "",
    *,
    start: int,
    end: int,
    gain: bool = False,
    past: bool = False,
    typed: Sequence[wire.TypedValue] = (),
) -> Call[wire.Conditioning]:
    """Correct a sensor by what the comparison comes to: by the offset, or with `gain`
    by gain and offset; from now on, or over its whole past too."""
    body = wire.CalibrationRequest(
        reference=reference, start=start, end=end, gain=gain, past=past, typed=list(typed)
    )
    return Call("POST", entity_path(address, "calibration"), wire.Conditioning, body=body)
