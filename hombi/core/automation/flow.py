"""The order in which the actions of an edge are done: their list with branches, as a
flat one. What waits in it is kept by the key of its step, which says where that stands
in the text: another version may lay the list out otherwise."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import msgspec

from hombi.core.automation.actions import (
    Action,
    Branch,
    Run,
    Set,
    Step,
    Switch,
    Together,
    Wait,
    WaitUntil,
)
from hombi.core.automation.watch import Watch


class Unless(msgspec.Struct, frozen=True):
    """Go on at a place unless this is so."""

    watch: Watch
    to: int


class Jump(msgspec.Struct, frozen=True):
    """Go on at a place, which is always a later one."""

    to: int


class Fork(msgspec.Struct, frozen=True):
    """Go on at each of these places, side by side; they meet at `join`."""

    lanes: tuple[int, ...]
    join: int


class Join(msgspec.Struct, frozen=True):
    """Where what began at `begin` meets: it goes on when nothing between waits."""

    begin: int


Leads = Unless | Jump | Fork | Join
Steps = list[Action | Wait | WaitUntil | Leads]
# These say when or where it goes on, and want nothing done themselves.
SAYS_WHEN = (Fork, Jump, Unless, Join, Wait, WaitUntil)
# How 0.3 kept a place: by its number.
NUMBERED = "#"


class Flow:
    """The steps of an edge, and a key for each: "2" is the third action of the list,
    "2.branch.1" what the second option of a branch there does, "2.confirmed" the wait
    for what it has switched. The steps that lead to others have no key."""

    def __init__(self) -> None:
        self.steps: Steps = []
        self._keys: dict[str, int] = {}
        self._by_place: dict[int, str] = {}

    def __len__(self) -> int:
        return len(self.steps)

    def __getitem__(self, place: int) -> Action | Wait | WaitUntil | Leads:
        return self.steps[place]

    def __iter__(self) -> Iterator[Action | Wait | WaitUntil | Leads]:
        return iter(self.steps)

    def add(self, step: Action | Wait | WaitUntil | Leads, key: str = "") -> int:
        """One more step at the end; its place."""
        place = len(self.steps)
        self.steps.append(step)
        if key:
            self._keys[key], self._by_place[place] = place, key
        return place

    def key(self, place: int) -> str:
        """The key of a step that waits."""
        return self._by_place[place]

    def place(self, key: str, *, until: bool) -> int:
        """Where it goes on that waits at a key; the end, where there is no such step
        any more. What waits `until` something is so looks at its own step again."""
        if key.startswith(NUMBERED):
            return int(key.removeprefix(NUMBERED))
        if not key:
            return 0
        place = self._keys.get(key)
        if place is None:
            return len(self.steps)
        return place if until else place + 1


def flow(actions: Sequence[Step]) -> Flow:
    """The actions with their branches laid out."""
    result = Flow()
    for number, action in enumerate(actions):
        _lay_out(action, result, str(number))
    return result


def _lay_out(action: Step, flow: Flow, key: str) -> None:
    if isinstance(action, Run):
        for number, step in enumerate(action.steps):
            _lay_out(step, flow, f"{key}.run.{number}")
        return
    if isinstance(action, Together):
        lanes, ends = [], []
        begin = flow.add(Jump(0))
        for number, lane in enumerate(action.lanes):
            lanes.append(len(flow))
            _lay_out(lane, flow, f"{key}.together.{number}")
            ends.append(flow.add(Jump(0)))
        flow.steps[begin] = Fork(tuple(lanes), len(flow))
        for end in ends:
            flow.steps[end] = Jump(len(flow))
        flow.add(Join(begin))
        return
    if not isinstance(action, Branch):
        flow.add(action, key)
        if isinstance(action, (Switch, Set)) and action.sure is not None:
            flow.add(action.sure, f"{key}.confirmed")
        return
    leaps = []
    for number, option in enumerate(action.options):
        question = len(flow)
        if option.when is not None:
            flow.add(Jump(0))
        _lay_out(option.action, flow, f"{key}.branch.{number}")
        leaps.append(flow.add(Jump(0)))
        if option.when is not None:
            flow.steps[question] = Unless(option.when, len(flow))
    for leap in leaps:
        flow.steps[leap] = Jump(len(flow))


def each(actions: Sequence[Step]) -> Iterator[tuple[int, Action | Wait | WaitUntil]]:
    """All actions, also those within branches, each with the number of the one in the
    list that holds it."""
    for number, one in enumerate(actions):
        for inner in flow([one]):
            if not isinstance(inner, Leads):
                yield number, inner


def until_it_waits(steps: Iterable[Action | Wait | WaitUntil | Leads]) -> Iterator[Action]:
    """The actions that are done one after the other, up to what says when."""
    for step in steps:
        if isinstance(step, SAYS_WHEN):
            return
        yield step


def asked(actions: Sequence[Step]) -> Iterator[Watch]:
    """What is looked at while they are done."""
    for one in flow(actions):
        if isinstance(one, (Unless, WaitUntil)):
            yield one.watch
