"""Scenes on the wire."""

from __future__ import annotations

from typing import Annotated

from hombi.wire.base import Ask, Meta, Name, Shape
from hombi.wire.entities import Command


class SceneState(Shape, frozen=True, kw_only=True):
    """What an entity is to be in a scene; `shown` as people read it."""

    entity: str
    spoken: str
    shown: str
    there: Annotated[bool, Meta(description="whether it is still there, and can be set")]


class Scene(Shape, frozen=True, kw_only=True):
    """States of several entities that are recalled together."""

    scene: str
    title: str
    states: list[SceneState]


class SceneRequest(Ask, frozen=True, kw_only=True):
    """Record the present states of some entities under a name. Without entities, those
    of the scene of that name are recorded anew."""

    title: Name
    entities: Annotated[list[str], Meta(max_length=60)] = []


class SceneRecall(Shape, frozen=True, kw_only=True):
    """What came of a recall: a command for each entity, and the addresses of those that
    are not there any more."""

    scene: str
    commands: list[Command]
    gone: list[str]
