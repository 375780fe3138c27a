"""Nodes that do not know Hombi: which message is whose, what is picked out of it, and
what is sent to have a value taken.

An entity's `source` is {"via": "door" | "broker" | "http", "topic": filter, "pointer":
..., "at": ...}, its `sink` {"via": ..., "topic": ..., "payload": template}.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from hombi.core.kinds import Kind
from hombi.core.picking import Pick, PickError, pick_in, read_payload, render
from hombi.core.senml import Resolved
from hombi.core.topics import matches
from hombi.links.base import Wired
from hombi.links.wifi.mqtt.topics import Subscriptions


@dataclass(frozen=True, slots=True)
class _Picked:
    node: str
    name: str
    kind: Kind
    pick: Pick


@dataclass(frozen=True, slots=True)
class Sent:
    """A message to publish so that a node takes a value."""

    via: str
    topic: str
    payload: bytes
    qos: int = 1
    retain: bool = False


# Topics whose picks are remembered; beyond it they are looked up again.
REMEMBERED = 10_000


@dataclass
class Picks:
    """All picks, found by where a message came in and its topic."""

    _remembered: dict[tuple[str, str], list[_Picked]] = field(default_factory=dict)
    _by_via: dict[str, Subscriptions[_Picked]] = field(default_factory=dict)
    _held: dict[str, list[tuple[str, str, str]]] = field(default_factory=dict)
    _sinks: dict[tuple[str, str], tuple[Mapping[str, Any], Kind]] = field(default_factory=dict)

    def follow(self, node: str, entities: Sequence[Wired]) -> None:
        """Take up a node's picks in place of those it had."""
        self.forget(node)  # which also forgets what was remembered of topics
        held = self._held[node] = []
        for entity in entities:
            if entity.source.get("topic"):
                via, topic, key = (
                    entity.source["via"],
                    entity.source["topic"],
                    f"{node}\0{entity.name}",
                )
                pick = Pick(entity.source.get("pointer", ""), entity.source.get("at", ""))
                self._by_via.setdefault(via, Subscriptions()).add(
                    topic, key, _Picked(node, entity.name, entity.kind, pick)
                )
                held.append((via, topic, key))
            if entity.sink:
                self._sinks[node, entity.name] = entity.sink, entity.kind

    def forget(self, node: str) -> None:
        """Let go of a node's picks."""
        self._remembered.clear()
        for via, topic, key in self._held.pop(node, []):
            self._by_via[via].remove(topic, key)
        self._sinks = {key: sink for key, sink in self._sinks.items() if key[0] != node}

    def topics(self, via: str) -> set[str]:
        """The topic filters that are picked from."""
        return {topic for held in self._held.values() for at, topic, _ in held if at == via}

    def whose(self, via: str, topic: str) -> list[str]:
        """The nodes that something is picked for out of messages of this topic."""
        return sorted({one.node for one in self._of(via, topic)})

    def pick(
        self,
        via: str,
        topic: str,
        payload: bytes,
        now_ms: int,
        refused: Callable[[str, str], None],
        *,
        late: bool = False,
    ) -> dict[str, list[Resolved]]:
        """The values in a message, by node. What cannot be picked is told to `refused`
        (node, why). Of one that may have come `late`, a press without a time of its own
        is none: nobody knows when it was pressed."""
        values: dict[str, list[Resolved]] = {}
        wanted = self._of(via, topic)
        try:
            content = read_payload(payload)
        except PickError as error:
            for node in dict.fromkeys(one.node for one in wanted):
                refused(node, str(error))
            return values
        for one in wanted:
            if late and one.kind.moment and not one.pick.at:
                continue
            try:
                picked = pick_in(content, one.pick, one.kind, now_ms, one.name)
            except PickError as error:
                refused(one.node, f"{one.name}: {error}")
                continue
            values.setdefault(one.node, []).append(picked)
        return values

    def _of(self, via: str, topic: str) -> list[_Picked]:
        result = self._remembered.get((via, topic))
        if result is None:
            by_topic = self._by_via.get(via)
            result = (
                [one for several in by_topic.find(topic).values() for one in several]
                if by_topic
                else []
            )
            if len(self._remembered) >= REMEMBERED:
                self._remembered.clear()
            self._remembered[via, topic] = result
        return result

    def written_under(self, via: str, name_filter: str) -> set[str]:
        """The nodes that are asked something under topics of this filter."""
        return {
            node
            for (node, _), (sink, _) in self._sinks.items()
            if sink["via"] == via and matches(name_filter, sink["topic"])
        }

    def to_send(self, node: str, name: str, value: float) -> Sent | None:
        """What asks this entity to take a value; None for one that is asked in another
        way."""
        result = self._sinks.get((node, name))
        if result is None:
            return None
        sink, kind = result
        payload = render(sink["payload"], value, kind).encode()
        return Sent(
            sink["via"], sink["topic"], payload, sink.get("qos", 1), sink.get("retain", False)
        )
