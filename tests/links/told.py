"""What a driver reports, kept for tests to look at; and waiting for it."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from hombi.core.senml import Resolved
from hombi.links.base import Acknowledge, Asking, Found, Heard, OnLink, Wired
from hombi.links.thing_description import read_description


@dataclass
class Told:
    """What a driver reported (`links.base.Reports`)."""

    values: dict[str, list[Resolved]] = field(default_factory=dict)
    here: dict[str, bool] = field(default_factory=dict)
    gone: list[str] = field(default_factory=list)
    lives: list[str] = field(default_factory=list)
    asked: list[Asking] = field(default_factory=list)
    arrived: dict[str, Found] = field(default_factory=dict)
    refusals: list[str] = field(default_factory=list)
    troubles: list[str] = field(default_factory=list)
    kept: dict[str, dict[str, Any]] = field(default_factory=dict)
    messages: list[Heard] = field(default_factory=list)

    def observed(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        for one in values:
            self.values.setdefault(f"{node}/{one.name}", []).append(one)
        if acknowledge is not None:
            acknowledge()

    def presence(self, node: str, here: bool) -> None:
        self.here[node] = here

    def alive(self, node: str) -> None:
        self.lives.append(node)

    def left(self, node: str) -> None:
        self.gone.append(node)

    def refused(self, node: str, what: str) -> None:
        self.refusals.append(f"{node}: {what}")

    def heard(self, message: Heard) -> None:
        self.messages.append(message)

    def found(self, found: Found) -> None:
        self.arrived[found.thing_id] = found

    def asking(self, asking: Asking) -> None:
        self.asked.append(asking)

    def trouble(self, link: str, what: str) -> None:
        self.troubles.append(what)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        if state is None:
            self.kept.pop(key, None)
        else:
            self.kept[key] = state

    def when_kept(self, call: Callable[[], None]) -> None:
        call()

    @property
    def wrong(self) -> str:
        """What is wrong with the link now."""
        return self.troubles[-1] if self.troubles else ""

    def latest(self, address: str) -> Any:
        """The latest value that came of an entity, None before there is any."""
        found = self.values.get(address)
        return found[-1].value if found else None


async def until(ask: Callable[[], Any], within_s: float = 30.0) -> Any:
    """Wait until the answer is true; the answer. Fails after `within_s`."""
    async with asyncio.timeout(within_s):
        while not (answer := ask()):
            await asyncio.sleep(0.005)
        return answer


def on_link(node: str, found: Found) -> OnLink:
    """An arrival, admitted as it was found."""
    thing = read_description(found.description)
    entities = tuple(Wired(p.wire_name, p.wire_unit, p.kind, {}, {}) for p in thing.promised)
    return OnLink(node, {**found.reach, "description": found.description}, entities)
