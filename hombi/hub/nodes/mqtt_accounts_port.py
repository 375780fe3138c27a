"""The port of MQTT accounts."""

from __future__ import annotations

from typing import Protocol

from hombi.hub.house import MqttAccount


class MqttAccountsPort(Protocol):
    """MQTT accounts for boards and programs of a person's own."""

    def all(self) -> list[MqttAccount]: ...

    def save(self, account: MqttAccount) -> None: ...

    def remove(self, name: str) -> None: ...
