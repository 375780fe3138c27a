"""The stick: opened, its network brought up, watched, and opened again when it
is gone."""

from __future__ import annotations

import asyncio
import contextlib
import os
import time
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Protocol

from hombi.links.base import Check, LinkError, Unreachable
from hombi.links.zigbee import commands
from hombi.links.zigbee.commands import COORDINATOR_UP, DeviceInfo, Reset, Version
from hombi.links.zigbee.errors import Declined, ForeignNetwork
from hombi.links.zigbee.frames import Frame
from hombi.links.zigbee.network import Network, bring_up, frame_counter
from hombi.links.zigbee.processor import Processor
from hombi.links.zigbee.radio import Radio
from hombi.links.zigbee.serial_port import plugged_in
from hombi.links.zigbee.settings import ZigbeeSettings

NETWORK_KEY = "network"
FORMING = "forming"
FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.5, 30.0
QUIET_S, WATCH_EVERY_S = 30.0, 1.0
COUNT_EVERY_S = 3600.0
LOOK_AGAIN_S = 1.0
LONGEST_JOIN_S, JOIN_AGAIN_S = 254, 200.0
UNANSWERED_S = 1.0
CANNOT_JOIN = "no Zigbee node can join"


@dataclass(slots=True)
class Up:
    """What there is while the stick runs our network."""

    processor: Processor
    radio: Radio
    network: Network
    version: Version


class Owner(Protocol):
    """Who has the stick."""

    def told(self, said: Any) -> None:
        """The stick says something that concerns nodes."""

    def is_up(self, *, new_stick: bool) -> None:
        """The network is up, for the first time or again; on a new stick nodes report
        to an address that is no more."""

    def said(self, what: str) -> None:
        """Something that a person may want to know."""

    def trouble(self, what: str) -> None:
        """What is wrong with the stick; "" when it is well again."""

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        """What must outlive a restart."""


class Stick:
    """The stick at the port of the settings. `up` is None while it does not run our
    network; `problem` says why."""

    def __init__(
        self, settings: ZigbeeSettings, kept: Mapping[str, Any] | None, owner: Owner
    ) -> None:
        self._settings, self._owner = settings, owner
        state = dict(kept) if kept is not None else None
        # Whether writing the network to a stick was begun, and not seen to its end.
        self._forming = bool(state and state.pop(FORMING, False))
        self.network = Network.of(state) if state is not None else None
        self.up: Up | None = None
        self.problem = ""
        self._foreign = False
        self._choice = ""
        self._chosen, self._lost = asyncio.Event(), asyncio.Event()
        self._heard_s = self._counted_s = 0.0
        self._new = False

    @property
    def radio(self) -> Radio:
        """A word with nodes. Raises Unreachable while there is none."""
        if self.up is None:
            raise Unreachable(self.listening())
        return self.up.radio

    async def keep_up(self) -> None:
        """Open it again and again, until cancelled."""
        pause = FIRST_PAUSE_S
        while True:
            self._lost.clear()
            self._foreign = False
            try:
                await self._open()
                pause = FIRST_PAUSE_S
                self._say("")
                self._owner.is_up(new_stick=self._new)
                await self._lost.wait()
            except ForeignNetwork as error:
                self._foreign = True
                self._say(str(error))
                await self._choice_or_another()
                continue
            except LinkError as error:
                self._say(str(error))
            self.close()
            await self._pause(pause)
            pause = min(2 * pause, LONGEST_PAUSE_S)

    async def _pause(self, longest_s: float) -> None:
        """Wait before the next try, but not when another stick was plugged in."""
        before, end = _identity(self._settings.port), time.monotonic() + longest_s
        while (left := end - time.monotonic()) > 0:
            await asyncio.sleep(min(left, LOOK_AGAIN_S))
            if _identity(self._settings.port) not in (before, None):
                return

    async def _choice_or_another(self) -> None:
        """Wait until a person has said what to do with the foreign network, or until
        the stick is no more the same."""
        self._chosen.clear()
        before = _identity(self._settings.port)
        while not self._chosen.is_set() and _identity(self._settings.port) == before:
            with contextlib.suppress(TimeoutError):
                async with asyncio.timeout(LOOK_AGAIN_S):
                    await self._chosen.wait()

    async def watch(self) -> None:
        """A stick that says nothing for a while is asked whether it is there, and now
        and then how far it has counted; until cancelled."""
        while True:
            await asyncio.sleep(WATCH_EVERY_S)
            up = self.up
            if up is not None and time.monotonic() - self._counted_s >= COUNT_EVERY_S:
                await self._count(up)
            if up is None or time.monotonic() - self._heard_s < QUIET_S:
                continue
            try:
                # Not a ping: a firmware that has restarted, and whose word of that was
                # lost, answers one while its radio is down.
                own = await up.processor.ask(Frame(commands.Id.DEVICE_INFO))
                self._heard_s = time.monotonic()
                if isinstance(own, DeviceInfo) and own.state != COORDINATOR_UP:
                    self._say("the Zigbee stick's radio is down; its network is brought up again")
                    self._lost.set()
            except LinkError as error:
                self._say(f"{error}; it is opened again")
                self._lost.set()

    async def _count(self, up: Up) -> None:
        """Keep how far the stick has counted its frames, for the day on which another
        one takes its place."""
        self._counted_s = time.monotonic()
        with contextlib.suppress(LinkError):
            counter = await frame_counter(up.processor)
            if self.network is not None and counter > self.network.counter:
                self.network = replace(self.network, counter=counter)
                self._owner.keep(NETWORK_KEY, self.network.kept())

    def close(self) -> None:
        """Let it go; its network goes on by itself."""
        if self.up is not None:
            self.up.processor.close()
            self.up = None

    def choose(self, choice: str) -> None:
        """What is to be done with the foreign network: "keep" or "clean". Raises
        LinkError when there is none."""
        if not self._foreign:
            raise LinkError("the stick carries no foreign network; there is nothing to choose")
        self._choice = choice
        self._chosen.set()

    async def permit_join(self) -> None:
        """Let nodes join until cancelled; a stick does so for some minutes at a
        time. One that did not answer is told again: a person waits at the node."""
        unanswered = False
        while (up := self.up) is not None:
            try:
                await up.processor.do(commands.permit_join(LONGEST_JOIN_S))
            except Declined as error:
                full = error.status == commands.TABLE_FULL
                why = (
                    "its table of nodes is full; remove nodes that are no more"
                    if full
                    else str(error)
                )
                self._say(f"{CANNOT_JOIN}: {why}")
                return
            except LinkError as error:
                self._say(str(error))
                unanswered = True
                await asyncio.sleep(UNANSWERED_S)
                continue
            if unanswered or self.problem.startswith(CANNOT_JOIN):
                self._say("")
                unanswered = False
            await asyncio.sleep(JOIN_AGAIN_S)

    async def forbid_join(self) -> None:
        """Let nobody join any more."""
        if self.up is not None:
            with contextlib.suppress(LinkError):
                await self.up.processor.do(commands.permit_join(0))

    def listening(self) -> str:
        """What the stick runs, or why it does not."""
        if self.up is not None:
            return f"Zigbee on channel {self.up.network.channel}, {self.up.version}"
        if self._settings.port:
            return self.problem or f"the Zigbee stick at {self._settings.port} is being opened"
        result = plugged_in()
        return (
            f"no Zigbee stick: set zigbee.port; "
            f"{'found ' + ', '.join(result) if result else 'none is plugged in'}"
        )

    def check(self, nodes: int) -> Check:
        """How it is."""
        if self.up is not None:
            skipped = self.up.processor.skipped + self.up.processor.garbled
            text = f"channel {self.up.network.channel}, {self.up.version}; nodes: {nodes}"
            return Check(
                "Zigbee stick",
                "ok",
                text + (f"; not understood: {skipped} bytes" if skipped else ""),
            )
        if not self._settings.port:
            return Check(
                "Zigbee stick",
                "ok",
                self.listening(),
                "nothing to do if the house has no Zigbee nodes",
            )
        advice = "plug it in again, or set zigbee.port in hombi.toml to where it is now"
        if self._foreign:
            advice = "`hombi link keep` or `hombi link clean`"
        return Check("Zigbee stick", "fault", self.listening(), advice)

    def info(self) -> dict[str, Any]:
        """What is known of the stick and its network, but for the key."""
        network = self.network
        return {
            "port": self._settings.port,
            "state": "up" if self.up is not None else "foreign" if self._foreign else "down",
            "text": self.listening(),
            "firmware": str(self.up.version) if self.up is not None else "",
            "pan_id": network.pan_id if network is not None else None,
            "extended_pan_id": f"{network.extended_pan_id:016x}" if network is not None else "",
            "channel": network.channel if network is not None else None,
            "ieee": f"{network.ieee:016x}" if network is not None else "",
        }

    async def _open(self) -> None:
        processor = Processor(self._settings.port, self._told, self._unplugged)
        try:
            await processor.open(self._settings.baud)
            network, version = await bring_up(
                processor, self.network, self._choice, self._begin, begun=self._forming
            )
            await processor.do(commands.permit_join(0))
        except BaseException:
            processor.close()
            raise
        self._choice = ""
        before, self.network = self.network, network
        self._new = before is not None and before.ieee not in (0, network.ieee)
        if before is not None and before.pan_id != network.pan_id:
            self._owner.said(
                f"the Zigbee network is PAN 0x{network.pan_id:04X} now, not "
                f"0x{before.pan_id:04X} as before"
            )
        self._forming = False
        self._owner.keep(NETWORK_KEY, network.kept())
        self._heard_s = self._counted_s = time.monotonic()
        self.up = Up(processor, Radio(processor), network, version)

    def _begin(self, network: Network) -> None:
        """A network is about to be written to the stick. It is kept first: a stick on
        which it was cut off carries half of it, which looks like somebody else's."""
        self.network, self._forming = network, True
        self._owner.keep(NETWORK_KEY, {**network.kept(), FORMING: True})

    def _told(self, said: Any) -> None:
        self._heard_s = time.monotonic()
        if isinstance(said, Reset):
            if self.up is not None:
                self._say("the Zigbee stick has restarted; its network is brought up again")
                self._lost.set()
            return
        self._owner.told(said)

    def _unplugged(self, why: str) -> None:
        self._say(f"the Zigbee stick at {self._settings.port} is gone: {why}; it is looked for")
        self._lost.set()

    def _say(self, what: str) -> None:
        if what != self.problem:
            self.problem = what
            self._owner.trouble(what)


def _identity(port: str) -> tuple[int, int] | None:
    """Which device is at a port, None while there is none; one that was plugged in
    again is another."""
    try:
        result = os.stat(port)
    except OSError:
        return None
    return result.st_ino, result.st_rdev
