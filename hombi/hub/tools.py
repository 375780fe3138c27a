"""A person's own tools at the MQTT door: accounts with chosen topics, each with a key
of its own."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

from hombi.hub.clock import Clock
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.house import House, Tool, hash_key
from hombi.hub.journal import Journal
from hombi.hub.ports import Records
from hombi.hub.records_thread import RecordsThread
from hombi.links.thing_description import slug
from hombi.links.wifi.mqtt.topics import valid_filter

MAX_FILTERS = 50


@dataclass
class Tools:
    """The actions on tools. A key is told once, when it is made; what is kept is its
    hash."""

    house: House
    clock: Clock
    records: Records
    thread: RecordsThread
    journal: Journal
    cut_off: Callable[[str], None]

    async def add(
        self, name: str, publish: Sequence[str], subscribe: Sequence[str]
    ) -> tuple[Tool, str]:
        """A new tool: (the tool, its key). Raises Invalid."""
        if not name or slug(name) != name:
            raise Invalid(
                f"{name!r} is no name for a tool; use small letters, digits and "
                f"hyphens, like mill-logger"
            )
        if name in self.house.tools or name in self.house.nodes:
            raise Invalid(
                f"there is a {'tool' if name in self.house.tools else 'node'} {name} already"
            )
        _check(publish, subscribe)
        key = secrets.token_urlsafe(24)
        tool = Tool(name, hash_key(key), list(publish), list(subscribe), self.clock.now_ms())
        await self._save(tool)
        self.journal.note("ToolAdded", f"the tool {name} may use the MQTT door")
        return tool, key

    async def change(
        self, name: str, publish: Sequence[str] | None, subscribe: Sequence[str] | None
    ) -> Tool:
        """Give a tool other topics. Raises NotFound, Invalid."""
        tool = self.find(name)
        new = replace(
            tool,
            publish=tool.publish if publish is None else list(publish),
            subscribe=tool.subscribe if subscribe is None else list(subscribe),
        )
        _check(new.publish, new.subscribe)
        await self._save(new)
        self.cut_off(name)  # what it subscribed to before may not be its any more
        self.journal.note("ToolChanged", f"the tool {name} has other topics")
        return new

    async def rotate(self, name: str) -> str:
        """A new key; the one before is void at once. Raises NotFound."""
        key = secrets.token_urlsafe(24)
        await self._save(replace(self.find(name), key_hash=hash_key(key)))
        self.cut_off(name)
        self.journal.note("KeyChanged", f"the tool {name} has a new key")
        return key

    async def remove(self, name: str) -> None:
        """Take a tool away. Raises NotFound."""
        self.find(name)
        await self.thread.run(self.records.remove_tool, name)
        del self.house.tools[name]
        self.cut_off(name)
        self.journal.note("ToolRemoved", f"the tool {name} may not use the MQTT door any more")

    def find(self, name: str) -> Tool:
        """Raises NotFound."""
        if name not in self.house.tools:
            raise NotFound(f"no tool {name}")
        return self.house.tools[name]

    async def _save(self, tool: Tool) -> None:
        await self.thread.run(self.records.save_tool, tool)
        self.house.tools[tool.name] = tool


def _check(publish: Sequence[str], subscribe: Sequence[str]) -> None:
    if not (publish or subscribe):
        raise Invalid("a tool needs at least one topic filter to publish under or to subscribe to")
    for one in (*publish, *subscribe):
        if not valid_filter(one):
            raise Invalid(f"{one!r} is no topic filter; write it like mill/+/state or mill/#")
    if max(len(publish), len(subscribe)) > MAX_FILTERS:
        raise Invalid(f"a tool has at most {MAX_FILTERS} topic filters of each sort")
