"""The order in which the actions of an edge are done: their list with branches, as a
flat one in which a place can be kept."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

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
Flow = list[Action | Wait | WaitUntil | Leads]
# What is nothing to do by itself.
SAYS_WHEN = (Fork, Jump, Unless, Join, Wait, WaitUntil)


def flow(actions: Sequence[Step]) -> Flow:
    """The actions with their branches laid out."""
    result: Flow = []
    for action in actions:
        _lay_out(action, result)
    return result


def _lay_out(action: Step, flow: Flow) -> None:
    if isinstance(action, Run):
        for step in action.steps:
            _lay_out(step, flow)
        return
    if isinstance(action, Together):
        begin, lanes, ends = len(flow), [], []
        flow.append(Jump(0))
        for lane in action.lanes:
            lanes.append(len(flow))
            _lay_out(lane, flow)
            ends.append(len(flow))
            flow.append(Jump(0))
        flow[begin] = Fork(tuple(lanes), len(flow))
        for end in ends:
            flow[end] = Jump(len(flow))
        flow.append(Join(begin))
        return
    if not isinstance(action, Branch):
        flow.append(action)
        if isinstance(action, (Switch, Set)) and action.sure is not None:
            flow.append(action.sure)
        return
    leaps = []
    for option in action.options:
        asked = len(flow)
        if option.when is not None:
            flow.append(Jump(0))
        _lay_out(option.action, flow)
        leaps.append(len(flow))
        flow.append(Jump(0))
        if option.when is not None:
            flow[asked] = Unless(option.when, len(flow))
    for leap in leaps:
        flow[leap] = Jump(len(flow))


def each(actions: Sequence[Step]) -> Iterator[tuple[int, Action | Wait | WaitUntil]]:
    """All actions, also those within branches, each with the number of the one in the
    list that holds it."""
    for number, one in enumerate(actions):
        for inner in flow([one]):
            if not isinstance(inner, Leads):
                yield number, inner


def until_it_waits(steps: Flow) -> Iterator[Action]:
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
