"""Nodes that are in the house."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from hombi.client.calls.base import Call, path
from hombi.wire.entities import Command, Entity, NodeCommandRequest
from hombi.wire.nodes import (
    Acted,
    ActionRequest,
    Node,
    NodeChange,
    NodeKey,
    NodeProfile,
    NodeRequest,
    NodeSecret,
    PostedRequest,
    ProfileRequest,
    Setting,
    SettingRequest,
)

NO_INPUTS: Mapping[str, Any] = MappingProxyType({})


def list_() -> Call[list[Node]]:
    """All nodes."""
    return Call("GET", "/api/nodes", list[Node])


def get(node: str) -> Call[Node]:
    """One node."""
    return Call("GET", path("nodes", node), Node)


def set_(
    node: str, to: str = "", values: Mapping[str, str] = NO_INPUTS, *, taking: str = ""
) -> Call[list[Command]]:
    """Ask a node to take several values by their names ({"level": "40 %"}) or as its
    "colour" ("teal", "#008080", "2700 K"), or to be something as a whole ("on", "60 %",
    "teal"), and wait for it. It goes there within `taking`, like "3 s". Each answer's
    `state` says whether it did."""
    body = NodeCommandRequest(to=to, values=dict(values), taking=taking)
    return Call("POST", path("nodes", node, "command"), list[Command], body=body, quiet_s=90.0)


def add(name: str, room: str = "") -> Call[NodeKey]:
    """Add a node that posts its values; its key is told this once."""
    return Call("POST", "/api/nodes", NodeKey, body=NodeRequest(name=name, room=room))


def add_entity(node: str, title: str, kind: str, unit: str = "", pointer: str = "") -> Call[Entity]:
    """Add a value that a node posts."""
    body = PostedRequest(title=title, kind=kind, unit=unit, pointer=pointer)
    return Call("POST", path("nodes", node, "entities"), Entity, body=body)


def rename(node: str, title: str) -> Call[Node]:
    """Rename a node; its address stays."""
    return Call("PATCH", path("nodes", node), Node, body=NodeChange(title=title))


def move(node: str, room: str) -> Call[Node]:
    """Put a node into a room, which is made when there is none; "" is no room."""
    return Call("PATCH", path("nodes", node), Node, body=NodeChange(room=room))


def remove(node: str, *, keep_history: bool = True) -> Call[None]:
    """Take a node out of the house."""
    history = "keep" if keep_history else "delete"
    return Call("DELETE", path("nodes", node), None, params={"history": history})


def ask_again(node: str) -> Call[None]:
    """Ask a node again what it has."""
    return Call("POST", path("nodes", node, "again"), None)


def change_secret(node: str, secret: str) -> Call[Node]:
    """Give the hub another secret for a node that asks for one; it is tried first."""
    return Call("PUT", path("nodes", node, "secret"), Node, body=NodeSecret(secret=secret))


def new_key(node: str) -> Call[NodeKey]:
    """A new key for a node; the one before is void at once."""
    return Call("POST", path("nodes", node, "key"), NodeKey)


def revoke_key(node: str) -> Call[None]:
    """Take a node's key away."""
    return Call("DELETE", path("nodes", node, "key"), None)


def settings(node: str) -> Call[list[Setting]]:
    """A node's own settings, as it tells them now."""
    return Call("GET", path("nodes", node, "settings"), list[Setting])


def change_setting(node: str, name: str, value: Any) -> Call[Node]:
    """Change one of a node's own settings; returns when the node has confirmed it."""
    body = SettingRequest(value=value)
    return Call("PUT", path("nodes", node, "settings", name), Node, body=body)


def act(node: str, action: str, inputs: Mapping[str, Any] = NO_INPUTS) -> Call[Acted]:
    """Have a node do something, with what the action asks for by name; what the node
    answers, if anything."""
    body = ActionRequest(inputs=dict(inputs))
    return Call("POST", path("nodes", node, "actions", action), Acted, body=body)


def profile(node: str) -> Call[NodeProfile]:
    """A Zigbee node's profile, with each value that it says and that has no name
    yet."""
    return Call("GET", path("nodes", node, "profile"), NodeProfile)


def put_profile(node: str, text: str) -> Call[NodeProfile]:
    """Keep a text as the profile of a Zigbee node's make and model; it applies at
    once. Raises Wrong with its mistakes."""
    body = ProfileRequest(text=text)
    return Call("PUT", path("nodes", node, "profile"), NodeProfile, body=body)
