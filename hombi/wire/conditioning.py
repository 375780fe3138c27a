"""Conditioning on the wire: steps, plans, and what they would make of the past."""

from __future__ import annotations

from typing import Annotated

from hombi.wire.base import Ask, Meta, Ms, Shape


class StepNumber(Shape, frozen=True, kw_only=True):
    """One number of a sort of step, or of a way to compute; `default` null: it must be
    given. One that is a `time` is written like "2 min", one with `choices` is one of
    them."""

    name: str
    about: str
    default: float | str | None
    time: bool
    choices: list[str]
    text: bool


class StepSort(Shape, frozen=True, kw_only=True):
    """One sort of step of a chain."""

    step: str
    about: str
    parameters: list[StepNumber]


class PlanVersion(Shape, frozen=True, kw_only=True):
    """One plan of an entity: its steps as data and in words, who made it when, and
    since when it holds; 0: over the whole past."""

    steps: list[dict[str, float | str]]
    words: list[str]
    by: str
    made_at: Ms
    since: Ms


class Conditioning(Shape, frozen=True, kw_only=True):
    """How an entity's values are conditioned. `versions` are the latest first;
    `progress` is how much of the past is made again, 0 to 1, null when nothing is to be
    done. `suggested` are first steps from how its samples come and flicker."""

    entity: str
    unit: str
    steps: list[dict[str, float | str]]
    words: list[str]
    versions: list[PlanVersion]
    progress: float | None
    suggested: list[dict[str, float | str]]


class ConditioningRequest(Ask, frozen=True, kw_only=True):
    """Condition an entity by these steps from now on or, with `past`, over its whole
    past too."""

    steps: list[dict[str, float | str]]
    past: bool = False


class TryRequest(Ask, frozen=True, kw_only=True):
    """Try steps on a stretch of the past, in ms; the last day unless given."""

    steps: list[dict[str, float | str]]
    start: int = 0
    end: int = 0


class TriedConditioning(Shape, frozen=True, kw_only=True):
    """What steps would make of a stretch of the past, in columns of one length: the
    value without them and with them, null where it is bad. `spikes` would be bad that
    were not; `cut` says that there were more readings than were tried."""

    entity: str
    unit: str
    start: Ms
    end: Ms
    at: list[int]
    plain: list[float | None]
    made: list[float | None]
    spikes: int
    cut: bool


class Fit(Shape, frozen=True, kw_only=True):
    """A correction: reference = gain * sensor + offset. `low` and `high` are the 95 %
    interval of the offset, `gain_low` and `gain_high` that of the gain; `residual` is
    what is left, as a standard deviation."""

    gain: float
    offset: float
    low: float
    high: float
    gain_low: float
    gain_high: float
    residual: float


class Comparison(Shape, frozen=True, kw_only=True):
    """A sensor beside a reference: the means of each hour in which both were heard, in
    columns of one length; the fit of an offset, that of gain and offset where the range
    supports one, and what is to be said of them. `behind_ms` says how much later than
    the reference the sensor follows; 0 where that cannot be seen."""

    entity: str
    reference: str
    unit: str
    start: Ms
    end: Ms
    at: list[int]
    sensor: list[float]
    beside: list[float]
    offset: Fit | None
    both: Fit | None
    remarks: list[str]
    behind_ms: int


class TypedValue(Ask, frozen=True, kw_only=True):
    """A value that was read off an instrument at a time, like "21.4 °C"; without a unit
    it is in the one that is seen."""

    at: int
    value: Annotated[str, Meta(max_length=40)]


class CompareRequest(Ask, frozen=True, kw_only=True):
    """Compare with this entity over a span, in ms; or with values that were read off an
    instrument."""

    start: int
    end: int
    reference: str = ""
    typed: list[TypedValue] = []


class CalibrationRequest(CompareRequest, frozen=True, kw_only=True):
    """Correct by what the comparison comes to: by the offset, or with `gain` by gain
    and offset; from now on or, with `past`, over the whole past too."""

    gain: bool = False
    past: bool = False
