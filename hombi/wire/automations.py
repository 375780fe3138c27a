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
    stopped: Annotated[
        str, Meta(description="why the hub stopped it; a change of its text or duty starts it")
    ]
    mistakes: list[Mistake]


class Checked(Shape, frozen=True, kw_only=True):
    """What a text comes to; `warnings` are allowed and hardly meant."""

    ok: bool
    sentence: str
    mistakes: list[Mistake]
    warnings: list[Mistake]


class Written(Checked, frozen=True, kw_only=True):
    """The text that the blanks of a form make, checked."""

    text: str


class TextRequest(Ask, frozen=True, kw_only=True):
    """The text of an automation, kept word for word."""

    verbatim = frozenset({"text"})
    text: Text


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
