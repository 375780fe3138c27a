"""Sequences: lists of actions that automations run."""

from __future__ import annotations

from hombi.client.calls.base import Call, path
from hombi.wire.automations import Sequence, TextRequest


def list_() -> Call[list[Sequence]]:
    """All sequences."""
    return Call("GET", "/api/sequences", list[Sequence])


def get(sequence: str) -> Call[Sequence]:
    """One sequence."""
    return Call("GET", path("sequences", sequence), Sequence)


def check(text: str) -> Call[Sequence]:
    """Every mistake in a text; nothing is kept."""
    body = TextRequest(text=text)
    return Call("POST", "/api/sequences/check", Sequence, body=body)


def put(text: str) -> Call[Sequence]:
    """Keep a sequence, in the place of the one with its name. Raises Wrong with its
    mistakes."""
    return Call("PUT", "/api/sequences", Sequence, body=TextRequest(text=text))


def remove(sequence: str) -> Call[None]:
    """Remove a sequence."""
    return Call("DELETE", path("sequences", sequence), None)
