"""MQTT accounts for boards and programs of a person's own: accounts with chosen topics,
each with a key of its own."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from dataclasses import replace

from hombi.core.names import slug
from hombi.core.topics import valid_filter
from hombi.hub.errors import Invalid, NotFound
from hombi.hub.house import House, Tool, hash_key
from hombi.hub.kernel import Actor, Change, Context, Done, Part, Right
from hombi.hub.nodes.events import ToolAdded, ToolChanged, ToolRemoved
from hombi.hub.nodes.links import Links
from hombi.links.capabilities import Welcomes

MAX_FILTERS = 50


class Tools(Part):
    """The tools. A key is told once, when it is made; what is kept is its hash."""

    name = "tools"

    def __init__(self, context: Context, house: House, links: Links) -> None:
        super().__init__(context)
        self.house, self._links = house, links

    async def open(self) -> None:
        kept = await self.context.thread.run(self.context.records.tools.all)
        self.house.tools = {tool.name: tool for tool in kept}

    def find(self, name: str) -> Tool:
        """Raises NotFound."""
        if name not in self.house.tools:
            raise NotFound(f"no MQTT account {name}")
        return self.house.tools[name]

    async def save(self, tool: Tool) -> None:
        """Keep a tool; what came in with another key or for other topics is ended."""
        await self.context.thread.run(self.context.records.tools.save, tool)
        known = tool.name in self.house.tools
        self.house.tools[tool.name] = tool
        if known:
            self.cut_off(tool.name)

    def cut_off(self, name: str) -> None:
        """End a tool's connections."""
        for driver in self._links.that(Welcomes):
            driver.cut_off(name)


class AddTool(Change[Tools, tuple[Tool, str]], frozen=True):
    """Make an MQTT account: (the account, its key). Raises Invalid."""

    name: str
    publish: Sequence[str] = ()
    subscribe: Sequence[str] = ()

    part = Tools
    right = Right.KEEP

    async def do(self, part: Tools, by: Actor) -> Done[tuple[Tool, str]]:
        name, house = self.name, part.house
        if not name or slug(name) != name:
            raise Invalid(
                f"{name!r} is not a name for an MQTT account; use small letters, digits "
                f"and hyphens, like mill-logger"
            )
        if name in house.tools or name in house.nodes:
            what = "tool" if name in house.tools else "node"
            raise Invalid(f"there is a {what} {name} already")
        _check(self.publish, self.subscribe)
        key, now = secrets.token_urlsafe(24), part.context.clock.now_ms()
        tool = Tool(name, hash_key(key), list(self.publish), list(self.subscribe), now)
        await part.save(tool)
        return Done((tool, key), ToolAdded(tool=name))


class ChangeTool(Change[Tools, Tool], frozen=True):
    """Give an MQTT account other topics. Raises NotFound, Invalid."""

    name: str
    publish: Sequence[str] | None = None
    subscribe: Sequence[str] | None = None

    part = Tools
    right = Right.KEEP

    async def do(self, part: Tools, by: Actor) -> Done[Tool]:
        tool = part.find(self.name)
        new = replace(
            tool,
            publish=tool.publish if self.publish is None else list(self.publish),
            subscribe=tool.subscribe if self.subscribe is None else list(self.subscribe),
        )
        _check(new.publish, new.subscribe)
        await part.save(new)
        return Done(new, ToolChanged(tool=self.name, has="other topics"))


class NewToolKey(Change[Tools, tuple[Tool, str]], frozen=True):
    """Give an MQTT account a new key; the one before is void. Raises NotFound."""

    name: str

    part = Tools
    right = Right.KEEP

    async def do(self, part: Tools, by: Actor) -> Done[tuple[Tool, str]]:
        key = secrets.token_urlsafe(24)
        tool = replace(part.find(self.name), key_hash=hash_key(key))
        await part.save(tool)
        return Done((tool, key), ToolChanged(tool=self.name, has="a new key"))


class RemoveTool(Change[Tools, None], frozen=True):
    """Remove an MQTT account. Raises NotFound."""

    name: str

    part = Tools
    right = Right.KEEP

    async def do(self, part: Tools, by: Actor) -> Done[None]:
        part.find(self.name)
        await part.context.thread.run(part.context.records.tools.remove, self.name)
        del part.house.tools[self.name]
        part.cut_off(self.name)
        return Done(None, ToolRemoved(tool=self.name))


def _check(publish: Sequence[str], subscribe: Sequence[str]) -> None:
    if not (publish or subscribe):
        raise Invalid(
            "an MQTT account needs at least one topic filter to publish under or to subscribe to"
        )
    for one in (*publish, *subscribe):
        if not valid_filter(one):
            raise Invalid(f"{one!r} is not a topic filter; write it like mill/+/state or mill/#")
    if max(len(publish), len(subscribe)) > MAX_FILTERS:
        raise Invalid(f"an MQTT account has at most {MAX_FILTERS} topic filters of each sort")
