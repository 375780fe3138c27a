"""What an automation is, once its text has been understood."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from enum import StrEnum

from hombi.core.automation.actions import Action
from hombi.core.automation.comparisons import Comparison
from hombi.core.automation.only import Only
from hombi.core.kinds import Kind
from hombi.core.values import show_span


class Lost(StrEnum):
    """What happens to what is on when the watched value is bad, or not heard any
    more."""

    END = "end"
    STAY = "stay"


@dataclass(frozen=True, slots=True)
class Watch:
    """What to look at, how it is compared, and how long it must stay so."""

    entity: str
    kind: Kind
    comparison: Comparison
    held_ms: int = 0
    lost: Lost = Lost.END


@dataclass(frozen=True, slots=True)
class Program:
    """One automation: what it watches, when it may act, and what it does at either
    edge."""

    name: str
    about: str
    watch: Watch
    only: Only
    starts: tuple[Action, ...]
    ends: tuple[Action, ...]

    @property
    def entities(self) -> tuple[str, ...]:
        """The addresses of all entities that it looks at."""
        return (self.watch.entity,)

    def sentence(self, names: Mapping[str, str]) -> str:
        """The whole automation in words; `names` gives an entity's spoken name by its
        address."""
        watch = self.watch
        spoken = _names(names)
        said = f"When {spoken(watch.entity)} is {watch.comparison.sentence(watch.kind)}"
        if watch.held_ms:
            said += f" for {show_span(watch.held_ms)}"
        if until := watch.comparison.sentence_until(watch.kind):
            said += f", until it is back {until}"
        if watch.lost is Lost.STAY:
            said += ", and on while it cannot be heard"
        said += self.only.sentence()
        said += ": " + "; ".join(action.sentence(spoken) for action in self.starts)
        if self.ends:
            ends = "; ".join(action.sentence(spoken) for action in self.ends)
            said += f". When it ends: {ends}"
        return said + "."


def _names(names: Mapping[str, str]) -> Callable[[str], str]:
    def spoken(address: str) -> str:
        return names.get(address, address)

    return spoken
