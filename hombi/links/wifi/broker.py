"""A broker that the house has already (MQTT 3.1.1 or 5): the connection to it is kept
up, and each message is acknowledged when it is safe. The broker's window (receive
maximum, in-flight messages) bounds what is on the way."""

from __future__ import annotations

import asyncio
import contextlib
import ssl
import time
from collections.abc import Callable

from hombi.core.outcome import Acknowledge, Outcome
from hombi.core.topics import covers
from hombi.links.base import Check, LinkError
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.client import Client, Refused
from hombi.links.wifi.mqtt.properties import NONE
from hombi.links.wifi.settings import BrokerSettings
from hombi.links.work import Work

WINDOW = 4_000
SESSION_S = 7 * 86_400
KEEP_ALIVE_S = 30
PAUSES_S = (1.0, 2.0, 5.0, 15.0, 30.0)
# For so long after connecting, what comes may have waited at the broker.
QUEUE_S = 5.0
# The pause after the hub could not take all that came.
FULL_S = 3.0
Received = Callable[[str, bytes, int, bool, Acknowledge], None]


class _Unusable(Exception):
    """The certificates for a connection to the broker cannot be used."""


class Broker:
    """The connection to the broker, made again and again until stopped. `changed` is
    told whether it stands, and why not."""

    def __init__(
        self,
        settings: BrokerSettings,
        client_id: str,
        received: Received,
        changed: Callable[[bool, str], None],
        work: Work,
    ) -> None:
        self.settings, self._work = settings, work
        self.connected = False
        self.problem = "it has not answered yet"
        self._received, self._changed = received, changed
        self._filters = set(settings.topics)
        self._client: Client | None = None
        self._unacknowledged: list[p.Publish] = []
        self._full = False
        self._begun_s = 0.0
        five = settings.version == "5"
        self._hello = p.Connect(
            client_id,
            5 if five else 4,
            clean=False,  # what came while the hub was away waits in the session
            keep_alive=KEEP_ALIVE_S,
            username=settings.user or None,
            password=settings.password.encode() if settings.user else None,
            properties={"session_expiry": SESSION_S, "receive_maximum": WINDOW} if five else NONE,
        )

    @property
    def catches_up(self) -> bool:
        """Whether what comes now may have waited while the hub was away."""
        return time.monotonic() - self._begun_s < QUEUE_S

    def is_at(self, host: str, port: int) -> bool:
        """Whether this is where it is."""
        return (host, port) == (self.settings.host, self.settings.port)

    @property
    def address(self) -> str:
        """Where it is, in words."""
        return f"{self.settings.host}:{self.settings.port}"

    async def start(self) -> None:
        """Begin to connect; a broker that does not answer is tried again, and so are
        certificates that do not load."""
        self._keeping = self._work.watch("the broker", self._keep_up)

    async def stop(self) -> None:
        """Leave the broker; its session stays, and with it what is not acknowledged."""
        self._keeping.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await self._keeping
        if self._client is not None:
            self._client.close()

    def listen(self, name_filter: str) -> None:
        """Hear this topic too, unless that is so already."""
        if not any(covers(broad, name_filter) for broad in self._filters):
            self._filters.add(name_filter)
            if self._client is not None:
                self._client.subscribe([name_filter])

    def publish(self, topic: str, payload: bytes, qos: int, retain: bool) -> None:
        """Send a message, at QoS 1 at most. Raises LinkError when the broker is
        away."""
        if self._client is None:
            raise LinkError(f"the broker at {self.address} is not connected ({self.problem})")
        self._client.publish(p.Publish(topic, payload, min(qos, 1), retain))

    def check(self) -> Check:
        """How the connection is."""
        part = f"broker {self.address}"
        if self._client is None:
            return Check(
                part,
                "fault",
                f"not connected: {self.problem}",
                "check that it is running, and look at [broker] in hombi.toml",
            )
        denied = [
            f"{what} {', '.join(topics)}"
            for what, topics in (
                ("hear", self._client.refused_filters),
                ("publish under", self._client.refused_topics),
            )
            if topics
        ]
        if denied:
            sentence = f"it does not let the hub {' or '.join(denied)}"
            advice = "give the hub's user the right to, or name other topics in [broker]"
            return Check(part, "warning", sentence, advice)
        return Check(
            part,
            "ok",
            f"connected, MQTT {self.settings.version}, listening to "
            f"{', '.join(sorted(self._filters))}",
        )

    async def _keep_up(self) -> None:
        failures = 0
        while True:
            self._begun_s = time.monotonic()
            try:
                tls = self._secured()
                client = await Client.connect(
                    self.settings.host, self.settings.port, tls, self._hello, self._heard
                )
            except _Unusable as error:
                self._tell(False, str(error))
            except Refused as error:
                self._tell(False, f"it refuses the hub: {error}")
            except TimeoutError:
                self._tell(False, "it does not answer")
            except (
                OSError,
                UnicodeError,
            ) as error:  # the latter for a host whose name cannot be one
                self._tell(False, f"it cannot be reached: {_plainly(error)}")
            else:
                failures = 0
                self._tell(True, "")
                self._begin(client)
                why = await client.ended
                self._client, self._unacknowledged = None, list(client.unacknowledged.values())
                self._tell(False, why)
            pause_s = PAUSES_S[min(failures, len(PAUSES_S) - 1)]
            await asyncio.sleep(max(pause_s, FULL_S) if self._full else pause_s)
            self._full = False
            failures += 1

    def _secured(self) -> ssl.SSLContext | None:
        """What the connection is secured with, read anew: files may have been mended.
        Raises _Unusable."""
        files = self.settings.tls
        if files is None:
            return None
        try:
            tls = ssl.create_default_context(cafile=files.ca or None)
            if files.certificate:
                tls.load_cert_chain(files.certificate, files.key or None)
        except (OSError, ssl.SSLError) as error:
            raise _Unusable(
                f"the broker's certificates cannot be loaded ({error}); look at [broker] in "
                f"hombi.toml"
            ) from error
        return tls

    def _begin(self, client: Client) -> None:
        self._begun_s = time.monotonic()
        self._client = client
        if self._full:  # what came with the answer to its greeting could not be taken
            client.end("the hub could not take all that it sent")
            return
        client.subscribe(sorted(self._filters))
        for message in self._unacknowledged:  # sent before, perhaps not heard [MQTT-4.4.0-1]
            client.publish(
                p.Publish(
                    message.topic, message.payload, message.qos, message.retain, duplicate=True
                )
            )
        self._unacknowledged = []

    def _heard(self, message: p.Publish, acknowledge: Callable[[], None]) -> None:
        client = self._client

        def answer(outcome: Outcome) -> None:
            if outcome is Outcome.LATER:
                # A broker takes any PUBACK for the end of a message, and sends again
                # what was not acknowledged once the hub has connected anew.
                if client is not None:
                    client.end("the hub could not take all that it sent")
                self._full = True
            else:
                acknowledge()

        self._received(message.topic, message.payload, message.qos, message.retain, answer)

    def _tell(self, connected: bool, why: str) -> None:
        changed = (connected, why) != (self.connected, self.problem)
        self.connected, self.problem = connected, why
        if changed:
            self._changed(connected, why)


def _plainly(error: OSError | UnicodeError) -> str:
    if isinstance(error, ssl.SSLCertVerificationError):
        return f"its certificate is not trusted: {error.verify_message}"
    return getattr(error, "strerror", None) or str(error) or type(error).__name__
