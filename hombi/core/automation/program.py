"""What an automation is, once its text has been understood."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from hombi.core.automation.actions import Action, Notify, Wait
from hombi.core.automation.comparisons import Comparison, Is
from hombi.core.automation.moments import Moment
from hombi.core.automation.moving import Moving
from hombi.core.automation.only import Only
from hombi.core.automation.state import World
from hombi.core.kinds import KINDS, Kind
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
    moving: Moving | None = None

    @property
    def wanted(self) -> str:
        """As in "When the humidity is …"."""
        moving = self.moving.sentence() if self.moving is not None else ""
        return moving or self.comparison.sentence(self.kind)

    @property
    def wanted_back(self) -> str:
        """As in "…, until it is back …"; "" when it ends at its limit."""
        if self.moving is not None and self.moving.until is not None:
            back = "under" if self.moving.word == "over" else "over"
            return f"{back} {self.moving.until.text}"
        return self.comparison.sentence_until(self.kind)

    def now(self, world: World) -> Watch | None:
        """With its limits of this moment; None where they are not known."""
        if self.moving is None:
            return self
        compared = self.moving.at(self.comparison, world)
        return None if compared is None else replace(self, comparison=compared)


# What one that watches the clock watches besides.
NOTHING = Watch("", KINDS["number"], Is(0.0))


@dataclass(frozen=True, slots=True)
class Remind:
    """A notice each `every_ms` while it is on, `at_most` times."""

    every_ms: int
    at_most: int
    notify: Notify


@dataclass(frozen=True, slots=True)
class Program:
    """One automation: what it watches, when it may act, and what it does at either
    edge.

    With `more` it watches several, of which `need` must be so. `when` must be so beside
    the hours of `only`. It starts again `pause_ms` after its last start at the
    earliest. One that watches the clock has a `moment`, and `NOTHING` to watch.
    """

    name: str
    about: str
    watch: Watch
    only: Only
    starts: tuple[Action | Wait, ...]
    ends: tuple[Action | Wait, ...]
    more: tuple[Watch, ...] = ()
    need: int = 1
    when: tuple[Watch, ...] = ()
    pause_ms: int = 0
    reminds: tuple[Remind, ...] = ()
    moment: Moment | None = None

    @property
    def parts(self) -> tuple[Watch, ...]:
        """All that it watches; nothing for one that watches the clock."""
        return () if self.moment is not None else (self.watch, *self.more)

    @property
    def entities(self) -> tuple[str, ...]:
        """The addresses of all entities that it looks at."""
        watched = (*self.parts, *self.when)
        followed = [a for one in watched if one.moving is not None for a in one.moving.sources]
        return tuple(dict.fromkeys([*(one.entity for one in watched), *followed]))

    def sentence(self, names: Mapping[str, str]) -> str:
        """The whole automation in words; `names` gives an entity's spoken name by its
        address."""
        spoken = _names(names)
        watched = [_watched(one, spoken) for one in self.parts]
        if self.moment is not None:
            said = self.moment.sentence()
        elif self.more and self.need == len(self.parts):
            said = "When " + " and ".join(watched)
        elif self.more:
            many = "any" if self.need == 1 else f"at least {self.need}"
            said = f"When {many} of these is so, " + " or ".join(watched)
        else:
            said = f"When {watched[0]}"
        said += self.only.sentence()
        for one in self.when:
            said += f", only while {spoken(one.entity)} is {one.wanted}"
        if self.pause_ms:
            said += f", {show_span(self.pause_ms)} after the last start at the earliest"
        if self.starts:
            said += ": " + "; ".join(action.sentence(spoken) for action in self.starts)
        for remind in self.reminds:
            said += (
                f". Every {show_span(remind.every_ms)} while it lasts, {remind.at_most} times at "
                f"most: {remind.notify.sentence(spoken)}"
            )
        if self.ends:
            ends = "; ".join(action.sentence(spoken) for action in self.ends)
            said += f". When it ends: {ends}"
        return said + "."


def _watched(watch: Watch, spoken: Callable[[str], str]) -> str:
    said = f"{spoken(watch.entity)} is {watch.wanted}"
    if watch.held_ms:
        said += f" for {show_span(watch.held_ms)}"
    if until := watch.wanted_back:
        said += f", until it is back {until}"
    return said + (", and on while it cannot be heard" if watch.lost is Lost.STAY else "")


def _names(names: Mapping[str, str]) -> Callable[[str], str]:
    def spoken(address: str) -> str:
        return names.get(address, address)

    return spoken
