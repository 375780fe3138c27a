"""The Zigbee link: a stick that is opened, watched and opened again, and the nodes of
its network."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Coroutine, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from hombi.links.base import (
    Asking,
    Check,
    LinkContext,
    LinkError,
    OnLink,
    Unreachable,
    Wanted,
)
from hombi.links.capabilities import Acted
from hombi.links.work import Work
from hombi.links.zigbee import commands
from hombi.links.zigbee.commands import Announced, Confirm, Incoming, Joined, Left, Outcome
from hombi.links.zigbee.device import Device
from hombi.links.zigbee.exchange import do, glides, read_all, read_points, read_settings, write
from hombi.links.zigbee.hearing import Hearing
from hombi.links.zigbee.interviews import Interviews
from hombi.links.zigbee.points import Point
from hombi.links.zigbee.raw import draft
from hombi.links.zigbee.roster import Roster
from hombi.links.zigbee.settings import ZigbeeSettings
from hombi.links.zigbee.shelf import Shelf
from hombi.links.zigbee.stick import NETWORK_KEY, Stick
from hombi.links.zigbee.whereabouts import Whereabouts

T = TypeVar("T")
READ_EVERY_S = 120.0
# When a new node is asked again for values that it did not tell at once, and how often
# it is asked at most when it speaks: ever more seldom, for the sake of its battery.
FIRST_AGAIN_S, AGAIN_S, SELDOM_S = (3.0, 12.0), 30.0, 3600.0
# How long a person waits until a node has left, and how long the hub does by itself: a
# node that sleeps fetches what waits for it within 7.68 s (3.6.1.8).
GONE_S, LEAVES_S = 2.0, 10.0
PROFILES_EVERY_S = 1.0
# What goes slowly to a value is there so much later than it was told.
SETTLES_S = 0.5


class ZigbeeDriver:
    """The driver of the link `zigbee`."""

    link = "zigbee"
    connects = False

    def __init__(self, context: LinkContext, settings: ZigbeeSettings) -> None:
        self._reports, self._settings = context.reports, settings
        self._work, kept = Work(context.tasks), context.kept
        self._shelf = Shelf(settings.profiles)
        self._roster = roster = Roster(self._reports, self._shelf)
        roster.restore({key: state for key, state in kept.items() if key != NETWORK_KEY})
        self._followed: dict[str, set[str]] = {}
        self._stick = stick = Stick(settings, kept.get(NETWORK_KEY), self)
        self._pairing = False
        self._joining: asyncio.Task[None] | None = None
        self._leaving: dict[int, tuple[asyncio.Task[None], float]] = {}
        self._interviews = Interviews(
            self.link, self._reports, self._work, stick, roster, self._shelf, lambda: self._pairing
        )
        self._hearing = Hearing(self.link, self._reports, stick, roster, self._woke)
        self._where = Whereabouts(stick, self._came, self._hearing.take, self._start)

    @property
    def devices(self) -> dict[int, Device]:
        """The nodes of the network, by the address they were built with."""
        return self._roster.devices

    # The stick

    async def start(self) -> None:
        """Open the stick, and keep it open. A stick that is not there is said, and
        looked for."""
        if self._settings.port:
            watch = self._work.watch
            watch("the Zigbee stick", self._stick.keep_up)
            watch("watching the Zigbee stick", self._stick.watch)
            watch("floods of Zigbee frames", self._hearing.report_floods)
            watch("reading Zigbee nodes", self._read_what_is_not_reported)
            watch("watching node profiles", self._watch_profiles)

    async def stop(self) -> None:
        """Let the stick go; its network goes on by itself."""
        self._hearing.clearing.close()
        await self._work.end()
        self._stick.close()

    async def choose(self, choice: str) -> None:
        """What is to be done with the foreign network on the stick: "keep" or "clean".
        Raises LinkError when there is none."""
        self._stick.choose(choice)

    # The stick's owner

    def is_up(self, *, new_stick: bool) -> None:
        """The network is up: go on where it was left. To a new stick all nodes must be
        bound again."""
        self._where.forget()
        self._set_joining()
        for ieee, short in self._roster.removed.items():
            self._send_off(ieee, short)
        for device in self.devices.values():
            device.checked = False
            if new_stick:
                device.unsettled = True
            if device.node and device.unsettled:
                self._interviews.agree_soon(device)
            elif device.node and not device.sleepy and not device.left:
                self._start(self._read_all(device))
            elif not device.known and self._pairing:
                self._interviews.begin(device)

    def said(self, what: str) -> None:
        """Something that a person may want to know."""
        self._reports.refused("", what)

    def trouble(self, what: str) -> None:
        """What is wrong with the stick."""
        self._reports.trouble(self.link, what)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        """What must outlive a restart."""
        self._reports.keep(key, state)

    async def _watch_profiles(self) -> None:
        """Take up the house's profiles when they change: who writes one sees at once
        what comes of it."""
        while True:
            await asyncio.sleep(PROFILES_EVERY_S)
            if await asyncio.to_thread(self._shelf.changed):
                self._settle_anew()

    def _settle_anew(self) -> None:
        for device in list(self.devices.values()):
            profile = self._shelf.find(device.make, device.model)
            if device.known and profile != device.profile:
                device.settle(profile)
                self._say_anew(device)

    def told(self, message: Any) -> None:
        """What the stick says of nodes."""
        if isinstance(message, Incoming):
            device = self._roster.at(message.source)
            if device is not None and device.checked:
                self._hearing.take(message)
            elif not self._where.in_vain(message.source) or device is not None:
                self._where.hold(message)
        elif isinstance(message, Confirm):
            if self._stick.up is not None:
                self._stick.up.radio.confirmed(message)
        elif isinstance(message, Announced):
            self._came(message.ieee, message.short, message)
        elif isinstance(message, Joined):
            self._came(message.ieee, message.short, joined=True)
        elif isinstance(message, Left):
            self._left(message)

    # Nodes that come and go

    def _came(
        self, ieee: int, short: int, announced: Announced | None = None, *, joined: bool = False
    ) -> None:
        device = self.devices.get(ieee)
        if device is None:
            if joined and self._pairing:
                self._roster.gone(ieee)  # a person lets it in again
            elif ieee in self._roster.removed:
                self._send_off(ieee, short)
                return
            if not self._pairing:
                if joined:
                    self._start(self._turn_out(ieee, short))
                return
            device = Device(ieee, short)
            self._roster.add(device)
        moved = self._roster.moved(device, short)
        device.checked = True
        if announced is not None:
            device.sleepy, device.router = announced.sleepy, announced.router
        if device.node:
            if moved:
                self._roster.keep(device)
            if device.left:
                self._back(device)
            elif joined:
                # It was reset where nobody heard it leave: it has forgotten what it was
                # to report, and to whom.
                device.unsettled = True
                self._roster.keep(device)
            self._reports.presence(device.node, here=True)
            if announced is not None and device.unsettled:
                self._interviews.agree_soon(device)
            elif announced is not None and not device.sleepy:
                self._start(self._read_all(device))
        elif device.known and self._pairing:
            self._interviews.found(device)
        elif self._pairing and (not self._interviews.runs(device) or announced is not None):
            self._interviews.begin(device)

    async def _turn_out(self, ieee: int, short: int) -> None:
        """The network took a node in while the house lets nobody in: it is told to
        leave again."""
        closed = "joined while the pairing window was closed; it was told to leave"
        self.said(f"the Zigbee node {ieee:016x} {closed}")
        await self._have_leave(ieee, short, LEAVES_S)

    def _send_off(self, ieee: int, short: int) -> None:
        """A node is in the network that was removed while it slept, was out of reach,
        or the stick was: tell it to leave."""

        async def tell() -> None:
            if await self._have_leave(ieee, short, LEAVES_S):
                self._roster.gone(ieee)
                self._leaving.pop(ieee, None)

        task, begun_s = self._leaving.get(ieee, (None, 0.0))
        now_s = time.monotonic()
        if task is not None and not task.done():
            if now_s - begun_s < GONE_S:
                return
            task.cancel()  # it did not hear that; now it is there
        self._leaving[ieee] = self._start(tell()), now_s

    async def _have_leave(self, ieee: int, short: int, within_s: float) -> bool:
        """Tell a node to leave; whether it says that it does."""
        if (up := self._stick.up) is None:
            return False
        try:
            leave = commands.leave(short, ieee)
            outcome = await up.radio.network(leave, Outcome, short, within_s)
        except LinkError:
            return False
        return not outcome.status

    def _left(self, left: Left) -> None:
        device = self.devices.get(left.ieee)
        if not left.rejoin:
            self._roster.gone(left.ieee)
        if device is None or left.rejoin:
            return
        self._interviews.end(device)
        if not device.node:
            self._forget(device)
            over = Asking(self.link, device.id, device.title, "it has left again", over=True)
            self._reports.asking(over)
            return
        device.left = True
        self._roster.keep(device)
        self._reports.left(device.node)

    def _woke(self, device: Device) -> None:
        """An admitted node was heard."""
        if device.left:
            self._back(device)
        elif device.unsettled:
            self._interviews.agree_soon(device)
        elif device.unread and time.monotonic() >= device.ask_again_s:
            device.ask_pause_s = min(2 * device.ask_pause_s, SELDOM_S) or AGAIN_S
            device.ask_again_s = time.monotonic() + device.ask_pause_s
            self._start(self._read_unread(device))

    def _back(self, device: Device) -> None:
        """A node that had left is in the network again: it has forgotten what it was to
        report."""
        device.left, device.unsettled = False, True
        self._roster.keep(device)
        self._interviews.agree_soon(device)

    def _say_anew(self, device: Device) -> None:
        """It has other values than it had: by another profile, or by what the hub makes
        of its clusters. A person waits for them."""
        if device.node or self._pairing:
            self._interviews.found(device)
        device.unsettled = bool(device.node)
        if device.node and not device.left:
            self._interviews.agree_anew(device)

    def _forget(self, device: Device, *, knows: bool = True) -> None:
        self._hearing.clearing.forget(device)
        self._roster.remove(device, knows=knows)

    # What the hub asks for

    def follow(self, known: OnLink) -> None:
        """Take up an admitted node."""
        device = self.devices.get(int(known.reach.get("ieee", "0"), 16))
        if device is None:
            return
        new = not device.node
        wires = {entity.name for entity in known.entities}
        more = not wires <= self._followed.get(known.node, wires)
        self._followed[known.node] = wires
        self._roster.admitted(device, known.node)
        if new and known.offer != device.offer():
            self._say_anew(device)
        if new:
            for wire in device.points:
                self._hearing.clearing.begin(device, wire)
        if new and self._stick.up is not None:
            self._reports.presence(known.node, here=True)
        # What it said before the hub had a place for it is lost: it is asked.
        if (new or more) and self._stick.up is not None:
            self._start(self._first_values(device))

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Have a node take values, and read back what it has made of them. Raises
        LinkError."""
        for one in wanted:
            await self._set(node, one.name, one.value, one.taking_ms)

    def glides(self, node: str, name: str) -> bool:
        """Whether a node goes to a value slowly by itself."""
        try:
            return glides(self._roster.point(node, name)[1])
        except LinkError:
            return False  # it is said when it is asked

    def promised_s(self, node: str) -> Mapping[str, float]:
        """The longest time between two reports, by value; not for what the node would
        not agree to."""
        device = next((one for one in self.devices.values() if one.node == node), None)
        if device is None:
            return {}
        refused = {name for what in device.missing for name in what.partition(":")[0].split(", ")}
        return {
            wire: float(point.reports.longest_s)
            for wire, point in device.points.items()
            if point.reports is not None and not point.tunnelled and point.name not in refused
        }

    async def set_setting(self, node: str, name: str, value: Any) -> None:
        """Change one of the node's own settings. Raises LinkError."""
        await self._set(node, name, float(value))

    async def _set(self, node: str, wire: str, value: float, taking_ms: int = 0) -> None:
        device, point = self._roster.point(node, wire)
        told = partial(write, self._stick, device, point, value, taking_ms)
        changed = await self._where.reach(device, told)
        self._start(read_points(self._stick, device, changed))
        if taking_ms:
            self._start(self._read_later(device, changed, taking_ms / 1000 + SETTLES_S))

    async def _read_later(self, device: Device, points: Sequence[Point], after_s: float) -> None:
        """Read where it should be by then: not every node reports it."""
        await asyncio.sleep(after_s)
        await read_points(self._stick, device, points)

    async def _read_all(self, device: Device) -> None:
        answered = await read_all(self._stick, device)
        if not answered and not device.sleepy and await self._where.call(device):
            await read_all(self._stick, device)

    async def _first_values(self, device: Device) -> None:
        """All values of a node that has just been let in. A person waits for them, and
        a node that sleeps may not speak for an hour."""
        await self._read_all(device)
        for pause_s in FIRST_AGAIN_S:
            if device.unread:
                await asyncio.sleep(pause_s)
                await self._read_unread(device)

    async def _read_unread(self, device: Device) -> None:
        """Ask again for what was not answered."""
        device.unread &= device.points.keys()  # a profile may have taken some away
        await read_points(
            self._stick, device, [device.points[wire] for wire in sorted(device.unread)]
        )
        if not device.unread:
            device.ask_pause_s = 0.0

    async def act(self, node: str, action: str, given: Any) -> Acted:
        """Have a node do something. It has taken the command then; whether it is done
        with it, it does not say. Raises LinkError."""
        device = self._roster.of(node)
        doing = next((one for one in device.doings() if one.action.wire_name == action), None)
        if doing is None:
            raise LinkError(f"{node} cannot do that any more; let it join again")
        await self._where.reach(device, partial(do, self._stick, device, doing, given or {}))
        changed = [one for one in device.points.values() if one.cluster == doing.cluster]
        self._start(read_points(self._stick, device, changed))
        return Acted(done=False)

    async def settings(self, node: str) -> dict[str, Any]:
        """How the node's own settings stand. Raises LinkError."""
        return await read_settings(self._stick.radio, self._roster.of(node))

    def way(self, known: OnLink) -> str:
        """Nodes speak over the stick's radio."""
        return "paired"

    async def remove(self, node: str) -> None:
        """Tell a node to leave, and forget it; one that does not answer is told again
        when it is next heard."""
        with contextlib.suppress(Unreachable):
            await self._send_away(self._roster.of(node))

    async def dismiss(self, thing_id: str) -> None:
        """An arrival was turned away: it is told to leave."""
        device = self._roster.arrival(thing_id)
        if device is not None and not device.node:
            await self._send_away(device)

    async def _send_away(self, device: Device) -> None:
        self._interviews.end(device)
        knows = device.left or await self._have_leave(device.ieee, device.short, GONE_S)
        self._forget(device, knows=knows)

    def pairing(self, is_open: bool) -> None:
        """Let nodes join while the window is open."""
        self._pairing = is_open
        if is_open and self._stick.up is not None:
            for device in [one for one in self.devices.values() if not one.node]:
                if device.known:
                    self._interviews.found(device)
                elif not self._interviews.runs(device):
                    self._interviews.begin(device)
        self._set_joining()

    def _set_joining(self) -> None:
        if self._joining is not None:
            self._joining.cancel()
        self._joining = self._start(
            self._stick.permit_join() if self._pairing else self._stick.forbid_join()
        )

    def listening(self) -> str:
        """What the stick runs, or why it does not."""
        return self._stick.listening()

    def checks(self) -> list[Check]:
        """How the stick and the profiles are."""
        result = [self._stick.check(len(self.devices))]
        if self._shelf.wrong:
            advice = "mend them; docs/node-profiles.md helps"
            result.append(Check("node profiles", "warning", "; ".join(self._shelf.wrong), advice))
        return result

    def info(self) -> dict[str, Any]:
        """What is known of the stick and its network."""
        return {**self._stick.info(), "nodes": len(self.devices)}

    def profile_of(self, node: str) -> tuple[Path, str, int]:
        """A node's profile: (its file, its text with what the node says and nothing
        names yet, how many those are).

        Raises LinkError.
        """
        device = self._roster.of(node)
        path, text = self._shelf.file_for(device.make, device.model)
        if not device.unnamed and device.unused():
            self._interviews.explore_soon(device)  # what it told was lost with the last start
        unnamed = device.unnamed.values()
        return path, draft(device.make, device.model, text, unnamed), len(unnamed)

    async def put_profile(self, node: str, text: str) -> Path:
        """Keep a text as the profile of a node's make and model, and take it up; where
        it is kept. Raises LinkError."""
        device = self._roster.of(node)
        path = await asyncio.to_thread(self._shelf.put, device.make, device.model, text)
        self._settle_anew()
        return path

    async def _read_what_is_not_reported(self) -> None:
        """Nodes on mains are read now and then: a report may be lost, and some do not
        report at all."""
        while True:
            await asyncio.sleep(READ_EVERY_S)
            for device in list(self.devices.values()):
                if device.node and not device.sleepy and not device.left:
                    await self._read_all(device)
                wanted = device.missing and (device.node or self._pairing)
                if wanted and not self._interviews.runs(device):
                    self._interviews.begin(device)

    def _start(self, work: Coroutine[Any, Any, Any]) -> asyncio.Task[Any]:
        return self._work.start(work, name="a word with a Zigbee node")

    async def ask_again(self, thing_id: str) -> None:
        """Ask a node again what it has. Raises LinkError."""
        device = self._roster.arrival(thing_id)
        if device is None:
            raise Unreachable("it is not in the Zigbee network any more")
        if self._stick.up is None:
            raise Unreachable(self.listening())
        self._interviews.begin(device)
