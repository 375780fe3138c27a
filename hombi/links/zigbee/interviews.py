"""Asking nodes what they have, and telling them what to report: one interview a node at
a time, and again later where it did not answer."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Callable
from typing import Any

from hombi.links.base import Asking, Found, LinkError, Reports
from hombi.links.work import Work
from hombi.links.zigbee.device import Device
from hombi.links.zigbee.exchange import read_all
from hombi.links.zigbee.interview import STEPS, Interview
from hombi.links.zigbee.roster import Roster
from hombi.links.zigbee.shelf import Shelf
from hombi.links.zigbee.stick import Stick

ASK_AGAIN_S, AGREE_AGAIN_S = 30.0, 60.0
# What an interview says of a node that does not even answer.
NOT_ANSWERED = "it was asked"


class Interviews:
    """`pairing` says whether the window is open."""

    def __init__(
        self,
        link: str,
        reports: Reports,
        work: Work,
        stick: Stick,
        roster: Roster,
        shelf: Shelf,
        pairing: Callable[[], bool],
    ) -> None:
        self._link, self._reports, self._work, self._stick = link, reports, work, stick
        self._roster, self._shelf, self._pairing = roster, shelf, pairing
        self._running: dict[int, asyncio.Task[None]] = {}
        self._agreeing: dict[int, float] = {}

    def runs(self, device: Device) -> bool:
        """Whether it is being asked."""
        return device.ieee in self._running

    def end(self, device: Device) -> None:
        """Ask it no more."""
        if (task := self._running.pop(device.ieee, None)) is not None:
            task.cancel()

    def agree_anew(self, device: Device) -> None:
        """Tell a node what to report at once, however lately it was told."""
        self._agreeing.pop(device.ieee, None)
        self.agree_soon(device)

    def agree_soon(self, device: Device) -> None:
        """Tell a node what to report; one that does not answer is told again when it
        next speaks, after a while."""
        now = time.monotonic()
        if now - self._agreeing.get(device.ieee, -AGREE_AGAIN_S) >= AGREE_AGAIN_S:
            self._agreeing[device.ieee] = now
            self._work.start(self._agree_again(device), name="a word with a Zigbee node")

    async def _agree_again(self, device: Device) -> None:
        up = self._stick.up
        if up is None:
            self._agreeing.pop(device.ieee, None)
            return
        with contextlib.suppress(LinkError):
            missing = await Interview(up.radio, device, up.network.ieee, _nothing).agree()
            if all(NOT_ANSWERED in one for one in missing) and missing:
                return  # it did not answer at all
            device.unsettled = False
            device.notes = [f"not reported by itself: {one}" for one in missing]
            self._agreeing.pop(device.ieee, None)
            self._roster.keep(device)
            await read_all(self._stick, device)
            await Interview(up.radio, device, up.network.ieee, _nothing).explore()

    def explore_soon(self, device: Device) -> None:
        """Ask what a node has beside its values."""
        if (up := self._stick.up) is not None and not self.runs(device):
            exploring = Interview(up.radio, device, up.network.ieee, _nothing).explore()
            self._work.start(exploring, name="a word with a Zigbee node")

    def begin(self, device: Device) -> None:
        """Ask a node what it has, from the beginning."""
        self.end(device)
        asking = self._work.start(self._ask(device), name=f"interview {device.ieee:016x}")
        task = self._running[device.ieee] = asking
        task.add_done_callback(
            lambda done: (
                self._running.pop(device.ieee) if self._running.get(device.ieee) is done else None
            )
        )

    async def _ask(self, device: Device) -> None:
        up = self._stick.up
        if up is None:
            return

        def said(step: int) -> None:
            self._reports.asking(
                Asking(
                    self._link, device.id, device.title, f"asking what it has, {step} of {STEPS}"
                )
            )

        interview = Interview(up.radio, device, up.network.ieee, said)
        try:
            device.missing = await interview.ask_what_it_has()
            device.settle(self._shelf.find(device.make, device.model))
            missing = await interview.agree()
            device.notes = [f"it did not say {one}; it is asked again" for one in device.missing]
            device.notes += [f"not reported by itself: {one}" for one in missing]
        except LinkError as error:
            if device.known:
                return  # what it said before still counts
            again = "it is asked again; or press its button again, near the hub"
            self._reports.asking(
                Asking(self._link, device.id, device.title, f"it does not answer: {error}; {again}")
            )
            await asyncio.sleep(ASK_AGAIN_S)
            if self._pairing() and self._running.get(device.ieee) is asyncio.current_task():
                self.begin(device)
            return
        device.known = True
        self._roster.keep(device)
        self.found(device)
        await interview.explore()

    def found(self, device: Device) -> None:
        """Say what a node has."""
        reach = {"ieee": f"{device.ieee:016x}"}
        self._reports.found(Found(device.id, device.offer(), reach, self._link))


def _nothing(*_: Any) -> None:
    pass
