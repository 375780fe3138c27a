"""Who subscribed to what, and what is retained, found by topic (MQTT 3.1.1, 4.7)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Generic, TypeVar

T = TypeVar("T")
# So many names, up to this length, are looked up once.
KNOWN, KNOWN_LENGTH = 1_000, 200


@dataclass
class _Branch(Generic[T]):
    children: dict[str, _Branch[T]] = field(default_factory=dict)
    holders: dict[str, T] = field(default_factory=dict)


class Subscriptions(Generic[T]):
    """Who (a key) subscribed to which filter, with what goes with it, found by topic
    name."""

    def __init__(self) -> None:
        self._root: _Branch[T] = _Branch()
        # What was found for names that come again and again.
        self._found: dict[str, Mapping[str, list[T]]] = {}

    def add(self, name_filter: str, holder: str, what: T) -> None:
        """Subscribe; the same filter again replaces what goes with it
        [MQTT-3.8.4-3]."""
        self._found.clear()
        branch = self._root
        for level in name_filter.split("/"):
            branch = branch.children.setdefault(level, _Branch())
        branch.holders[holder] = what

    def remove(self, name_filter: str, holder: str) -> None:
        """Unsubscribe; branches that nobody holds any more are cut."""
        self._found.clear()
        path = [self._root]
        levels = name_filter.split("/")
        for level in levels:
            child = path[-1].children.get(level)
            if child is None:
                return
            path.append(child)
        path[-1].holders.pop(holder, None)
        for parent, level in zip(reversed(path[:-1]), reversed(levels), strict=True):
            child = parent.children[level]
            if child.holders or child.children:
                return
            del parent.children[level]

    def find(self, name: str) -> Mapping[str, list[T]]:
        """The holders a message under this name goes to, each with what goes with every
        filter of theirs that matches."""
        result = self._found.get(name)
        if result is None:
            result = self._look_for(name)
            if len(name) <= KNOWN_LENGTH:
                if len(self._found) >= KNOWN:
                    self._found.clear()
                self._found[name] = result
        return result

    def _look_for(self, name: str) -> dict[str, list[T]]:
        reached: list[_Branch[T]] = []
        branches, hidden = [self._root], name.startswith("$")
        for level in name.split("/"):
            following = []
            for branch in branches:
                children = branch.children
                if (same := children.get(level)) is not None:
                    following.append(same)
                if not hidden:
                    if (any_ := children.get("+")) is not None:
                        following.append(any_)
                    if (rest := children.get("#")) is not None:
                        reached.append(rest)
            branches, hidden = following, False
        for branch in branches:
            reached.append(branch)
            if (rest := branch.children.get("#")) is not None:  # the level above too (4.7.1.2)
                reached.append(rest)
        result: dict[str, list[T]] = {}
        for branch in reached:
            for holder, what in branch.holders.items():
                result.setdefault(holder, []).append(what)
        return result


class Retained(Generic[T]):
    """What is kept under topic names, found by filter without looking at the others."""

    def __init__(self) -> None:
        self._root: _Branch[T] = _Branch()
        self._kept: dict[str, T] = {}

    def __len__(self) -> int:
        return len(self._kept)

    def put(self, name: str, what: T) -> None:
        """Keep it under this name, instead of what was there."""
        branch = self._root
        for level in name.split("/"):
            branch = branch.children.setdefault(level, _Branch())
        branch.holders[""] = self._kept[name] = what

    def pop(self, name: str) -> T | None:
        """Keep it no longer; branches that hold nothing any more are cut."""
        what = self._kept.pop(name, None)
        if what is None:
            return None
        levels, path = name.split("/"), [self._root]
        for level in levels:
            path.append(path[-1].children[level])
        path[-1].holders.clear()
        for parent, level in zip(reversed(path[:-1]), reversed(levels), strict=True):
            if parent.children[level].holders or parent.children[level].children:
                break
            del parent.children[level]
        return what

    def find(self, name_filter: str) -> list[T]:
        """All that is kept under names that fall under this filter [MQTT-4.7.2-1 for a
        leading $]."""
        result: list[T] = []
        wanted = name_filter.split("/")

        def walk(branch: _Branch[T], place: int) -> None:
            if place == len(wanted):
                result.extend(branch.holders.values())
                return
            level = wanted[place]
            if level == "#":
                result.extend(branch.holders.values())  # the parent's level itself (4.7.1.2)
            if level in ("#", "+"):
                for name, child in branch.children.items():
                    if not (place == 0 and name.startswith("$")):
                        walk(child, place if level == "#" else place + 1)
            elif (next_level := branch.children.get(level)) is not None:
                walk(next_level, place + 1)

        walk(self._root, 0)
        return result
