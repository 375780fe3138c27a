"""The hub at a broker that behaves badly: one of the test's own, that says what it is
told to say."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field

import pytest

from hombi.core.outcome import Acknowledge, Outcome
from hombi.links.wifi import broker as b
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.decoding import Reader
from hombi.links.wifi.mqtt.encoding import encode
from hombi.links.wifi.settings import BrokerSettings
from hombi.links.work import Work
from tests.links.told import PlainTasks


@dataclass
class Counter:
    """A broker's side: takes packets, and answers a connect with `code` and a subscribe
    with `granted`."""

    code: int = 0
    granted: int = 1
    acknowledges: bool = True
    published: int = 0
    level: int = 4
    port: int = 0
    heard: list[p.Packet] = field(default_factory=list)
    writers: list[asyncio.StreamWriter] = field(default_factory=list)

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.writers.append(writer)
        packets = Reader(level=self.level)
        with contextlib.suppress(ConnectionError):
            while data := await reader.read(65536):
                for packet in packets.feed(data):
                    self.heard.append(packet)
                    match packet:
                        case p.Connect():
                            self.say(p.Connack(self.code))
                        case p.Subscribe():
                            self.say(
                                p.Suback(
                                    packet.packet_id, tuple(self.granted for _ in packet.filters)
                                )
                            )
                        case p.Publish() if packet.qos and self.acknowledges:
                            self.say(p.Puback(packet.packet_id, self.published))
                        case p.Pingreq():
                            self.say(p.Pingresp())
        writer.close()

    def say(self, packet: p.Packet | bytes) -> None:
        self.writers[-1].write(packet if isinstance(packet, bytes) else encode(packet, self.level))

    def of(self, kind: type[p.Packet]) -> list[p.Packet]:
        return [one for one in self.heard if isinstance(one, kind)]


@dataclass
class Hub:
    """The hub's side."""

    broker: b.Broker
    messages: list[tuple[str, bytes, Callable[[], None]]]
    told: list[tuple[bool, str]]


@contextlib.asynccontextmanager
async def meeting(counter: Counter, **settings: object) -> AsyncIterator[Hub]:
    server = await asyncio.start_server(counter.serve, "127.0.0.1", 0)
    counter.port = server.sockets[0].getsockname()[1]
    version = "5" if counter.level == 5 else "3.1.1"
    result = BrokerSettings("127.0.0.1", counter.port, version=version, **settings)  # type: ignore[arg-type]
    hub = Hub(
        b.Broker(
            result,
            "hombi-test",
            lambda t, m, q, r, a: hub.messages.append((t, m, a)),
            lambda *how: hub.told.append(how),
            Work(PlainTasks()),
        ),
        [],
        [],
    )
    await hub.broker.start()
    try:
        yield hub
    finally:
        await hub.broker.stop()
        for writer in counter.writers:
            writer.close()
        server.close()


async def until(ask: Callable[[], object], within_s: float = 30) -> None:
    async with asyncio.timeout(within_s):
        while not ask():
            await asyncio.sleep(0.01)


async def test_a_message_is_acknowledged_when_the_hub_says_so_and_not_before() -> None:
    counter = Counter()
    async with meeting(counter, user="mill", password="sluice") as hub:
        await until(lambda: counter.of(p.Subscribe))
        (hello,) = counter.of(p.Connect)
        assert isinstance(hello, p.Connect)
        assert (hello.clean, hello.username, hello.password) == (False, "mill", b"sluice")
        for number in (1, 2, 3):
            counter.say(p.Publish("mill/t", b"%d" % number, 1, packet_id=number))
        await until(lambda: len(hub.messages) == 3)
        await asyncio.sleep(0.05)
        assert counter.of(p.Puback) == []
        hub.messages[1][2](Outcome.SAFE)
        await until(lambda: counter.of(p.Puback) == [p.Puback(2)])


async def test_after_a_break_nothing_old_is_acknowledged_and_what_was_not_heard_is_said_again(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(b, "PAUSES_S", (0.01,))
    counter = Counter(acknowledges=False)
    async with meeting(counter) as hub:
        await until(lambda: counter.of(p.Subscribe))
        counter.say(p.Publish("mill/t", b"1", 1, packet_id=7))
        await until(lambda: hub.messages)
        hub.broker.publish("mill/lamp/set", b"ON", 2, False)
        await until(lambda: counter.of(p.Publish))
        counter.writers[-1].close()
        await until(lambda: len(counter.of(p.Subscribe)) == 2)
        hub.messages[0][2](Outcome.SAFE)  # belongs to the connection before
        await until(lambda: len(counter.of(p.Publish)) == 2)
        first, again = counter.of(p.Publish)
        assert isinstance(first, p.Publish)
        assert isinstance(again, p.Publish)
        assert (first.qos, first.duplicate, again.duplicate, again.payload) == (
            1,
            False,
            True,
            b"ON",
        )
        await asyncio.sleep(0.05)
        assert counter.of(p.Puback) == []
        assert [connected for connected, _ in hub.told] == [True, False, True]


@pytest.mark.parametrize(
    ("code", "said"),
    [
        (4, "bad user name or password"),
        (5, "not authorised"),
        (3, "it is not available"),
        (99, "reason 0x63"),
    ],
)
async def test_a_refusal_is_told_in_words(code: int, said: str) -> None:
    async with meeting(Counter(code=code)) as hub:
        await until(lambda: hub.told)
        assert hub.told[0] == (False, f"it refuses the hub: {said}")
        assert said in hub.broker.check().text


async def test_a_right_that_is_missing_is_named() -> None:
    async with meeting(Counter(granted=0x80), topics=("mill/#",)) as hub:
        await until(lambda: hub.broker.check().state == "warning")
        assert hub.broker.check().text == "it does not let the hub hear mill/#"


async def test_a_right_to_publish_that_is_missing_is_named() -> None:
    counter = Counter(published=0x87, level=5)
    async with meeting(counter, topics=("mill/#",)) as hub:
        await until(lambda: counter.of(p.Subscribe))
        hub.broker.publish("mill/lamp/want", b"1", 1, False)
        await until(lambda: hub.broker.check().state == "warning")
        assert "it does not let the hub publish under mill/lamp/want" in hub.broker.check().text


async def test_what_is_no_mqtt_ends_the_connection_and_it_is_tried_again(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(b, "PAUSES_S", (0.01,))
    counter = Counter()
    async with meeting(counter) as hub:
        await until(lambda: counter.of(p.Subscribe))
        counter.say(b"\x00\x00HTTP/1.1 400")
        await until(lambda: len(counter.of(p.Subscribe)) == 2)
        assert any("it sent what is not MQTT" in why for _, why in hub.told)


async def test_a_broker_that_falls_silent_is_left() -> None:
    class Mute(Counter):
        def say(self, packet: p.Packet | bytes) -> None:
            if not isinstance(packet, p.Pingresp):
                super().say(packet)

    counter = Mute()
    server = await asyncio.start_server(counter.serve, "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]
    ended = await _client(port, keep_alive=1)
    assert ended == "it does not answer any more"
    for writer in counter.writers:
        writer.close()
    server.close()


async def _client(port: int, keep_alive: int) -> str:
    from hombi.links.wifi.mqtt.client import Client

    hello = p.Connect("x", keep_alive=keep_alive)
    client = await Client.connect("127.0.0.1", port, None, hello, lambda *_: None)
    return await asyncio.wait_for(client.ended, 30)


async def test_one_message_that_fails_does_not_hold_up_those_behind_it() -> None:
    counter, taken = Counter(), list[str]()

    def take(
        topic: str, payload: bytes, qos: int, retained: bool, acknowledge: Acknowledge
    ) -> None:
        taken.append(topic)
        if topic == "bad":
            raise ValueError(topic)

    server = await asyncio.start_server(counter.serve, "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]
    asyncio.get_running_loop().set_exception_handler(lambda *_: None)
    broker = b.Broker(
        BrokerSettings("127.0.0.1", port, version="3.1.1"),
        "x",
        take,
        lambda *_: None,
        Work(PlainTasks()),
    )
    await broker.start()
    await until(lambda: counter.of(p.Subscribe))
    counter.say(
        b"".join(encode(p.Publish(topic, b"", 0)) for topic in ("good", "bad", "better", "best"))
    )
    await until(lambda: taken == ["good", "bad", "better", "best"])
    counter.say(p.Publish("later", b""))
    await until(lambda: taken[-1] == "later")
    await broker.stop()
    for writer in counter.writers:
        writer.close()
    server.close()
