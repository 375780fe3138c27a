"""Who owns the MQTT listener: signs accounts in, and takes what nodes publish under
their own topics."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from typing import Any

from hombi.links.base import Clock, Heard, Keys, OwnReports
from hombi.links.wifi.mqtt.contract import Acknowledge, Rights
from hombi.links.wifi.mqtt.packets import Publish
from hombi.links.wifi.packs import Packs
from hombi.links.wifi.rights import MqttAccountRights, NodeRights
from hombi.links.work import Work


class DoorHost:
    """The door's host. `foreign` gets what others than nodes publish; `asked_under`
    says which nodes are asked something under the topics of a filter."""

    def __init__(
        self,
        reports: OwnReports,
        keys: Keys,
        clock: Clock,
        foreign: Callable[[str, Publish, Acknowledge], None],
        asked_under: Callable[[str], set[str]],
        work: Work,
    ) -> None:
        self._asked_under = asked_under
        self._packs = Packs(reports, work)
        self._reports, self._keys, self._clock = reports, keys, clock
        self._foreign = foreign

    def sign_in(self, username: str | None, password: bytes | None) -> Rights | None:
        if username is None or password is None:
            return None
        secret = password.decode(errors="replace")
        if self._keys.fits(username, secret):
            return NodeRights(username)
        filters = self._keys.account(username, secret)
        return (
            MqttAccountRights(username, tuple(filters[0]), tuple(filters[1]))
            if filters is not None
            else None
        )

    def published(self, rights: Rights, message: Publish, acknowledge: Acknowledge) -> None:
        if not isinstance(rights, NodeRights):
            self._foreign(rights.account, message, acknowledge)
            return
        node = rights.account
        if message.topic.endswith("/readings"):
            self._packs.came(node, message.payload, self._clock.now_ms(), acknowledge)
        else:
            if message.payload == b"gone":
                self._reports.presence(node, here=False)
            acknowledge()
        # Who looks on at the messages sees it a moment later than who acts on it.
        self._reports.heard(Heard("door", message.topic, message.payload, node, node, message.qos))

    def connected(self, rights: Rights) -> None:
        if isinstance(rights, NodeRights):
            self._reports.presence(rights.account, here=True)

    def disconnected(self, rights: Rights) -> None:
        if isinstance(rights, NodeRights):
            self._reports.presence(rights.account, here=False)

    def subscribed(self, rights: Rights, name_filter: str) -> None:
        nodes = self._asked_under(name_filter)
        if isinstance(rights, NodeRights):
            nodes = nodes | {rights.account}
        for node in nodes:
            self._reports.listens(node)

    def keep(self, key: str, state: dict[str, Any] | None) -> None:
        self._reports.keep(
            key, state if state is None else {**state, "kept_at": round(time.time())}
        )

    def when_kept(self, call: Callable[[], None]) -> None:
        self._reports.when_kept(call)

    def turned_away(self, account: str, why: str) -> None:
        self._reports.refused(account, f"MQTT: {why}")


def with_what_is_left(kept: Mapping[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """What the door had kept; a message that expires has less time left by how long ago
    that was."""
    now, result = time.time(), {}
    for key, state in kept.items():
        left = state.get("left")
        gone = max(0.0, now - state.get("kept_at", now))
        result[key] = state if left is None else {**state, "left": max(0.0, left - gone)}
    return result
