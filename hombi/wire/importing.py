"""Imports on the wire."""

from __future__ import annotations

from typing import Annotated

from hombi.wire.base import Meta, Ms, Shape


class WrongLine(Shape, frozen=True, kw_only=True):
    """A line that is left out, and why."""

    line: int
    what: str


class ImportPlan(Shape, frozen=True, kw_only=True):
    """What a file comes to. Before it is `applied`, nothing is stored.

    `layout` says in words how the file is read. Of its `rows`, `taken` are stored;
    `there` have a reading of the same time already, `old` are older than readings are
    kept, `ahead` lie in the future, `wrong` cannot be read; the first of those are in
    `mistakes`. `low` and `high` are in `unit`.
    """

    entity: str
    layout: list[str]
    unit: str
    rows: int
    taken: int
    there: int
    old: int
    ahead: int
    wrong: int
    mistakes: list[WrongLine]
    start: Ms | None
    end: Ms | None
    low: float | None
    high: float | None
    applied: bool
    number: Annotated[int | None, Meta(description="the import's, to take it back")]


class Import(Shape, frozen=True, kw_only=True):
    """A file that was imported."""

    number: int
    file: str
    unit: str
    made_at: Ms
