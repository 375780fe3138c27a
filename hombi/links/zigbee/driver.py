"""The Zigbee link: a stick that is opened, watched and opened again, and the nodes of
its network."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Awaitable, Callable, Coroutine, Sequence
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from hombi.links.base import (
    Asking,
    Check,
    Found,
    Heard,
    LinkContext,
    LinkError,
    OnLink,
    Unreachable,
    Wanted,
)
from hombi.links.work import Work
from hombi.links.zigbee import commands, datapoints, zcl
from hombi.links.zigbee.commands import Announced, Confirm, Incoming, Joined, Left, Outcome
from hombi.links.zigbee.device import Device, now_ms
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.exchange import read_all, read_points, write
from hombi.links.zigbee.interview import STEPS, Interview, enrolled
from hombi.links.zigbee.points import IAS_ZONE, POLL_CONTROL, Point
from hombi.links.zigbee.raw import draft, in_words
from hombi.links.zigbee.replies import ENROL_REQUEST, answer, need_not_stay_awake
from hombi.links.zigbee.settings import ZigbeeSettings
from hombi.links.zigbee.shelf import Shelf
from hombi.links.zigbee.stick import NETWORK_KEY, Stick
from hombi.links.zigbee.whereabouts import Clearing, Whereabouts

T = TypeVar("T")
READ_EVERY_S = 120.0
GONE_S = 2.0
ASK_AGAIN_S, AGREE_AGAIN_S = 30.0, 60.0
# What an interview says of a node that does not even answer.
NOT_ANSWERED = "it was asked"
ZONE_CHANGED, CHECK_IN = 0x00, 0x00
FLOODS_EVERY_S = 1.0
PROFILES_EVERY_S = 1.0


class ZigbeeDriver:
    """The driver of the link `zigbee`."""

    link = "zigbee"
    connects = False

    def __init__(self, context: LinkContext, settings: ZigbeeSettings) -> None:
        self._reports, self._settings = context.reports, settings
        self._work, kept = Work(context.tasks), context.kept
        self._shelf = Shelf(settings.profiles)
        self.devices: dict[int, Device] = {}
        self._by_short: dict[int, Device] = {}
        self._by_node: dict[str, Device] = {}
        self._followed: dict[str, set[str]] = {}
        for key, state in kept.items():
            if key != NETWORK_KEY:
                self._add(Device.of(state))
        self._stick = Stick(settings, kept.get(NETWORK_KEY), self)
        self._pairing = False
        self._joining: asyncio.Task[None] | None = None
        self._interviews: dict[int, asyncio.Task[None]] = {}
        self._agreeing: dict[int, float] = {}
        self._where = Whereabouts(self._stick, self._came, self._take, self._start)
        self._clearing = Clearing(self._over)

    # The stick

    async def start(self) -> None:
        """Open the stick, and keep it open. A stick that is not there is said, and
        looked for."""
        if self._settings.port:
            watch = self._work.watch
            watch("the Zigbee stick", self._stick.keep_up)
            watch("watching the Zigbee stick", self._stick.watch)
            watch("floods of Zigbee frames", self._report_floods)
            watch("reading Zigbee nodes", self._read_what_is_not_reported)
            watch("watching node profiles", self._watch_profiles)

    async def stop(self) -> None:
        """Let the stick go; its network goes on by itself."""
        self._clearing.close()
        await self._work.end()
        self._stick.close()

    async def choose(self, choice: str) -> None:
        """What is to be done with the foreign network on the stick: "keep" or "clean".
        Raises LinkError when there is none."""
        self._stick.choose(choice)

    # The stick's owner

    def is_up(self, *, new_stick: bool) -> None:
        """The network is up: go on where it was left. To a new stick all nodes must be
        bound anew."""
        self._where.forget()
        self._set_joining()
        for device in self.devices.values():
            device.checked = False
            if new_stick:
                device.unsettled = True
            if device.node and device.unsettled:
                self._agree_soon(device)
            elif device.node and not device.sleepy and not device.left:
                self._start(self._read_all(device))
            elif not device.known and self._pairing:
                self._interview(device)

    def said(self, what: str) -> None:
        """Something that a person may want to know."""
        self._reports.refused("", what)

    def trouble(self, what: str) -> None:
        """What is wrong with the stick."""
        self._reports.trouble(self.link, what)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        """What must outlive a restart."""
        self._reports.keep(key, state)

    async def _report_floods(self) -> None:
        while True:
            await asyncio.sleep(FLOODS_EVERY_S)
            for device in self.devices.values():
                if device.pace.dropped and device.node:
                    what = (
                        f"it sends more than {device.pace.rate:.0f} frames a second; "
                        f"{device.pace.dropped} were dropped"
                    )
                    self._reports.refused(device.node, what)
                device.pace.dropped = 0

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
                # A person waits for the values that have a name now.
                self._agreeing.pop(device.ieee, None)
                self._say_anew(device)

    def told(self, said: Any) -> None:
        """What the stick says of nodes."""
        if isinstance(said, Incoming):
            self._incoming(said)
        elif isinstance(said, Confirm):
            if self._stick.up is not None:
                self._stick.up.radio.confirmed(said)
        elif isinstance(said, Announced):
            self._came(said.ieee, said.short, said)
        elif isinstance(said, Joined):
            self._came(said.ieee, said.short, joined=True)
        elif isinstance(said, Left):
            self._left(said)

    def _incoming(self, message: Incoming) -> None:
        device = self._by_short.get(message.source)
        if device is not None and device.checked:
            self._take(message)
        elif not self._where.in_vain(message.source) or device is not None:
            self._where.hold(message)

    def _take(self, message: Incoming) -> None:
        """What a node said whose address is sure, or as sure as it will be."""
        device = self._by_short.get(message.source)
        if device is None:
            return
        device.checked = True
        now_s = time.monotonic()
        if device.repeated(message, now_s):
            return
        if not device.pace.allows(now_s):
            device.pace.dropped += 1
            return
        values: list[Any] = []
        status: int = zcl.Status.SUCCESS
        try:
            frame = zcl.decode(message.data)
        except CodecError as error:
            self._refused(device, message, str(error))
            return
        try:
            if self._stick.up is not None:
                self._stick.up.radio.answered(message.source, frame)
            topic = (
                f"{device.node or f'{device.ieee:016x}'}/{message.endpoint}/{message.cluster:04X}"
            )
            self._reports.heard(
                Heard(
                    self.link,
                    topic,
                    in_words(message.cluster, frame, device.tunnel),
                    node=device.node,
                )
            )
            values = self._values(device, message, frame)
        except CodecError as error:
            self._refused(device, message, str(error))
            status = zcl.Status.MALFORMED
        with contextlib.suppress(CodecError):
            if (said := answer(message, frame, tunnel=device.tunnel, status=status)) is not None:
                self._reply(message, said)
        if not device.node:
            return
        if device.left:
            self._back(device)
        elif device.unsettled:
            self._agree_soon(device)
        self._reports.alive(device.node)
        self._clearing.reported(device, {value.name for value in values})
        values += device.heard(message, now_ms())
        if values:
            self._reports.observed(device.node, values, None)

    def _refused(self, device: Device, message: Incoming, what: str) -> None:
        if device.node:
            self._reports.refused(device.node, f"cluster {message.cluster:04X}: {what}")

    def _over(self, device: Device, point: Point) -> None:
        """What a node said has begun counts as over."""
        if device.node:
            self._reports.observed(device.node, [device.cleared(point, now_ms())], None)

    def _values(self, device: Device, message: Incoming, frame: zcl.Zcl) -> list[Any]:
        endpoint, cluster, at = message.endpoint, message.cluster, now_ms()
        if not frame.cluster_command:
            if frame.command not in (zcl.Command.REPORT, zcl.Command.READ_RESPONSE):
                return []
            answers = frame.command == zcl.Command.READ_RESPONSE
            found, broken = zcl.read_records(frame.payload, answers=answers)
            if broken is not None:
                self._refused(device, message, broken.what)
            values: list[Any] = []
            for one in found:  # what is wrong with one record is that record's affair
                try:
                    values += device.attributes(endpoint, cluster, [one], at, frame.manufacturer)
                except CodecError as error:
                    self._refused(device, message, str(error))
            return values
        if cluster == IAS_ZONE and frame.from_server:
            if frame.command == ENROL_REQUEST:
                self._reply(message, enrolled(frame.sequence))
            elif frame.command == ZONE_CHANGED:
                if len(frame.payload) < 2:
                    raise CodecError("a zone's notification ends within its status")
                return device.zone_changed(endpoint, frame.payload[0] | frame.payload[1] << 8, at)
            return []
        if cluster == device.tunnel and frame.command in (datapoints.ANSWER, datapoints.TELL):
            return device.tunnelled(endpoint, cluster, datapoints.decode(frame.payload)[1], at)
        if cluster == POLL_CONTROL and frame.from_server and frame.command == CHECK_IN:
            self._reply(message, need_not_stay_awake(frame))
        return []

    def _reply(self, message: Incoming, frame: zcl.Zcl) -> None:
        if self._stick.up is not None:
            self._stick.up.radio.reply(message, frame)

    # Nodes that come and go

    def _came(
        self, ieee: int, short: int, announced: Announced | None = None, *, joined: bool = False
    ) -> None:
        device = self.devices.get(ieee)
        if device is None:
            if not self._pairing:
                if joined:
                    self._start(self._turn_out(ieee, short))
                return
            device = Device(ieee, short)
            self._add(device)
        moved = self._moved(device, short)
        device.checked = True
        if announced is not None:
            device.sleepy, device.router = announced.sleepy, announced.router
        if device.node:
            if moved:
                self._keep(device)
            if device.left:
                self._back(device)
            elif joined:
                # It was reset where nobody heard it leave: it has forgotten what it was
                # to report, and to whom.
                device.unsettled = True
                self._keep(device)
            self._reports.presence(device.node, here=True)
            if announced is not None and device.unsettled:
                self._agree_soon(device)
            elif announced is not None and not device.sleepy:
                self._start(self._read_all(device))
        elif device.known and self._pairing:
            self._found(device)
        elif self._pairing and (ieee not in self._interviews or announced is not None):
            self._interview(device)

    async def _turn_out(self, ieee: int, short: int) -> None:
        """The network took a node in while the house lets nobody in: it is told to
        leave again."""
        self.said(
            f"the Zigbee node {ieee:016x} joined while the pairing window was closed; "
            f"it was told to leave"
        )
        if (up := self._stick.up) is not None:
            with contextlib.suppress(LinkError):
                await up.radio.network(commands.leave(short, ieee), Outcome, short, GONE_S)

    def _moved(self, device: Device, short: int) -> bool:
        """Take note of a node's short address; whether it is another one."""
        before = device.short
        if self._by_short.get(before) is device:
            del self._by_short[before]
        device.short = short
        self._by_short[short] = device
        return before != short

    def _left(self, left: Left) -> None:
        device = self.devices.get(left.ieee)
        if device is None or left.rejoin:
            return
        if (task := self._interviews.pop(device.ieee, None)) is not None:
            task.cancel()
        if not device.node:
            self._forget(device)
            self._reports.asking(
                Asking(self.link, device.id, device.title, "it has left again", over=True)
            )
            return
        device.left = True
        self._keep(device)
        self._reports.left(device.node)

    def _back(self, device: Device) -> None:
        """A node that had left is in the network again: it has forgotten what it was to
        report."""
        device.left, device.unsettled = False, True
        self._keep(device)
        self._agree_soon(device)

    def _say_anew(self, device: Device) -> None:
        """It has other values than it had: by another profile, or by what the hub makes
        of its clusters."""
        if device.node or self._pairing:
            self._found(device)
        device.unsettled = bool(device.node)
        if device.node and not device.left:
            self._agree_soon(device)

    def _agree_soon(self, device: Device) -> None:
        """Tell a node what to report; one that does not answer is told again when it
        next speaks, after a while."""
        now = time.monotonic()
        if now - self._agreeing.get(device.ieee, -AGREE_AGAIN_S) >= AGREE_AGAIN_S:
            self._agreeing[device.ieee] = now
            self._start(self._agree_again(device))

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
            self._keep(device)
            await read_all(self._stick, device)

    def _interview(self, device: Device) -> None:
        if (before := self._interviews.pop(device.ieee, None)) is not None:
            before.cancel()
        asking = self._work.start(self._ask(device), name=f"interview {device.ieee:016x}")
        task = self._interviews[device.ieee] = asking
        task.add_done_callback(
            lambda done: (
                self._interviews.pop(device.ieee)
                if self._interviews.get(device.ieee) is done
                else None
            )
        )

    async def _ask(self, device: Device) -> None:
        up = self._stick.up
        if up is None:
            return

        def said(step: int) -> None:
            self._reports.asking(
                Asking(self.link, device.id, device.title, f"asking what it has, {step} of {STEPS}")
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
                Asking(self.link, device.id, device.title, f"it does not answer: {error}; {again}")
            )
            await asyncio.sleep(ASK_AGAIN_S)
            if self._pairing and self._interviews.get(device.ieee) is asyncio.current_task():
                self._interview(device)
            return
        device.known = True
        self._keep(device)
        self._found(device)

    def _found(self, device: Device) -> None:
        reach = {"ieee": f"{device.ieee:016x}"}
        self._reports.found(Found(device.id, device.offer(), reach, self.link))

    def _add(self, device: Device) -> None:
        self.devices[device.ieee] = self._by_short[device.short] = device
        device.settle(self._shelf.find(device.make, device.model))

    def _keep(self, device: Device) -> None:
        self._reports.keep(device.key, device.kept())

    def _forget(self, device: Device) -> None:
        self.devices.pop(device.ieee, None)
        self._clearing.forget(device)
        self._by_node.pop(device.node, None)
        if self._by_short.get(device.short) is device:
            del self._by_short[device.short]
        self._reports.keep(device.key, None)

    # What the hub asks for

    def follow(self, known: OnLink) -> None:
        """Take up an admitted node."""
        device = self.devices.get(int(known.reach.get("ieee", "0"), 16))
        if device is None:
            return
        new = not device.node
        wires = {one.name for one in known.entities}
        more = not wires <= self._followed.get(known.node, wires)
        self._followed[known.node] = wires
        device.node = known.node
        self._by_node[known.node] = device
        if new and known.offer != device.offer():
            self._say_anew(device)
        if new:
            for wire in device.points:
                self._clearing.begin(device, wire)
        if new and self._stick.up is not None:
            self._reports.presence(known.node, here=True)
        # What it said before the hub had a place for it is lost: it is asked.
        if (new or more) and self._stick.up is not None:
            self._start(self._read_all(device))

    async def send(self, node: str, wanted: Sequence[Wanted]) -> None:
        """Have a node take values, and read back what it has made of them. Raises
        LinkError."""
        for one in wanted:
            device, point = self._point(node, one.name)
            self._read(
                device, await self._wherever(device, partial(self._write, device, point, one.value))
            )

    async def _write(self, device: Device, point: Point, value: float) -> Sequence[Point]:
        return await write(self._stick.radio, device, point, value)

    async def _wherever(self, device: Device, ask: Callable[[], Awaitable[T]]) -> T:
        """Ask a node; one that does not answer where it was is looked for, and asked
        there. Raises LinkError."""
        try:
            return await ask()
        except Unreachable:
            if device.sleepy or not await self._where.call(device):
                raise
            return await ask()

    async def _read_all(self, device: Device) -> None:
        if (
            not await read_all(self._stick, device)
            and not device.sleepy
            and await self._where.call(device)
        ):
            await read_all(self._stick, device)

    async def settings(self, node: str) -> dict[str, Any]:
        """How the node's own settings stand. Raises LinkError."""
        device = self._device(node)
        radio = self._stick.radio
        for point in device.points.values():
            if point.setting and not point.datapoint:
                found = await radio.read(
                    device.short,
                    point.endpoint,
                    point.cluster,
                    [point.attribute],
                    point.manufacturer,
                )
                device.attributes(point.endpoint, point.cluster, found, now_ms())
        return {wire: value for wire, value in device.told.items() if value is not None}

    async def set_setting(self, node: str, name: str, value: Any) -> None:
        """Change one of the node's own settings. Raises LinkError."""
        device, point = self._point(node, name)
        self._read(
            device, await self._wherever(device, partial(self._write, device, point, float(value)))
        )

    def way(self, known: OnLink) -> str:
        """Nodes speak over the stick's radio."""
        return "paired"

    async def remove(self, node: str) -> None:
        """Tell a node to leave, and forget it, also when it does not answer."""
        if (device := self._by_node.get(node)) is not None:
            await self._send_away(device)

    async def dismiss(self, thing_id: str) -> None:
        """An arrival was turned away: it is told to leave."""
        device = next((one for one in self.devices.values() if one.id == thing_id), None)
        if device is not None and not device.node:
            await self._send_away(device)

    async def _send_away(self, device: Device) -> None:
        up = self._stick.up
        if up is not None and not device.left:
            with contextlib.suppress(LinkError):
                await up.radio.network(
                    commands.leave(device.short, device.ieee), Outcome, device.short, GONE_S
                )
        if (task := self._interviews.pop(device.ieee, None)) is not None:
            task.cancel()
        self._forget(device)

    def pairing(self, is_open: bool) -> None:
        """Let nodes join while the window is open."""
        self._pairing = is_open
        if is_open and self._stick.up is not None:
            for device in [one for one in self.devices.values() if not one.node]:
                if device.known:
                    self._found(device)
                elif device.ieee not in self._interviews:
                    self._interview(device)
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
        found = [self._stick.check(len(self.devices))]
        if self._shelf.wrong:
            advice = "mend them; docs/node-profiles.md helps"
            found.append(Check("node profiles", "warning", "; ".join(self._shelf.wrong), advice))
        return found

    def info(self) -> dict[str, Any]:
        """What is known of the stick and its network."""
        return {**self._stick.info(), "nodes": len(self.devices)}

    def profile_of(self, node: str) -> tuple[Path, str, int]:
        """A node's profile: (its file, its text with what the node says and nothing
        names yet, how many those are).

        Raises LinkError.
        """
        device = self._device(node)
        path, text = self._shelf.file_for(device.make, device.model)
        return (
            path,
            draft(device.make, device.model, text, device.unnamed.values()),
            len(device.unnamed),
        )

    async def put_profile(self, node: str, text: str) -> Path:
        """Keep a text as the profile of a node's make and model, and take it up; where
        it is kept. Raises LinkError."""
        device = self._device(node)
        path = await asyncio.to_thread(self._shelf.put, device.make, device.model, text)
        self._settle_anew()
        return path

    def _device(self, node: str) -> Device:
        device = self._by_node.get(node)
        if device is None:
            raise Unreachable(f"{node} is not in the Zigbee network any more; let it join again")
        return device

    def _point(self, node: str, wire: str) -> tuple[Device, Point]:
        device = self._device(node)
        if (point := device.points.get(wire)) is None:
            raise LinkError(f"{node} has no {wire} any more; let it join again")
        return device, point

    async def _read_what_is_not_reported(self) -> None:
        """Nodes on mains are read now and then: a report may be lost, and some do not
        report at all."""
        while True:
            await asyncio.sleep(READ_EVERY_S)
            for device in list(self.devices.values()):
                if device.node and not device.sleepy and not device.left:
                    await self._read_all(device)
                if (
                    device.missing
                    and (device.node or self._pairing)
                    and device.ieee not in self._interviews
                ):
                    self._interview(device)

    def _read(self, device: Device, points: Sequence[Point]) -> None:
        self._start(read_points(self._stick, device, points))

    def _start(self, work: Coroutine[Any, Any, Any]) -> asyncio.Task[Any]:
        return self._work.start(work, name="a word with a Zigbee node")

    async def ask_again(self, thing_id: str) -> None:
        """Ask a node anew what it has. Raises LinkError."""
        device = next((one for one in self.devices.values() if one.id == thing_id), None)
        if device is None or self._stick.up is None:
            raise Unreachable(
                self.listening()
                if device is not None
                else "it is not in the Zigbee network any more"
            )
        self._interview(device)


def _nothing(*_: Any) -> None:
    pass
