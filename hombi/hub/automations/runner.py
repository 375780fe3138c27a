"""One automation at work, and the house as its machine sees it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import tzinfo
from functools import cached_property
from typing import Any, NamedTuple

import msgspec

from hombi.core.automation import Called, Program, Sight, State
from hombi.core.automation.flow import NUMBERED
from hombi.core.quality import Quality
from hombi.core.rhythm import WITH_ITS_NODE
from hombi.core.toml_text import Mistake
from hombi.hub.automations.port import AutomationRecord
from hombi.hub.house import House
from hombi.hub.kernel import Actor


class HouseNow(NamedTuple):
    """The world that the machine sees: the house at this moment."""

    house: House
    now_ms: int
    zone: tzinfo
    time_known: bool = True
    obeyed: bool = False

    def sight(self, entity: str) -> Sight:
        """What is known of an entity now."""
        result = self.house.entities.get(entity)
        if result is None:
            return Sight(present=False, silent=True)
        node, latest = result.node, result.latest
        present = node is None or (node.heard_in_this_run and not (node.silent or node.left))
        value, quality = (None, Quality.GOOD) if latest is None else (latest.value, latest.quality)
        known, silent, rhythm_ms = latest is not None, result.unheard, result.rhythm_ms
        heard_ms = result.heard_ms
        if node is not None and rhythm_ms == WITH_ITS_NODE:
            heard_ms = max(heard_ms, node.heard_ms)
        so_far_ms = 0.0 if rhythm_ms else result.rhythm.so_far_ms
        return Sight(value, quality, known, present, silent, rhythm_ms, heard_ms, so_far_ms)

    def called(self, entity: str) -> Called:
        """What an entity is called."""
        result = self.house.entities.get(entity)
        if result is None:
            return Called(entity)
        return Called(result.spoken, result.room.name if result.room else "")


@dataclass
class Runner:
    """One automation at work.

    `program` is None while its text does not fit the house; `mistakes` may also name
    what of it cannot be done while the rest is. `broken` says why it was stopped.
    """

    record: AutomationRecord
    program: Program | None
    mistakes: tuple[Mistake, ...]
    state: State
    due: int | None = None
    # The automations that led to its last edge, itself last.
    chain: tuple[str, ...] = ()
    broken: str = ""

    @property
    def at_work(self) -> bool:
        """Whether it looks at its entity."""
        return self.program is not None and self.record.enabled and not self.broken

    @property
    def names(self) -> tuple[str, ...]:
        """What it is called, beside its address."""
        return (self.program.name,) if self.program else ()

    @cached_property
    def actor(self) -> Actor:
        """Who it is when it changes something."""
        name = self.program.name if self.program else self.record.slug
        return Actor.automation(name, self.record.slug)


def state_of(stored: dict[str, Any]) -> State:
    """Where an automation stood; one that was stored in a way that is not known begins
    again."""
    try:
        return msgspec.convert(_as_now(stored), State)
    except msgspec.ValidationError:
        return State()


def _as_now(stored: dict[str, Any]) -> dict[str, Any]:
    """As a state is stored now: 0.3 kept what waits by the number of its place, and
    what goes back as the same sort of thing."""
    waits = [_wait_as_now(wait) if "type" not in wait else wait for wait in stored.get("waits", ())]
    return {**stored, "waits": waits}


def _wait_as_now(wait: dict[str, Any]) -> dict[str, Any]:
    if not wait.get("edge"):
        return {"type": "back", **{key: wait[key] for key in ("due_ms", "entity", "to")}}
    place, until = wait.get("place", 0), wait.get("until", False)
    return {
        "type": "actions",
        "due_ms": wait["due_ms"],
        "edge": wait["edge"],
        "at": f"{NUMBERED}{place}" if place or until else "",
        "fields": wait.get("fields", {}),
        "until": until,
    }
