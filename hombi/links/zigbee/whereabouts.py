"""Where nodes are: their short addresses may change while the hub is down or out of
earshot, so they are looked up.

A node that speaks under an address that nobody has introduced is asked who it is. One
that does not answer under its address is called everywhere (NWK_addr_req, 2.4.3.1.1).
One that is heard for the first time since the network is up is asked whether it is the
one that is known by that address (IEEE_addr_req, 2.4.3.1.2); what it says is held until
then.
"""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Awaitable, Callable, Coroutine
from typing import Any, TypeVar

from hombi.links.base import LinkError, Unreachable
from hombi.links.zigbee import commands
from hombi.links.zigbee.commands import Incoming
from hombi.links.zigbee.device import Device
from hombi.links.zigbee.frames import Frame
from hombi.links.zigbee.stick import Stick

T = TypeVar("T")
ANSWER_S = 3.0
TRIES = 3
ASK_AGAIN_S, CALL_AGAIN_S = 30.0, 60.0
MOST_ASKED = 1_000
HELD = 16


class Whereabouts:
    """`found` is told the long address that goes with a short one; `heard` gets what
    was held back."""

    def __init__(
        self,
        stick: Stick,
        found: Callable[[int, int], None],
        heard: Callable[[Incoming], None],
        start: Callable[[Coroutine[Any, Any, None]], Any],
    ) -> None:
        self._stick, self._found, self._heard, self._start = stick, found, heard, start
        self._asked: dict[int, float] = {}
        self._called: dict[int, float] = {}
        self._calling: dict[int, asyncio.Future[bool]] = {}
        self._held: dict[int, list[Incoming]] = {}

    def forget(self) -> None:
        """The network is up again: nothing is sure any more."""
        self._asked.clear()
        self._called.clear()
        self._held.clear()

    def hold(self, message: Incoming) -> None:
        """Keep what was said under an address until it is known whose it is."""
        held = self._held.setdefault(message.source, [])
        if len(held) < HELD:
            held.append(message)
        if len(held) == 1:
            self._start(self._who_is(message.source))

    def in_vain(self, short: int) -> bool:
        """Whether this address was asked a moment ago, and nobody knew it."""
        asked = time.monotonic() - self._asked.get(short, -ASK_AGAIN_S) < ASK_AGAIN_S
        return asked and short not in self._held

    async def _who_is(self, short: int) -> None:
        if len(self._asked) > MOST_ASKED:
            self._asked.clear()
        self._asked[short] = time.monotonic()
        ieee = None
        for _ in range(TRIES):  # a frame may be lost, and what was said is not said again
            if ieee is None:
                frame = commands.ask_ieee(short)
                ieee = await self._ask(frame, short, lambda a: a.short == short)
        held = self._held.pop(short, [])
        if ieee is not None:
            self._asked.pop(short, None)
            self._found(ieee.ieee, short)
        for message in held:
            self._heard(message)

    async def reach(self, device: Device, ask: Callable[[], Awaitable[T]]) -> T:
        """Ask a node; one that does not answer where it was is looked for, and asked
        there. Raises LinkError."""
        before = device.short
        try:
            return await ask()
        except Unreachable:
            # Somebody else may have found it meanwhile.
            result = device.short != before
            if not result and (device.sleepy or not await self.call(device)):
                raise
            return await ask()

    async def call(self, device: Device) -> bool:
        """Look up where a node is that does not answer; whether it is elsewhere than
        was thought."""
        if (calling := self._calling.get(device.ieee)) is not None:
            return await calling  # somebody else looks for it already
        now = time.monotonic()
        if now - self._called.get(device.ieee, -CALL_AGAIN_S) < CALL_AGAIN_S:
            return False
        self._called[device.ieee] = now
        self._calling[device.ieee] = future = asyncio.get_running_loop().create_future()
        moved = False
        try:
            moved = await self._look_up(device)
        finally:
            del self._calling[device.ieee]
            future.set_result(moved)
        return moved

    async def _look_up(self, device: Device) -> bool:
        before = device.short
        called = commands.ask_short(device.ieee)
        address = await self._ask(called, commands.EVERYWHERE, lambda a: a.ieee == device.ieee)
        if address is None or address.short == before:
            return False
        self._called.pop(device.ieee, None)
        self._found(address.ieee, address.short)
        return True

    async def _ask(
        self, frame: Frame, short: int, fits: Callable[[commands.Address], bool]
    ) -> commands.Address | None:
        up = self._stick.up
        if up is None:
            return None

        def answers(address: commands.Address) -> bool:
            return not address.status and fits(address)

        with contextlib.suppress(LinkError):
            return await up.radio.whereabouts(frame, short, answers, ANSWER_S)
        return None


class Clearing:
    """Ends what a node says has begun and never that it is over: motion, vibration.
    Each new report begins its time again."""

    def __init__(self, over: Callable[[Device, Any], None]) -> None:
        self._over = over
        self._timers: dict[tuple[int, str], asyncio.TimerHandle] = {}

    def reported(self, device: Device, wires: set[str]) -> None:
        """These values came just now."""
        for wire in wires:
            point = device.points.get(wire)
            if point is not None and point.clear_s:
                self.begin(device, wire)

    def begin(self, device: Device, wire: str) -> None:
        """From now on it has its time."""
        point = device.points[wire]
        key = device.ieee, wire
        if (timer := self._timers.pop(key, None)) is not None:
            timer.cancel()
        if clear_s := device.clear_s(point):
            loop = asyncio.get_running_loop()
            self._timers[key] = loop.call_later(clear_s, self._clear, device, wire)

    def forget(self, device: Device) -> None:
        """The node is no more."""
        for key in [timer for timer in self._timers if timer[0] == device.ieee]:
            self._timers.pop(key).cancel()

    def close(self) -> None:
        """Time no more."""
        for timer in self._timers.values():
            timer.cancel()

    def _clear(self, device: Device, wire: str) -> None:
        self._timers.pop((device.ieee, wire), None)
        if (point := device.points.get(wire)) is not None:
            self._over(device, point)
