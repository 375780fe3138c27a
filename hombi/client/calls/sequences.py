"""Sequences: lists of actions that automations run."""

from __future__ import annotations

from hombi import wire
from hombi.client.calls.base import Call, path


def list_() -> Call[list[wire.Sequence]]:
    """All sequences."""
    return Call("GET", "/api/sequences", list[wire.Sequence])


def get(sequence: str) -> Call[wire.Sequence]:
    """One sequence."""
    return Call("GET", path("sequences", sequence), wire.Sequence)


def check(text: str) -> Call[wire.Sequence]:
    """Every mistake in a text; nothing is kept."""
    body = wire.TextRequest(text=text)
    return Call("POST", "/api/sequences/check", wire.Sequence, body=body)


def put(text: str) -> Call[wire.Sequence]:
    """Keep a sequence, in the place of the one with its name. Raises Wrong with its
    mistakes."""
    return Call("PUT", "/api/sequences", wire.Sequence, body=wire.TextRequest(text=text))


def remove(sequence: str) -> Call[None]:
    """Remove a sequence."""
    return Call("DELETE", path("sequences", sequence), None)
