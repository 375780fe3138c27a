"""The look back: the rooms of a month or a week side by side."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

from hombi.wire.base import Meta, Ms, Shape

HEADINGS = (
    "room", "entity", "kind", "unit", "hour", "low", "median", "high", "mean", "lowest",
    "highest", "hours_known",
)  # fmt: skip


class HourOfDay(Shape, frozen=True, kw_only=True):
    """What was usual in one hour of the day, as the house's clock shows it: a tenth of
    the time it was under `low`, a tenth over `high`."""

    hour: int
    low: float
    median: float
    high: float


class BeyondLimit(Shape, frozen=True, kw_only=True):
    """For how many hours a value was beyond the limit of an automation."""

    automation: str
    name: str
    limit: Annotated[str, Meta(description='in words: "under 82 %"')]
    hours: float


class ReviewedEntity(Shape, frozen=True, kw_only=True):
    """What an entity came to; `known` is for how many hours a value was known.
    `outside` marks one that is not compared with the others."""

    entity: str
    room: str
    place: str
    mean: float
    low: float
    high: float
    known: float
    outside: bool
    day: list[HourOfDay]
    beyond: list[BeyondLimit]


class ReviewedKind(Shape, frozen=True, kw_only=True):
    """The entities of one kind, in the order of their rooms."""

    kind: str
    title: str
    unit: str
    decimals: int
    entities: list[ReviewedEntity]


class Finding(Shape, frozen=True, kw_only=True):
    """Something that stands out, in words."""

    entity: str
    text: str


class NodeSilence(Shape, frozen=True, kw_only=True):
    """The longest silence of a node; of no unusual one, `start` and `end` are None."""

    node: str
    title: str
    start: Ms | None
    end: Ms | None


class BatteryTrend(Shape, frozen=True, kw_only=True):
    """How a battery runs down. `low_at` is the day on which it will be low (10 %); None
    where it holds, or is low already."""

    entity: str
    spoken: str
    percent: float
    a_day: Annotated[float, Meta(description="percentage points a day")]
    low_at: Ms | None


class Review(Shape, frozen=True, kw_only=True):
    """A month or a week of the house, from its first day to the day after its last, or
    to now."""

    span: str
    first: Annotated[str, Meta(description="its first day, as 2026-11-01")]
    start: Ms
    end: Ms
    findings: list[Finding]
    kinds: list[ReviewedKind]
    silences: list[NodeSilence]
    batteries: list[BatteryTrend]

    def rows(self) -> Iterator[tuple[str, ...]]:
        """As a table, its headings first: for each entity a row of the whole span, then
        one for each hour of the day."""
        yield HEADINGS
        for kind in self.kinds:
            for entity in kind.entities:
                about = (entity.room, entity.entity, kind.kind, kind.unit)
                whole = (entity.mean, entity.low, entity.high, entity.known)
                yield (*about, "all", "", "", "", *(f"{number:.6g}" for number in whole))
                for at in entity.day:
                    band = (at.low, at.median, at.high)
                    yield (*about, str(at.hour), *(f"{n:.6g}" for n in band), "", "", "", "")
