"""Automations: their texts, and every mistake in one."""

from __future__ import annotations

from typing import Annotated, Literal

from hombi.wire.base import UNSET, Ask, Meta, Ms, Shape, UnsetType
from hombi.wire.entities import Limit

Text = Annotated[str, Meta(min_length=1, max_length=20_000)]


class Mistake(Shape, frozen=True, kw_only=True):
    """One thing that is wrong in a text; line and column count from 1."""

    line: int
    column: int
    what: str
    hint: str
    source_line: str


class Automation(Shape, frozen=True, kw_only=True):
    """An automation: its text word for word, as a sentence, and where it stands."""

    automation: str
    name: str
    about: str
    text: str
    sentence: str
    enabled: bool
    phase: Literal["idle", "holding", "waiting", "on"]
    since: Ms | None
    due: Ms | None
    started_at: Annotated[Ms | None, Meta(description="when it started last")]
    started_lately: Annotated[int, Meta(description="how often, in the last seven days")]
    watch: Limit | None
    limit_shown: str
    reminds: Annotated[bool, Meta(description="whether it will remind somebody again")]
    left_alone: Annotated[
        list[str],
        Meta(description="what a person has set since it started; left alone until it starts anew"),
    ]
    room: Annotated[str | None, Meta(description="where what it looks at is, or what it switches")]
    stopped: Annotated[
        str, Meta(description="why the hub stopped it; a change of its text or duty starts it")
    ]
    mistakes: list[Mistake]


class TextField(Shape, frozen=True, kw_only=True):
    """A value in a text that a form can show: its place, what it is, and how it is
    written; "" for one that could be there and is not."""

    path: list[str | int]
    label: str
    value: str


class Checked(Shape, frozen=True, kw_only=True):
    """What a text comes to; `warnings` are allowed and hardly meant. `fields` are the
    values that a form can show."""

    ok: bool
    sentence: str
    mistakes: list[Mistake]
    warnings: list[Mistake]
    fields: list[TextField]


class Written(Checked, frozen=True, kw_only=True):
    """The text that the blanks of a form make, checked."""

    text: str


class TextRequest(Ask, frozen=True, kw_only=True):
    """The text of an automation, kept word for word."""

    verbatim = frozenset({"text"})
    text: Text


class KeptText(Shape, frozen=True, kw_only=True):
    """A text that an automation has or had; `at` and `by` are null where nobody knows
    since when, and who wrote it."""

    at: Ms | None
    by: str | None
    text: str


class Sequence(Shape, frozen=True, kw_only=True):
    """A list of actions with a name, which automations run: its text word for word, and
    its steps as a sentence, "" while it has mistakes."""

    sequence: str
    name: str
    text: str
    sentence: str
    mistakes: list[Mistake]


class AutomationChange(Ask, frozen=True, kw_only=True):
    """Another text, or whether it is on duty. With `leave` what is on now stays as it
    is; else it ends first. `was` is the text that the new one was written over: it is
    refused when that is another meanwhile."""

    verbatim = frozenset({"text", "was"})
    text: Text | UnsetType = UNSET
    was: Text | UnsetType = UNSET
    enabled: bool | UnsetType = UNSET
    leave: bool = False


class ThresholdRequest(Ask, frozen=True, kw_only=True):
    """The blanks of the form for a simple threshold, each as a person writes it."""

    name: Annotated[str, Meta(min_length=1)]
    entity: Annotated[str, Meta(min_length=1)]
    condition: Literal["over", "under", "is"]
    limit: Annotated[str, Meta(min_length=1)]
    about: str = ""
    held: str = ""
    until: str = ""
    between: str = ""
    switch: str = ""
    notify: str = ""
    title: str = ""
    text: str = ""


class EditRequest(Ask, frozen=True, kw_only=True):
    """One place of a text to change, like ["watch", "over"] or ["starts", 0, "to"];
    null takes the key out."""

    verbatim = frozenset({"text"})
    text: Text
    path: Annotated[list[str | int], Meta(min_length=1, max_length=4)]
    value: Annotated[str, Meta(max_length=500)] | None


class ReplayRequest(Ask, frozen=True, kw_only=True):
    """A text to run over the past, in ms; the last 30 days unless given. `limit` is
    tried in place of the text's own, like "80 %"."""

    verbatim = frozenset({"text"})
    text: Text
    start: int = 0
    end: int = 0
    limit: Annotated[str, Meta(max_length=60)] = ""
    automation: Annotated[
        str, Meta(max_length=80, description="the one on duty to compare with")
    ] = ""


class ReplayedEdge(Shape, frozen=True, kw_only=True):
    """One edge in a replay, and why."""

    at: Ms
    edge: Literal["start", "end", "lost"]
    text: str


class ReplayedEffect(Shape, frozen=True, kw_only=True):
    """What would have been done, and how often."""

    text: str
    times: int


class SuggestedLimit(Shape, frozen=True, kw_only=True):
    """A limit that would start it about so often a week."""

    limit: str
    a_week: float


class Lane(Shape, frozen=True, kw_only=True):
    """What one part of an automation said over a span: from each moment of `since` on,
    yes, no, or (null) that nothing was known."""

    text: str
    since: list[int]
    said: list[bool | None]


class Replay(Shape, frozen=True, kw_only=True):
    """What an automation would have done over a span. `on_from` and `on_until` are when
    it would have been on, in columns; `short` counts what did not hold long enough.
    `edges` has the last 500. `limit` and `until` are in the unit that is seen; null for
    a kind with two states."""

    sentence: str
    entity: str
    entities: Annotated[list[str], Meta(description="all that it looks at")]
    unit: str
    start: Ms
    end: Ms
    known_from: Annotated[Ms | None, Meta(description="the first reading in the span, ms")]
    starts: int
    a_week: float
    on_ms: int
    longest_ms: int
    short: int
    on_from: list[int]
    on_until: list[int]
    edges: list[ReplayedEdge]
    stood_from: Annotated[list[int], Meta(description="when it stood elsewhere, the last 2000")]
    stood: Annotated[
        list[Literal["idle", "holding", "waiting", "on"]], Meta(description="and where, from then")
    ]
    effects: list[ReplayedEffect]
    lanes: Annotated[list[Lane], Meta(description="a line for each part, up to two days")]
    advice: list[str]
    lived: Annotated[
        list[int] | None, Meta(description="when the one on duty did start; null without one")
    ]
    condition: str
    limit: float | None
    until: float | None
    limits: list[SuggestedLimit]


class AccountLine(Shape, frozen=True, kw_only=True):
    """What one part of an automation said at a moment: yes, no, or (null) something
    beside."""

    holds: bool | None
    text: str


class AccountDone(Shape, frozen=True, kw_only=True):
    """One thing that was done about the last start or end before a moment: what came of
    it (null: not known), and how long after."""

    at: Ms
    text: str
    done: bool | None
    took_ms: int


class Account(Shape, frozen=True, kw_only=True):
    """Where an automation stood at a moment, by its present text, and why."""

    automation: str
    at: Ms
    phase: Literal["idle", "holding", "waiting", "on"]
    sentence: str
    lines: list[AccountLine]
    edge: Annotated[str, Meta(description="the last start or end until then, in words")]
    done: Annotated[list[AccountDone], Meta(description="what was done about it, in order")]


class PretendValue(Ask, frozen=True, kw_only=True):
    """A value to pretend, so long after the beginning ("5 min"; at once unless given):
    of the first entity that is watched unless another is named. "bad" is no value."""

    value: Annotated[str, Meta(min_length=1, max_length=60)]
    after: Annotated[str, Meta(max_length=30)] = ""
    entity: Annotated[str, Meta(max_length=140)] = ""


class RehearseRequest(Ask, frozen=True, kw_only=True):
    """A text to rehearse with pretend values (none for one that goes by the clock
    alone). `lasts` is how long after the last of
    them it goes on, an hour unless given; `at` the moment at which it begins, in ms,
    now unless given."""

    verbatim = frozenset({"text"})
    text: Text
    said: Annotated[list[PretendValue], Meta(max_length=60)]
    lasts: Annotated[str, Meta(max_length=30)] = ""
    at: int = 0


class RehearsedStep(Shape, frozen=True, kw_only=True):
    """What would happen at a moment: an edge and why, or (`edge` is "") what had waited
    for it; and what would be done, in words. `after_ms` counts from the beginning."""

    at: Ms
    after_ms: int
    edge: Literal["", "start", "end", "lost"]
    text: str
    effects: list[str]


class Rehearsal(Shape, frozen=True, kw_only=True):
    """What an automation would do with pretend values; the house is not touched."""

    sentence: str
    start: Ms
    end: Ms
    entities: Annotated[list[str], Meta(description="all that it looks at")]
    steps: list[RehearsedStep]
    stood_from: list[int]
    stood: list[Literal["idle", "holding", "waiting", "on"]]
    lanes: Annotated[list[Lane], Meta(description="a line for each part")]


class RunRequest(Ask, frozen=True, kw_only=True):
    """Which of its actions to run: those of its start, or of its end."""

    edge: Literal["start", "end"] = "start"


class StarterBlank(Shape, frozen=True, kw_only=True):
    """Something to fill in: an entity of one of these kinds (that can be set, if
    `set`), a value of the entity in the blank `of`, a length of time, a text, a person.
    `usual` is a first value."""

    name: str
    label: str
    sort: Literal["entity", "value", "span", "text", "person"]
    kinds: list[str]
    usual: str
    needed: bool
    set: bool
    of: str


class Starter(Shape, frozen=True, kw_only=True):
    """A ready-made automation with blanks to fill in."""

    starter: str
    title: str
    about: str
    blanks: list[StarterBlank]


class StarterRequest(Ask, frozen=True, kw_only=True):
    """The blanks of a starter, each as a person writes it."""

    blanks: dict[str, Annotated[str, Meta(max_length=200)]]


class FirstValue(Shape, frozen=True, kw_only=True):
    """A first value for a blank, from the past of its entity, and why."""

    blank: str
    value: str
    reason: str
