"""The tools port."""

from __future__ import annotations

from typing import Protocol

from hombi.hub.house import Tool


class ToolsPort(Protocol):
    """A person's own tools at the MQTT door."""

    def all(self) -> list[Tool]: ...

    def save(self, tool: Tool) -> None: ...

    def remove(self, name: str) -> None: ...
