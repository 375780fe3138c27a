"""Who is home, on the wire."""

from __future__ import annotations

from typing import Annotated

from msgspec import UNSET, UnsetType

from hombi.wire.base import Ask, Meta, Ms, Shape


class Presence(Shape, frozen=True, kw_only=True):
    """Someone of the household. `entity` has it as a value, with its past; null while
    nobody has said anything. `linger` is in words."""

    person: str
    home: bool | None
    since: Ms | None
    entity: str | None
    follows: Annotated[list[str], Meta(description="the values that tell it")]
    linger: Annotated[str, Meta(description="home for so long after the last sign")]
    quiet: Annotated[str, Meta(description='quiet hours, like "22:00-06:30"; "" for none')]


class PresenceChange(Ask, frozen=True, kw_only=True):
    """Say that somebody is home or away, what tells it, or when they are to be left in
    peace."""

    home: bool | UnsetType = UNSET
    follows: Annotated[list[str], Meta(max_length=8)] | UnsetType = UNSET
    linger: Annotated[str, Meta(max_length=40)] = ""
    quiet: Annotated[str, Meta(max_length=40)] | UnsetType = UNSET
