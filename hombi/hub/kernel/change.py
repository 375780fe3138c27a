"""Changes: each alteration of the house is a value that says who may make it, does it,
and ends in one event. The API, the command line and the automations use the same
ones."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Awaitable, Callable, Coroutine
from typing import Any, ClassVar, Generic, TypeVar

import msgspec

from hombi.hub.errors import NotAllowed
from hombi.hub.kernel.actor import Actor
from hombi.hub.kernel.events import Event
from hombi.hub.kernel.policy import Right, allows

P = TypeVar("P")
T = TypeVar("T")
T_co = TypeVar("T_co", covariant=True)


class Done(msgspec.Struct, Generic[T_co], frozen=True):
    """What a change came to, and the event that it ended in, with further ones `also`
    where it had several halves; `by` is who made it, where that is known better than by
    who asked."""

    result: T_co
    event: Event
    by: Actor | None = None
    also: tuple[Event, ...] = ()


class Change(msgspec.Struct, Generic[P, T], frozen=True):
    """One alteration of the house: made whole, in one transaction, or not at all.
    Subclasses are frozen structs; `feature` is who makes it, `right` what an actor
    needs."""

    feature: ClassVar[type[Any]]
    right: ClassVar[Right]

    @abstractmethod
    def do(self, feature: P, by: Actor) -> Awaitable[Done[T]]:
        """Make it. What is done before the first await is done at once. Raises
        HubError."""

    def __repr__(self) -> str:
        # What it holds is not for a log: a password may be among it.
        return type(self).__name__


class Changes:
    """Brings each change to its feature, and announces what it ended in."""

    def __init__(self, announce: Callable[[Event, Actor], None]) -> None:
        self._announce = announce
        self._features: dict[type[Any], Any] = {}

    def made_by(self, feature: object) -> None:
        """This feature makes the changes that name its type."""
        self._features[type(feature)] = feature

    def begin(self, change: Change[P, T], by: Actor) -> Coroutine[Any, Any, T]:
        """Begin a change now; the rest of it is done when the answer is awaited. Raises
        NotAllowed for an actor that may not."""
        if not allows(by, change.right):
            raise NotAllowed(f"{by} may not {change.right}")
        return self._finish(change.do(self._features[change.feature], by), by)

    async def do(self, change: Change[P, T], by: Actor) -> T:
        """Make a change. Raises HubError."""
        return await self.begin(change, by)

    async def _finish(self, doing: Awaitable[Done[T]], by: Actor) -> T:
        done = await doing
        for event in (done.event, *done.also):
            self._announce(event, done.by or by)
        return done.result
