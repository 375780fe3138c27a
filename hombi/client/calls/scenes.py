"""Scenes: states of several entities that are recalled together."""

from __future__ import annotations

from collections.abc import Sequence

from hombi import wire
from hombi.client.calls.base import Call, path


def list_() -> Call[list[wire.Scene]]:
    """All scenes, by title."""
    return Call("GET", "/api/scenes", list[wire.Scene])


def get(scene: str) -> Call[wire.Scene]:
    """One scene."""
    return Call("GET", path("scenes", scene), wire.Scene)


def record(title: str, entities: Sequence[str] = ()) -> Call[wire.Scene]:
    """Record the present states of some entities under a name; of a scene that is
    there, of its own unless others are named."""
    body = wire.SceneRequest(title=title, entities=list(entities))
    return Call("POST", "/api/scenes", wire.Scene, body=body)


def recall(scene: str) -> Call[wire.SceneRecall]:
    """Put a scene's entities into their states, and wait for their nodes."""
    return Call("POST", path("scenes", scene, "recall"), wire.SceneRecall)


def remove(scene: str) -> Call[None]:
    """Remove a scene."""
    return Call("DELETE", path("scenes", scene), None)
