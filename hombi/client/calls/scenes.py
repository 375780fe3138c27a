"""Scenes: states of several entities that are recalled together."""

from __future__ import annotations

from collections.abc import Sequence

from hombi.client.calls.base import Call, path
from hombi.wire.scenes import Scene, SceneRecall, SceneRequest


def list_() -> Call[list[Scene]]:
    """All scenes, by title."""
    return Call("GET", "/api/scenes", list[Scene])


def get(scene: str) -> Call[Scene]:
    """One scene."""
    return Call("GET", path("scenes", scene), Scene)


def record(title: str, entities: Sequence[str] = ()) -> Call[Scene]:
    """Record the present states of some entities under a name; of a scene that is
    there, of its own unless others are named."""
    body = SceneRequest(title=title, entities=list(entities))
    return Call("POST", "/api/scenes", Scene, body=body)


def recall(scene: str) -> Call[SceneRecall]:
    """Put a scene's entities into their states, and wait for their nodes."""
    return Call("POST", path("scenes", scene, "recall"), SceneRecall)


def remove(scene: str) -> Call[None]:
    """Remove a scene."""
    return Call("DELETE", path("scenes", scene), None)
