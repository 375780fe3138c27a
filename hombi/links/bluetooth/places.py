"""The adapter's connections: a few places that all nodes share by turns."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator
from dataclasses import dataclass
from weakref import WeakSet


@dataclass(eq=False)
class Place:
    """A connection that somebody holds. `over` is set when it ends: it is lost, or its
    holder was `asked` to make room for somebody whom a person waits for."""

    over: asyncio.Event
    gives_way: bool
    asked: bool = False


@dataclass(eq=False)
class _Waiting:
    who: object
    turn: asyncio.Future[None]
    hurries: bool = False


class Places:
    """`count` connections at a time. Who waits comes in by turns; whom a person waits
    for comes first."""

    def __init__(self, count: int) -> None:
        self._free = count
        self._held: list[Place] = []
        self._waiting: list[_Waiting] = []
        self._hurries: WeakSet[object] = WeakSet()

    @property
    def waited_for(self) -> bool:
        """Whether somebody waits for a place."""
        return bool(self._waiting)

    @contextlib.asynccontextmanager
    async def place(self, who: object, *, gives_way: bool = True) -> AsyncIterator[Place]:
        """Hold a place, which is asked back when somebody is in a hurry if it
        `gives_way`."""
        await self._enter(who)
        place = Place(asyncio.Event(), gives_way)
        self._held.append(place)
        try:
            yield place
        finally:
            self._held.remove(place)
            self._pass_on()

    def hurry(self, who: object) -> None:
        """A person waits for somebody, who waits for a turn or is about to: it is the
        next, and somebody else makes room for it."""
        for waiting in self._waiting:
            if waiting.who is who:
                # Asked again and again, it has one place made for it, not all of them.
                if not waiting.hurries:
                    waiting.hurries = True
                    self._waiting.remove(waiting)
                    self._waiting.insert(0, waiting)
                    self._make_room()
                return
        self._hurries.add(who)

    async def _enter(self, who: object) -> None:
        hurries = who in self._hurries
        self._hurries.discard(who)
        if self._free:
            self._free -= 1
            return
        waiting = _Waiting(who, asyncio.get_running_loop().create_future())
        self._waiting.append(waiting)
        if hurries:
            self.hurry(who)
        try:
            await waiting.turn
        except asyncio.CancelledError:
            if waiting in self._waiting:
                self._waiting.remove(waiting)
            else:
                self._pass_on()  # its turn had come
            raise

    def _make_room(self) -> None:
        """Have whoever has been connected for longest give way."""
        for place in self._held:
            if place.gives_way and not place.over.is_set():
                place.asked = True
                place.over.set()
                return

    def _pass_on(self) -> None:
        if self._waiting:
            self._waiting.pop(0).turn.set_result(None)
        else:
            self._free += 1
