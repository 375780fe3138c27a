"""What nodes say: frames to readings, and the answers that nodes wait for."""

from __future__ import annotations

import asyncio
import contextlib
import time
from collections.abc import Callable
from typing import Any

from hombi.links.base import Heard, Reports
from hombi.links.zigbee import tunnel, zcl
from hombi.links.zigbee.commands import Incoming
from hombi.links.zigbee.device import Device, now_ms
from hombi.links.zigbee.errors import CodecError
from hombi.links.zigbee.interview import enrolled
from hombi.links.zigbee.points import IAS_ZONE, POLL_CONTROL, Point
from hombi.links.zigbee.presses import PANEL, answer_of_panel
from hombi.links.zigbee.raw import in_words
from hombi.links.zigbee.replies import ENROL_REQUEST, answer, need_not_stay_awake
from hombi.links.zigbee.roster import Roster
from hombi.links.zigbee.stick import Stick
from hombi.links.zigbee.whereabouts import Clearing

ZONE_CHANGED, CHECK_IN = 0x00, 0x00
FLOODS_EVERY_S = 1.0


class Hearing:
    """What is heard. `woke` is told of an admitted node first, before its values are
    taken."""

    def __init__(
        self,
        link: str,
        reports: Reports,
        stick: Stick,
        roster: Roster,
        woke: Callable[[Device], None],
    ) -> None:
        self._link, self._reports, self._stick = link, reports, stick
        self._roster, self._woke = roster, woke
        self.clearing = Clearing(self._over)

    async def report_floods(self) -> None:
        """Say which nodes send more than is taken, for ever."""
        while True:
            await asyncio.sleep(FLOODS_EVERY_S)
            for device in self._roster.devices.values():
                if device.pace.dropped and device.node:
                    what = (
                        f"it sends more than {device.pace.rate:.0f} frames a second; "
                        f"{device.pace.dropped} were dropped"
                    )
                    self._reports.refused(device.node, what)
                device.pace.dropped = 0

    def take(self, message: Incoming) -> None:
        """What a node said whose address is sure, or as sure as it will be."""
        device = self._roster.at(message.source)
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
                    self._link,
                    topic,
                    in_words(message.cluster, frame, tunnels=device.tunnels(message.cluster)),
                    node=device.node,
                )
            )
            values = self._values(device, message, frame)
        except CodecError as error:
            self._refused(device, message, str(error))
            status = zcl.Status.MALFORMED
        with contextlib.suppress(CodecError):
            tunnels = device.tunnels(message.cluster)
            sends = device.sends(message.endpoint, message.cluster)
            said = answer(message, frame, tunnels=tunnels, sends=sends, status=status)
            if said is not None:
                self._reply(message, said)
        if not device.node:
            return
        self._woke(device)
        self._reports.alive(device.node)
        self.clearing.reported(device, {value.name for value in values})
        device.unread -= {value.name for value in values}
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
            attributes, broken = zcl.read_records(frame.payload, answers=answers)
            if broken is not None:
                self._refused(device, message, broken.what)
            values: list[Any] = []
            for attribute in attributes:  # what is wrong with one record is that record's affair
                try:
                    values += device.attributes(
                        endpoint, cluster, [attribute], at, frame.manufacturer, asked=answers
                    )
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
        if device.tunnels(cluster) and frame.command in (tunnel.ANSWER, tunnel.TELL):
            return device.tunnelled(endpoint, cluster, tunnel.decode(frame.payload)[1], at)
        if not frame.from_server and device.sends(endpoint, cluster):
            if cluster == PANEL and (told := answer_of_panel(frame)) is not None:
                self._reply(message, told)
            return device.pressed(endpoint, cluster, frame, at)
        if cluster == POLL_CONTROL and frame.from_server and frame.command == CHECK_IN:
            self._reply(message, need_not_stay_awake(frame))
        return []

    def _reply(self, message: Incoming, frame: zcl.Zcl) -> None:
        if self._stick.up is not None:
            self._stick.up.radio.reply(message, frame)
