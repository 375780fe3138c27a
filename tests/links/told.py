"""What a driver reports, kept for tests to look at; and waiting for it."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable, Coroutine, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from hombi.core.outcome import Outcome
from hombi.core.senml import Resolved
from hombi.links.base import (
    Acknowledge,
    Asking,
    Found,
    Heard,
    LinkContext,
    OnLink,
    OwnReports,
    Wired,
)


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
    told: list[tuple[str, str, str]] = field(default_factory=list)
    shut: list[tuple[str, str]] = field(default_factory=list)
    troubles: list[str] = field(default_factory=list)
    kept: dict[str, dict[str, Any]] = field(default_factory=dict)
    messages: list[Heard] = field(default_factory=list)

    def observed(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        for value in values:
            self.values.setdefault(f"{node}/{value.name}", []).append(value)
        if acknowledge is not None:
            acknowledge(Outcome.SAFE)

    async def observed_in_parts(
        self, node: str, values: Sequence[Resolved], acknowledge: Acknowledge | None
    ) -> None:
        self.observed(node, values, acknowledge)

    def presence(self, node: str, here: bool) -> None:
        self.here[node] = here

    def alive(self, node: str) -> None:
        self.lives.append(node)

    def listens(self, node: str) -> None:
        self.lives.append(node)

    def left(self, node: str) -> None:
        self.gone.append(node)

    def refused(self, node: str, what: str) -> None:
        self.refusals.append(f"{node}: {what}")

    def said(self, node: str, event: str, text: str) -> None:
        self.told.append((node, event, text))

    def shut_out(self, node: str, why: str) -> None:
        self.shut.append((node, why))

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
        value = self.values.get(address)
        return value[-1].value if value else None


async def until(ask: Callable[[], Any], within_s: float = 30.0) -> Any:
    """Wait until the answer is true; the answer. Fails after `within_s`."""
    async with asyncio.timeout(within_s):
        while not (answer := ask()):
            await asyncio.sleep(0.005)
        return answer


def on_link(node: str, found: Found) -> OnLink:
    """An arrival, admitted as it was found."""
    entities = tuple(
        Wired(value.wire_name, value.unit, value.kind, {}, {}) for value in found.offer.values
    )
    return OnLink(node, found.reach, entities, found.offer)


class PlainTasks:
    """Tasks as asyncio has them."""

    def start(self, work: Coroutine[Any, Any, Any], name: str) -> asyncio.Task[Any]:
        return asyncio.create_task(work, name=name)

    def watch(self, name: str, run: Callable[[], Coroutine[Any, Any, None]]) -> asyncio.Task[None]:
        return asyncio.create_task(run(), name=name)


class WallClock:
    def now_ms(self) -> int:
        return int(time.time() * 1000)


class NoKeys:
    """Nobody may come in."""

    def fits(self, node: str, secret: str) -> bool:
        return False

    def account(self, name: str, secret: str) -> None:
        return None


class LampKey(NoKeys):
    """One node may: "lamp", whose key is "key"."""

    def fits(self, node: str, secret: str) -> bool:
        return (node, secret) == ("lamp", "key")


def context_of(
    told: OwnReports, kept: Mapping[str, dict[str, Any]] | None = None, keys: NoKeys | None = None
) -> LinkContext:
    """What a driver is given in a test."""
    return LinkContext(told, WallClock(), PlainTasks(), keys or NoKeys(), dict(kept or {}))
