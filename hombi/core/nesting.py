"""How deep decoded JSON is nested, found without recursion."""

from __future__ import annotations

from typing import Any


def deeper_than(value: Any, limit: int) -> bool:
    """Whether objects and lists lie more than `limit` deep in one another; a plain
    value has the depth 0."""
    level = [value]
    for _ in range(limit + 1):
        inner: list[Any] = []
        for one in level:
            if isinstance(one, dict):
                inner.extend(one.values())
            elif isinstance(one, list):
                inner.extend(one)
        if not inner:
            return False
        level = inner
    return any(isinstance(one, dict | list) for one in level)
