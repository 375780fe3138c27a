"""The topics of the hub's own door, and who may use which."""

from __future__ import annotations

from dataclasses import dataclass

from hombi.core.topics import covers, matches
from hombi.links.pace import cost_of

PREFIX = "hombi"


def readings_topic(node: str) -> str:
    """Where a node publishes its readings."""
    return f"{PREFIX}/{node}/readings"


def wanted_topic(node: str) -> str:
    """Where a node hears what it is to do."""
    return f"{PREFIX}/{node}/wanted"


def actions_topic(node: str) -> str:
    """Where a node hears which of its actions it is to do."""
    return f"{PREFIX}/{node}/actions"


def presence_topic(node: str) -> str:
    """Where a node says that it is here, and its last will that it is gone."""
    return f"{PREFIX}/{node}/presence"


@dataclass(frozen=True, slots=True)
class NodeRights:
    """A node may do what it likes under its own topics, and nothing elsewhere."""

    account: str

    def may_publish(self, topic: str) -> bool:
        return topic == readings_topic(self.account) or topic == presence_topic(self.account)

    def may_subscribe(self, name_filter: str) -> bool:
        return name_filter.startswith(f"{PREFIX}/{self.account}/")

    def cost(self, length: int) -> float:
        return cost_of(length)  # each byte of it is read


@dataclass(frozen=True, slots=True)
class MqttAccountRights:
    """An MQTT account may do what its filters say."""

    account: str
    publish: tuple[str, ...]
    subscribe: tuple[str, ...]

    def may_publish(self, topic: str) -> bool:
        return any(matches(one, topic) for one in self.publish)

    def may_subscribe(self, name_filter: str) -> bool:
        return any(covers(one, name_filter) for one in self.subscribe)

    def cost(self, length: int) -> float:
        return 1.0  # it is passed on as it is
