"""What switches are wanted to be: kept apart from what they are, until their nodes
confirm it.

A command whose node does not answer is not forgotten: it is sent again when the node is
back, and at growing intervals. It is withdrawn when somebody wants something else, and
outlives a restart.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

from hombi.core.values import show_span, show_value
from hombi.hub.acting.events import WishChanged
from hombi.hub.house import Entity, House
from hombi.hub.kernel import Context, Timer
from hombi.hub.readings.writer import Writer

# Under this name it is kept; no link has it.
OWNER = "hub/wanted"
PAUSES_MS = (5_000, 15_000, 60_000, 300_000, 900_000, 3_600_000)
# A switch that has not confirmed for this long needs a person.
NEEDS_MS = 60_000


@dataclass(slots=True)
class Wish:
    """What one entity is wanted to be, by whom, and since when; until `due_ms` it is on
    its way there. `tries` counts how often it was sent again."""

    entity: str
    value: float
    by: str
    since_ms: int
    due_ms: int = 0
    problem: str = ""
    tries: int = 0
    # What its node had sent last when it was asked.
    before: float | None = None
    timer: Timer | None = field(default=None, repr=False)

    def kept(self) -> dict[str, Any]:
        """As plain data."""
        return {"value": self.value, "by": self.by, "since": self.since_ms}


@dataclass
class Wishes:
    """All of them, by entity. `again` sends one once more."""

    context: Context
    house: House
    writer: Writer
    again: Callable[[Wish], None]
    _all: dict[str, Wish] = field(default_factory=dict)

    def load(self, kept: Mapping[str, dict[str, Any]]) -> None:
        """Take up those of before a restart, by address; they are sent again."""
        for address, state in kept.items():
            wish = Wish(address, state["value"], state["by"], state["since"])
            self._all[address] = wish
            self.failed(wish, "the hub was started again before it was confirmed")

    def get(self, address: str) -> Wish | None:
        """What an entity is wanted to be, if it is not that yet."""
        return self._all.get(address)

    def want(self, entity: Entity, value: float, by: str, taking_ms: int = 0) -> Wish:
        """Somebody wants this, within a time; what was wanted before is withdrawn."""
        self._cancel(self._all.get(entity.address))
        now = self.context.clock.now_ms()
        before = None if entity.latest is None else entity.latest.sent
        wish = Wish(entity.address, value, by, now, now + taking_ms, before=before)
        self._all[entity.address] = wish
        self._keep(entity.address, wish.kept())
        return wish

    def is_current(self, wish: Wish) -> bool:
        """Whether this is still what is wanted."""
        return self._all.get(wish.entity) is wish

    def done(self, wish: Wish) -> None:
        """It is so now."""
        self._cancel(wish)
        if self.is_current(wish):
            del self._all[wish.entity]
            self._keep(wish.entity, None)
            self._changed(wish)

    def failed(self, wish: Wish, problem: str) -> None:
        """It was sent and not confirmed: it is sent again later."""
        if not self.is_current(wish):
            return
        wish.problem, wish.due_ms = problem, 0
        self._cancel(wish)
        pause = PAUSES_MS[min(wish.tries, len(PAUSES_MS) - 1)]
        wish.tries += 1
        at = self.context.clock.now_ms() + pause
        wish.timer = self.context.tasks.at(at, lambda: self.again(wish), f"{wish.entity} again")
        self._changed(wish)

    def node_back(self, node: str) -> None:
        """A node is here again: what its entities are wanted to be is sent now."""
        waiting = [w for w in self._all.values() if w.problem]
        for wish in [w for w in waiting if w.entity.partition("/")[0] == node]:
            self._cancel(wish)
            wish.tries = 0
            self.again(wish)

    def house_changed(self) -> None:
        """Entities came or went: nobody wants anything of one that is gone."""
        for wish in [w for w in self._all.values() if w.entity not in self.house.entities]:
            self.done(wish)

    def needs(self) -> list[tuple[Entity, str]]:
        """What needs a person: the entity, and in words what it is wanted to be and is
        not."""
        now = self.context.clock.now_ms()
        return [
            (entity, f"{entity.spoken} is {self.shown(wish)}")
            for wish in self._all.values()
            if wish.problem
            and now - wish.since_ms >= NEEDS_MS
            and (entity := self.house.entities.get(wish.entity))
        ]

    def shown(self, wish: Wish) -> str:
        """In words: "wanted off for 3 min, not confirmed"."""
        kind, now = self.house.entities[wish.entity].kind, self.context.clock.now_ms()
        value = show_value(wish.value, kind)
        if now < wish.due_ms:
            return f"on its way to {value}, for another {show_span(wish.due_ms - now)}"
        return f"wanted {value} for {show_span(now - wish.since_ms)}, not confirmed"

    def close(self) -> None:
        """Send nothing more; what is wanted is stored."""
        for wish in self._all.values():
            self._cancel(wish)

    def _cancel(self, wish: Wish | None) -> None:
        if wish is not None and wish.timer is not None:
            wish.timer.cancel()
            wish.timer = None

    def _keep(self, address: str, state: dict[str, Any] | None) -> None:
        key = f"{OWNER}/{address}"
        self.writer.also(lambda records: records.keeping.keep({key: state}))

    def _changed(self, wish: Wish) -> None:
        node = wish.entity.partition("/")[0]
        self.context.announce(WishChanged(node=node, entity=wish.entity))
