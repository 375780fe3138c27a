"""A broker that the house has already (MQTT 3.1.1 or 5), over paho: each message is acknowledged when it is safe.

paho has a thread of its own. What it hears goes through a bounded queue into the hub's loop, which takes it in slices; the
broker's window (receive maximum) and its own queue bound what is on the way.
"""

from __future__ import annotations

import asyncio
import ssl
from collections import deque
from collections.abc import Callable
from functools import partial
from typing import Any

import paho.mqtt.client as paho
from paho.mqtt.enums import CallbackAPIVersion
from paho.mqtt.packettypes import PacketTypes
from paho.mqtt.properties import Properties

from hombi.links.base import BrokerSettings, Check, LinkError
from hombi.links.wifi.mqtt.topics import covers

WINDOW = 1_000
SESSION_S = 7 * 86_400
SLICE = 100
# Messages without a promise (QoS 0) that the loop has not taken yet; beyond it they are dropped and counted.
MAX_QUEUED = 20_000
Received = Callable[[str, bytes, int, bool, Callable[[], None]], None]


class Broker:
    """The connection to the broker, kept up until stopped. `received` and `changed` are called in the hub's loop."""

    def __init__(self, settings: BrokerSettings, client_id: str, received: Received, changed: Callable[[bool, str], None]) -> None:
        self.settings = settings
        self.connected = False
        self.problem = "it has not answered yet"
        self.dropped = 0
        self._received, self._changed = received, changed
        self._queue: deque[tuple[paho.MQTTMessage, int]] = deque()
        self._filters = set(settings.topics)
        self._scheduled = False
        self._connections = 0
        self._refused = False
        five = settings.version == "5"
        self._client = paho.Client(
            CallbackAPIVersion.VERSION2,
            client_id,
            protocol=paho.MQTTv5 if five else paho.MQTTv311,
            clean_session=None if five else False,
            # Set before connecting: what waits in the session comes right after the broker's answer.
            manual_ack=True,
        )
        self._client.max_inflight_messages_set(WINDOW)
        self._client.reconnect_delay_set(1, 30)
        if settings.user:
            self._client.username_pw_set(settings.user, settings.password or None)
        self._client.on_connect = self._on_connect
        self._client.on_disconnect = self._on_disconnect
        self._client.on_connect_fail = self._on_connect_fail
        self._client.on_message = self._on_message

    @property
    def address(self) -> str:
        """Where it is, in words."""
        return f"{self.settings.host}:{self.settings.port}"

    async def start(self) -> None:
        """Begin to connect; a broker that does not answer is tried again. Raises LinkError for certificates that do not load."""
        self._loop = asyncio.get_running_loop()
        if self.settings.tls is not None:
            files = self.settings.tls
            try:
                context = ssl.create_default_context(cafile=files.ca or None)
                if files.certificate:
                    context.load_cert_chain(files.certificate, files.key or None)
            except (OSError, ssl.SSLError) as error:
                raise LinkError(f"the broker's certificates cannot be loaded ({error}); look at [broker] in hombi.toml") from error
            self._client.tls_set_context(context)
        properties = None
        if self.settings.version == "5":
            properties = Properties(PacketTypes.CONNECT)  # type: ignore[no-untyped-call]
            properties.SessionExpiryInterval = SESSION_S
            properties.ReceiveMaximum = WINDOW
        extra: dict[str, Any] = {"clean_start": False, "properties": properties} if properties else {}
        self._client.connect_async(self.settings.host, self.settings.port, keepalive=30, **extra)
        self._client.loop_start()

    async def stop(self) -> None:
        """Leave the broker; its session stays, and with it what is not acknowledged."""
        self._client.disconnect()
        await asyncio.to_thread(self._client.loop_stop)
        self._queue.clear()

    def listen(self, name_filter: str) -> None:
        """Hear this topic too, unless that is so already."""
        if not any(covers(broad, name_filter) for broad in self._filters):
            self._filters.add(name_filter)
            if self.connected:
                self._client.subscribe(name_filter, qos=1)

    def publish(self, topic: str, payload: bytes, qos: int, retain: bool) -> None:
        """Send a message. Raises LinkError when the broker is away."""
        if not self.connected:
            raise LinkError(f"the broker at {self.address} is not connected ({self.problem})")
        self._client.publish(topic, payload, qos, retain)

    def check(self) -> Check:
        """How the connection is."""
        part = f"broker {self.address}"
        if not self.connected:
            return Check(part, "fault", f"not connected: {self.problem}", "see that it runs, and look at [broker] in hombi.toml")
        if self.dropped:
            said = f"{self.dropped} messages of QoS 0 were dropped"
            return Check(part, "warning", said, "something floods it; `hombi messages` shows what")
        return Check(part, "ok", f"connected, MQTT {self.settings.version}, listening to {', '.join(sorted(self._filters))}")

    # In paho's thread

    def _on_connect(self, client: paho.Client, _u: Any, _f: Any, reason: Any, _p: Any = None) -> None:
        self._refused = reason.is_failure
        if self._refused:
            self._tell(False, f"it refuses the hub: {reason}")
            return
        self._connections += 1  # here, not in the loop: messages follow at once, and count for this connection
        client.subscribe([(name, 1) for name in self._filters])
        self._tell(True, "")

    def _on_disconnect(self, _c: paho.Client, _u: Any, _f: Any, reason: Any, _p: Any = None) -> None:
        if not self._refused:  # then why is said already
            self._tell(False, f"the connection ended: {reason}")

    def _on_connect_fail(self, _c: paho.Client, _u: Any) -> None:
        self._tell(False, "nothing answers there")

    def _on_message(self, _c: paho.Client, _u: Any, message: paho.MQTTMessage) -> None:
        if message.qos == 0 and len(self._queue) >= MAX_QUEUED:
            self.dropped += 1
            return
        self._queue.append((message, self._connections))
        if not self._scheduled:
            self._scheduled = True
            self._call(self._drain)

    def _tell(self, connected: bool, why: str) -> None:
        self._call(partial(self._told, connected, why))

    def _call(self, what: Callable[[], None]) -> None:
        if not self._loop.is_closed():
            self._loop.call_soon_threadsafe(what)

    # In the hub's loop

    def _told(self, connected: bool, why: str) -> None:
        changed = (connected, why) != (self.connected, self.problem)
        self.connected, self.problem = connected, why
        if changed:
            self._changed(connected, why)

    def _drain(self) -> None:
        """Take one slice, then let the loop do other things."""
        try:
            for _ in range(min(SLICE, len(self._queue))):
                message, connection = self._queue.popleft()
                acknowledge = partial(self._safe, message.mid, message.qos, connection)
                self._received(message.topic, bytes(message.payload), message.qos, message.retain, acknowledge)
        finally:
            # Whatever became of one message, those behind it must not wait for ever. First the flag, then the look: the
            # other thread does it the other way round, so that one of the two sees what was added meanwhile.
            self._scheduled = False
            if self._queue:
                self._scheduled = True
                self._loop.call_soon(self._drain)

    def _safe(self, mid: int, qos: int, connection: int) -> None:
        """Acknowledge, unless it belongs to an earlier connection: the broker sends that one again."""
        if qos and connection == self._connections and self.connected:
            self._client.ack(mid, qos)
