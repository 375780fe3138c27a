"""Entities: their latest readings, their history, and commands."""

from __future__ import annotations

from typing import Annotated, Literal

from hombi.wire.base import UNSET, Ask, MaybeName, Meta, Ms, Name, Shape, UnsetType
from hombi.wire.conditioning import StepNumber

Quality = Literal["good", "uncertain", "bad"]


class Wish(Shape, frozen=True, kw_only=True):
    """What an entity is wanted to be: by whom and since when, why it is not yet, and
    all of that in words."""

    value: float
    by: str
    since: Ms
    due: Annotated[Ms | None, Meta(description="until then it goes there slowly")]
    problem: str
    shown: str


Role = Literal[
    "lamp", "covering", "thermostat", "lock", "fan", "remote", "outlet", "meter", "sensor"
]


class Entity(Shape, frozen=True, kw_only=True):
    """An entity with its latest reading. `value` is in `unit`, `raw` in the unit that
    the node sent it in; `shown` is the value as people read it."""

    entity: str
    node: str
    link: str
    title: str
    spoken: Annotated[str, Meta(description="its name as it is said, with its node")]
    kind: str
    unit: str
    decimals: int
    words: Annotated[
        list[str] | None,
        Meta(description="the names of 0, 1, 2 …, for a kind whose values have names"),
    ]
    drawn: Annotated[
        Literal["line", "states", "needle", "marks"],
        Meta(
            description="how a page draws it; a needle is a direction, in degrees; marks are "
            "moments, which happen and do not last"
        ),
    ]
    endpoint: Annotated[
        str, Meta(description="the part of its node that has it; empty where it has no parts")
    ]
    role: Annotated[Role, Meta(description="what that part is for a person")]
    room: str | None
    writable: bool
    low: float
    high: float
    wire_name: str
    wire_unit: str
    hidden: Annotated[bool, Meta(description="kept, but not shown in its room")]
    picked: Annotated[str, Meta(description="where it is picked from, if it is")]
    value: float | None
    raw: float | None
    shown: str
    quality: Literal["good", "uncertain", "bad", "none"]
    reason: str
    at: Annotated[Ms | None, Meta(description="time of the latest reading, ms")]
    heard_at: Annotated[Ms | None, Meta(description="when this value was last heard, ms")]
    since: Annotated[
        Ms | None,
        Meta(
            description="since when its state is what it is, ms; null for what has no states, "
            "and where that is longer than a month ago"
        ),
    ]
    wanted: Annotated[
        Wish | None, Meta(description="what it is wanted to be, until its node confirms it")
    ]
    left_alone: Annotated[
        bool,
        Meta(
            description="a person has set it, and an automation leaves it alone until it "
            "starts again"
        ),
    ]


class Limit(Shape, frozen=True, kw_only=True):
    """What an automation watches for, for drawing it. Values in the kind's unit.
    `within` and `outside` have two limits: the second one is `high`."""

    entity: str
    condition: str
    limit: float
    until: float | None
    high: float | None


class Watcher(Limit, frozen=True, kw_only=True):
    """An automation's limit on an entity."""

    automation: str
    name: str


class HowComputed(Shape, frozen=True, kw_only=True):
    """How a value is computed: the method, in words and with where its formula comes
    from, its sources in their order, and its parameters."""

    method: str
    title: str
    about: str
    source: str
    sources: list[str]
    parameters: dict[str, str]


class ComputedRequest(Ask, frozen=True, kw_only=True):
    """A value to compute from others. It stands in the room of its first source unless
    one is named."""

    method: str
    sources: list[str]
    parameters: dict[str, float | str] = {}
    title: MaybeName = ""
    room: str = ""


class MethodSort(Shape, frozen=True, kw_only=True):
    """One way to compute a value. `sources` are the kinds of its sources in their
    order; empty: two or more of one kind; "a number", "two states": any such kind.
    `kind` is what it gives; empty: that of its sources."""

    method: str
    title: str
    about: str
    source: str
    sources: list[str]
    kind: str
    parameters: list[StepNumber]


class KeptIn(Shape, frozen=True, kw_only=True):
    """How an entity's values are kept, whatever they are seen in: `low` and `high` are
    in this unit, and so are the numbers of its steps. Then what is chosen for it alone:
    the unit and decimals in which it is seen, and how long its readings are kept."""

    unit: str
    decimals: int
    low: float
    high: float
    seen_in: str
    seen_decimals: int
    keep: str
    choices: Annotated[list[str], Meta(description="the units in which it can be seen")]


class EntityDetail(Entity, frozen=True, kw_only=True):
    """An entity with the automations that look at it."""

    watchers: list[Watcher]
    kept_in: KeptIn
    converted: Annotated[
        bool, Meta(description="its node speaks another unit, not only another name of the unit")
    ]
    computed: Annotated[
        HowComputed | None, Meta(description="how it is computed; null for what a node sends")
    ]


class History(Shape, frozen=True, kw_only=True):
    """An entity's history in buckets of `width_ms`: columns of the same length. `at` is
    the middle of each bucket. Bad readings are left out."""

    entity: str
    unit: str
    start: Ms
    end: Ms
    width_ms: int
    at: list[int]
    mean: list[float]
    low: list[float]
    high: list[float]
    count: list[int]


class SpanNumbers(Shape, frozen=True, kw_only=True):
    """What an entity comes to over a span, bad readings left out; null where there are
    none.

    `mean`, `median`, `p5` and `p95` (the value that was not exceeded for 5 or 95 % of
    the time) are weighted by time. `known_ms` is for how long a value was known,
    `over_ms` for how long it was over the limit `over`.
    """

    entity: str
    unit: str
    start: Ms
    end: Ms
    count: int
    low: float | None
    mean: float | None
    median: float | None
    high: float | None
    p5: float | None
    p95: float | None
    known_ms: int
    over: float | None
    over_ms: int | None


class Doubts(Shape, frozen=True, kw_only=True):
    """The readings of a span that are not good, in columns of one length; `cut` says
    that there are more."""

    entity: str
    start: Ms
    end: Ms
    at: list[int]
    quality: list[Quality]
    reason: list[str]
    cut: bool


class Row(Shape, frozen=True, kw_only=True):
    """What the readings of a stretch of house time come to, the bad ones left out; null
    where there are none. `end` is excluded."""

    start: Ms
    end: Ms
    mean: float | None
    low: float | None
    high: float | None
    count: int


class Stretch(Shape, frozen=True, kw_only=True):
    """For how long a value was so."""

    start: Ms
    end: Ms
    value: float


class Share(Shape, frozen=True, kw_only=True):
    """For how much of an hour or a day an entity was at its second state: `on_ms` of
    the `known_ms` for which it is known how it stood."""

    start: Ms
    end: Ms
    on_ms: int
    known_ms: int


class Stretches(Shape, frozen=True, kw_only=True):
    """How an entity with states stood, one stretch after the other; it is so until it
    says otherwise. `cut` is whether there were more than are told.

    `shares` says the same by hours of the house, or days for more than two weeks, and
    also where its readings are forgotten. The first one counts its hour or day from its
    beginning."""

    entity: str
    start: Ms
    end: Ms
    stretches: list[Stretch]
    shares: list[Share]
    cut: bool


class Reading(Shape, frozen=True, kw_only=True):
    """One reading. `raw` is what was sent, in the unit that it was sent in."""

    at: Ms
    raw: float | None
    value: float | None
    quality: Quality
    reason: str


class Readings(Shape, frozen=True, kw_only=True):
    """A page of readings; `next` is the `start` of the next page, null on the last
    one."""

    readings: list[Reading]
    next: int | None


class Command(Shape, frozen=True, kw_only=True):
    """A command and what became of it."""

    id: int
    entity: str
    value: float
    by: str
    state: Literal["asked", "confirmed", "unanswered", "unreachable"]
    problem: str
    asked_at: Ms
    answered_at: Ms | None


class KindOfEntity(Shape, frozen=True, kw_only=True):
    """A kind of entity, with the units that its nodes may speak. `title` is how people
    write it, `called` are the words that nodes call it by; a value beyond `low` and
    `high` is not believed. With `own_words` each entity brings its words. A `moment`
    happens, and does not last."""

    kind: str
    title: str
    unit: str
    units: list[str]
    words: list[str] | None
    own_words: bool
    moment: bool
    low: float
    high: float
    called: list[str]


class EntityChange(Ask, frozen=True, kw_only=True):
    """What to change of an entity. `seen_in` and `decimals` are how it is shown; its
    values are kept in the unit of its kind. `keep` is for how long its readings are
    kept, like "30 d"; empty: as all others. With another kind goes the unit that its
    node speaks, the kind's own unless given; its past keeps what it was."""

    title: Name | UnsetType = UNSET
    hidden: bool | UnsetType = UNSET
    kind: Name | UnsetType = UNSET
    unit: str = ""
    seen_in: Annotated[str, Meta(description="a unit; empty: the household's")] | UnsetType = UNSET
    decimals: Annotated[int, Meta(ge=-1, le=6, description="-1: what suits")] | UnsetType = UNSET
    keep: MaybeName | UnsetType = UNSET


class NodeCommandRequest(Ask, frozen=True, kw_only=True):
    """What a node is to take: several values by the names of its entities
    ("level": "40 %"), or the whole node (`to`: "on", "60 %"); within the time of
    `taking`, like "3 s"."""

    to: Annotated[str, Meta(max_length=100)] = ""
    values: Annotated[dict[str, str], Meta(max_length=20)] = {}
    taking: Annotated[str, Meta(max_length=40)] = ""


class CommandRequest(Ask, frozen=True, kw_only=True):
    """The value wanted, as people write it: "on", "40 %"."""

    to: Annotated[str, Meta(min_length=1, max_length=100)]
