"""The tools port."""

from __future__ import annotations

from typing import Protocol

from hombi.hub.house import Tool


class ToolsPort(Protocol):
    """MQTT accounts for boards and programs of a person's own."""

    def all(self) -> list[Tool]: ...

    def save(self, tool: Tool) -> None: ...

    def remove(self, name: str) -> None: ...
