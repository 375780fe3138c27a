"""What an automation is, once its text has been understood."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from hombi.core.automation.actions import Move, Notify, Other, Scene, Set, Step, Switch
from hombi.core.automation.comparisons import Is
from hombi.core.automation.flow import Flow, asked, each, flow
from hombi.core.automation.moments import Moment
from hombi.core.automation.only import Only
from hombi.core.automation.state import EdgeKind
from hombi.core.automation.watch import Lost, Watch
from hombi.core.kinds import KINDS
from hombi.core.values import show_span

# What one that watches the clock watches besides.
NOTHING = Watch("", KINDS["number"], Is(0.0))


class Again(StrEnum):
    """What a start does while the actions of the one before still wait: nothing, begin
    them anew, or begin when they are done."""

    SKIP = "skip"
    AFRESH = "afresh"
    AFTER = "after"


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
    the hours of `only`, and one of `anyone`, the people of whom one must be home. It
    starts again `pause_ms` after its last start at the earliest. One that watches the
    clock has a `moment`, and `NOTHING` to watch.
    """

    name: str
    about: str
    watch: Watch
    only: Only
    starts: tuple[Step, ...]
    ends: tuple[Step, ...]
    more: tuple[Watch, ...] = ()
    need: int = 1
    when: tuple[Watch, ...] = ()
    pause_ms: int = 0
    reminds: tuple[Remind, ...] = ()
    moment: Moment | None = None
    again: Again = Again.AFRESH
    anyone: tuple[Watch, ...] = ()
    # The actions of its edges in the order in which they are done.
    flows: Mapping[EdgeKind, Flow] = field(init=False, compare=False, repr=False)

    def __post_init__(self) -> None:
        flows = {EdgeKind.START: flow(self.starts), EdgeKind.END: flow(self.ends)}
        object.__setattr__(self, "flows", {EdgeKind.LOST: Flow(), **flows})

    @property
    def parts(self) -> tuple[Watch, ...]:
        """All that it watches; nothing for one that watches the clock."""
        return () if self.moment is not None else (self.watch, *self.more)

    @property
    def clocked(self) -> bool:
        """Whether it may start although nothing is heard."""
        return self.moment is not None or any(part.timed for part in self.parts)

    @property
    def by_the_clock(self) -> bool:
        """Whether it goes by the time of day: by moments, hours, days or dates."""
        return self.moment is not None or not self.only.always

    @property
    def entities(self) -> tuple[str, ...]:
        """The addresses of all entities that it looks at."""
        watched = (*self.parts, *self.when, *self.anyone, *asked((*self.starts, *self.ends)))
        followed = [
            a for watch in watched if watch.moving is not None for a in watch.moving.sources
        ]
        return tuple(dict.fromkeys([*(watch.entity for watch in watched), *followed]))

    @property
    def acted_on(self) -> frozenset[str]:
        """The addresses of all entities that its actions set."""
        done = [one for _, one in each((*self.starts, *self.ends))]
        scenes = (states for one in done if isinstance(one, Scene) for states in one.states)
        switched = (one.entity for one in done if isinstance(one, (Switch, Set, Other, Move)))
        return frozenset((*switched, *(entity for entity, _ in scenes)))

    @property
    def named(self) -> tuple[str, ...]:
        """The addresses of all entities that it watches, switches, or asks for."""
        done = (one for _, one in each((*self.starts, *self.ends)))
        switched = (one.entity for one in done if isinstance(one, (Switch, Set, Other, Move)))
        watched = (part.entity for part in self.parts)
        return tuple(dict.fromkeys((*watched, *switched, *self.entities)))

    def sentence(self, names: Mapping[str, str]) -> str:
        """The whole automation in words; `names` gives an entity's spoken name by its
        address."""
        spoken = _names(names)
        watched = [_watched(part, spoken) for part in self.parts]
        if self.moment is not None:
            sentence = self.moment.sentence()
        elif self.more and self.need == len(self.parts):
            sentence = "When " + " and ".join(watched)
        elif self.more:
            many = "any" if self.need == 1 else f"at least {self.need}"
            sentence = f"When {many} of these is so, " + " or ".join(watched)
        else:
            sentence = f"When {watched[0]}"
        sentence += self.only.sentence()
        for watch in self.when:
            sentence += f", only while {spoken(watch.entity)} is {watch.wanted}"
        if self.anyone:
            sentence += ", only while somebody is home"
        if self.pause_ms:
            sentence += f", {show_span(self.pause_ms)} after the last start at the earliest"
        if self.again is Again.SKIP:
            sentence += ", not while its actions of before are under way"
        elif self.again is Again.AFTER:
            sentence += ", after its actions of before"
        if self.starts:
            sentence += ": " + "; ".join(action.sentence(spoken) for action in self.starts)
        for remind in self.reminds:
            sentence += (
                f". Every {show_span(remind.every_ms)} while it lasts, {remind.at_most} times at "
                f"most: {remind.notify.sentence(spoken)}"
            )
        if self.ends:
            ends = "; ".join(action.sentence(spoken) for action in self.ends)
            sentence += f". When it ends: {ends}"
        return sentence + "."


def _watched(watch: Watch, spoken: Callable[[str], str]) -> str:
    if watch.happens:
        lasts = f", for {show_span(watch.lasts_ms)}" if watch.lasts_ms else ""
        often = f" {watch.times} times within {show_span(watch.times_ms)}" if watch.times_ms else ""
        return f"{spoken(watch.entity)} sends {watch.wanted}{often}{lasts}"
    sentence = f"{spoken(watch.entity)} is {watch.wanted}"
    if watch.held_ms:
        sentence += f" for {show_span(watch.held_ms)}"
    back, back_for = watch.wanted_back, watch.until_held_ms
    if back or back_for:
        sentence += f", until it is back{' ' + back if back else ''}"
        sentence += f" for {show_span(back_for)}" if back_for else ""
    return sentence + (", and on while it cannot be heard" if watch.lost is Lost.STAY else "")


def _names(names: Mapping[str, str]) -> Callable[[str], str]:
    def spoken(address: str) -> str:
        return names.get(address, address)

    return spoken
