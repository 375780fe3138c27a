"""Messages as they are kept over a restart. A payload is kept once, however many
sessions it waits in; what is kept of it for each is a small row."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Callable, Mapping
from typing import Any

from hombi.links.wifi.mqtt.packets import Publish

BEGINNING = "payload/"
# A shorter payload is kept with its message.
SHORT = 128
Keep = Callable[[str, dict[str, Any] | None], None]


class Bodies:
    """Keeps messages by their keys, through `keep`, which takes plain data."""

    def __init__(self, keep: Keep) -> None:
        self._keep = keep
        self._payloads: dict[str, bytes] = {}
        self._owners: dict[str, set[str]] = {}
        self._of: dict[str, str] = {}

    def restore(self, kept: Mapping[str, dict[str, Any]]) -> None:
        """Take up the payloads that were kept."""
        for key, state in kept.items():
            if key.startswith(BEGINNING):
                self._payloads[key] = base64.b64decode(state["payload"])

    def restored(self) -> None:
        """All messages are taken up: what no message has need not be kept."""
        for key in self._payloads.keys() - self._owners.keys():
            del self._payloads[key]
            self._keep(key, None)

    def keep(self, owner: str, message: Publish, more: Mapping[str, Any]) -> int:
        """Keep a message under its key, with `more` beside it; about how many bytes are
        written for that."""
        state: dict[str, Any] = {"message": packed(message), **more}
        written = len(message.topic)
        if len(message.payload) <= SHORT:
            self._keep(owner, state)
            return written + len(message.payload)
        key = self._of.get(owner)
        if key is None:
            key = BEGINNING + hashlib.sha256(message.payload).hexdigest()
            if key not in self._owners:
                self._keep(key, {"payload": base64.b64encode(message.payload).decode()})
                self._payloads[key] = message.payload
                written += len(message.payload)
            self._owners.setdefault(key, set()).add(owner)
            self._of[owner] = key
        state["message"][1], state["payload"] = None, key
        self._keep(owner, state)
        return written

    def drop(self, owner: str) -> None:
        """A message need not be kept any longer."""
        self._keep(owner, None)
        key = self._of.pop(owner, None)
        if key is None:
            return
        self._owners[key].discard(owner)
        if not self._owners[key]:
            del self._owners[key], self._payloads[key]
            self._keep(key, None)

    def message(self, owner: str, kept: Mapping[str, Any]) -> Publish | None:
        """A message that was kept; None when its payload is lost."""
        key = kept.get("payload")
        if key is None:
            return unpacked(kept["message"])
        payload = self._payloads.get(key)
        if payload is None:
            return None
        self._owners.setdefault(key, set()).add(owner)
        self._of[owner] = key
        return unpacked(kept["message"], payload)


def packed(message: Publish) -> list[Any]:
    """A message as plain data."""
    properties = {
        name: base64.b64encode(value).decode() if isinstance(value, bytes) else value
        for name, value in message.properties.items()
    }
    payload = base64.b64encode(message.payload).decode()
    return [message.topic, payload, message.qos, message.packet_id, properties, message.retain]


def unpacked(kept: list[Any], payload: bytes | None = None) -> Publish:
    """What `packed` made into data, with its payload where that is kept apart."""
    topic, short, qos, packet_id, properties, retain = kept
    properties = dict(properties)
    if "correlation" in properties:
        properties["correlation"] = base64.b64decode(properties["correlation"])
    if "user" in properties:
        properties["user"] = tuple((name, value) for name, value in properties["user"])
    if "subscription_id" in properties:
        properties["subscription_id"] = tuple(properties["subscription_id"])
    payload = base64.b64decode(short) if payload is None else payload
    return Publish(topic, payload, qos, retain, packet_id, properties=properties)
