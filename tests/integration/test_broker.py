"""A broker that the house has already: Debian's mosquitto, with a hub that listens
there."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.broker import Broker
from tests.certificates import Authority
from tests.conftest import make_service
from tests.house import Service, until

TEMPERATURE = {
    "via": "broker",
    "topic": "mill/{node}/state",
    "pointer": "/t",
    "kind": "temperature",
    "title": "Temperature",
}


@pytest.fixture(scope="module")
def broker(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Broker]:
    result = Broker(tmp_path_factory.mktemp("broker")).start()
    yield result
    result.stop()


@pytest.fixture(scope="module")
def service(broker: Broker, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Service]:
    result = make_service(tmp_path_factory.mktemp("hub"), HOMBI_ACTUATION_ANSWER_WITHIN="4 s")
    broker.name_to(result)
    result.start().sign_in_first()
    yield result
    result.stop()


def connected(service: Service) -> bool:
    with service.hub() as hub:
        return any(c.part.startswith("broker") and c.state == "ok" for c in hub.doctor())


def stored(service: Service, entity: str, start_ms: int) -> list[float]:
    with service.hub() as hub:
        return [r.value for r in hub.entities.readings(entity, start_ms)]


def picked(broker: Broker, service: Service, node: str) -> Any:
    """A board whose temperature is picked from what it publishes."""
    board = broker.client(node)
    board.publish(f"mill/{node}/state", '{"t": 17}', qos=1).wait_for_publish(30)
    with service.hub() as hub:
        until(lambda: hub.messages.list(topic=f"mill/{node}/state"))
        hub.messages.pick(**TEMPERATURE, nodes=[node])
    return board


@pytest.mark.parametrize(("version", "over"), [("3.1.1", "TCP"), ("5", "TLS")])
def test_a_value_at_the_broker_becomes_an_entity_and_is_set_there(
    tmp_path: Path, version: str, over: str
) -> None:
    broker = Broker(
        tmp_path / "broker", authority=Authority(tmp_path / "ca") if over == "TLS" else None
    ).start()
    service = make_service(tmp_path / "hub", HOMBI_ACTUATION_ANSWER_WITHIN="4 s")
    broker.name_to(service, version)
    service.start().sign_in_first()
    board = broker.client()
    try:
        until(lambda: connected(service))
        board.publish("mill/loft-fan/state", '{"fan":"OFF","t":21.5}', qos=1).wait_for_publish(30)
        with service.hub() as hub:
            until(
                lambda: (
                    [m.topic for m in hub.messages.list(topic="mill/#")] == ["mill/loft-fan/state"]
                )
            )
            (seen,) = hub.messages.list(topic="mill/#")
            assert (seen.via, seen.node, seen.payload) == ("broker", "", '{"fan":"OFF","t":21.5}')
            assert [(v.pointer, v.shown) for v in hub.messages.get(seen.number).values] == [
                ("/fan", "OFF"),
                ("/t", "21.5"),
            ]
            fan = {
                "via": "broker",
                "topic": "mill/{node}/state",
                "pointer": "/fan",
                "kind": "switch",
            }
            assert [(p.node, p.shown, p.problem) for p in hub.messages.preview(**fan)] == [
                ("loft-fan", "off", "")
            ]
            write = {"topic": "mill/{node}/set", "payload": '{"fan":"{ON|OFF}"}'}
            (made,) = hub.messages.pick(
                **fan, title="Fan", nodes=["loft-fan"], room="Loft", write=write
            )
            assert (made.entity, made.room, made.writable) == ("loft-fan/fan", "loft", True)

            def obey(client: object, user: object, message: object) -> None:
                board.publish("mill/loft-fan/state", message.payload, qos=1)  # type: ignore[attr-defined]

            board.on_message = obey
            board.subscribe("mill/loft-fan/set", qos=1)
            time.sleep(0.2)
            assert hub.entities.set("loft-fan/fan", "on").state == "confirmed"
            assert hub.entities.get("loft-fan/fan").shown == "on"
    finally:
        board.disconnect()
        board.loop_stop()
        service.stop()
        broker.stop()


def test_what_came_while_the_hub_was_away_is_there_afterwards(
    broker: Broker, service: Service
) -> None:
    until(lambda: connected(service))
    board = broker.client("herb-bed")
    board.publish("mill/herb-bed/state", '{"t": 20}', qos=1).wait_for_publish(30)
    with service.hub() as hub:
        until(lambda: hub.messages.list(topic="mill/herb-bed/state"))
        hub.messages.pick(**TEMPERATURE, at="/at", nodes=["herb-bed"], room="Terrace")
    service.stop()
    start = round(time.time()) - 5000
    infos = [
        board.publish("mill/herb-bed/state", json.dumps({"t": n / 100, "at": start + n}), qos=1)
        for n in reversed(range(2500))
    ]
    for info in infos:
        info.wait_for_publish(20)
    board.disconnect()
    board.loop_stop()
    service.start()
    until(lambda: len(stored(service, "herb-bed/temperature", start * 1000)) >= 2500)
    assert stored(service, "herb-bed/temperature", start * 1000) == [
        n / 100 for n in range(2500)
    ], "in the order of their times"


def test_a_broker_that_goes_is_said_and_comes_back_by_itself(
    broker: Broker, service: Service
) -> None:
    until(lambda: connected(service))
    broker.stop()
    with service.hub() as hub:
        until(
            lambda: any(
                f"127.0.0.1:{broker.port} is away" in need.text for need in hub.house().needs
            )
        )
        (check,) = [c for c in hub.doctor() if c.part == f"broker 127.0.0.1:{broker.port}"]
        assert (check.state, "not connected" in check.text) == ("fault", True)
        assert service.hombi("doctor").returncode == 1
        until(lambda: list(hub.journal(event="LinkTroubled")))
    broker.start()
    until(lambda: connected(service))
    assert "not connected" not in service.hombi("doctor").stdout


def test_what_a_broker_kept_is_shown_and_taken_for_no_reading(
    broker: Broker, service: Service
) -> None:
    until(lambda: connected(service))
    board = picked(broker, service, "kept")
    with service.hub() as hub:
        # Once at most: what is not acknowledged when the hub stops comes once more.
        board.publish("mill/kept/state", '{"t": 18}', qos=0, retain=True).wait_for_publish(30)
        until(lambda: hub.entities.get("kept/temperature").value == 18)
    began = round(time.time() * 1000)
    service.stop()
    service.start()
    until(lambda: connected(service))
    with service.hub() as hub:
        until(lambda: any(m.retained for m in hub.messages.list(topic="mill/kept/state")))
        assert stored(service, "kept/temperature", began) == []
    board.disconnect()
    board.loop_stop()


def test_a_message_larger_than_a_sensor_sends_is_said_and_not_looked_into(
    broker: Broker, service: Service
) -> None:
    until(lambda: connected(service))
    board = picked(broker, service, "vat")
    with service.hub() as hub:
        large = json.dumps({"t": 99, "x": "x" * 3_000_000})
        board.publish("mill/vat/state", large, qos=1).wait_for_publish(30)
        board.publish("mill/vat/state", '{"t": 18}', qos=1).wait_for_publish(30)
        until(lambda: hub.entities.get("vat/temperature").value == 18)
        assert 99 not in stored(service, "vat/temperature", 0)
        said = [one.text for one in hub.journal(node="vat")]
        assert any("has 2929 kB; the hub reads messages of up to 256 kB" in one for one in said), (
            said
        )
    board.disconnect()
    board.loop_stop()


def test_the_broker_can_be_named_while_the_hub_runs(broker: Broker, tmp_path: Path) -> None:
    service = make_service(tmp_path / "late").start()
    service.sign_in_first()
    try:
        with service.hub() as hub:
            assert not any(c.part.startswith("broker") for c in hub.doctor())
            broker.name_to(service)
            until(lambda: connected(service))
            (service.data / "hombi.toml").write_text(
                broker.table().replace("password =", "pasword =")
            )
            until(lambda: any("did you mean password" in c.text + c.advice for c in hub.doctor()))
            assert connected(service), "a mistake in the file changes nothing"
            (service.data / "hombi.toml").write_text("")
            until(lambda: not any(c.part.startswith("broker") for c in hub.doctor()))
    finally:
        service.stop()


def test_a_wrong_password_is_said_and_the_hub_serves_on(broker: Broker, tmp_path: Path) -> None:
    service = make_service(tmp_path / "wrong", HOMBI_BROKER_PASSWORD="wheel-pit")
    broker.name_to(service)
    service.start().sign_in_first()
    try:
        with service.hub() as hub:
            until(lambda: any("refuses the hub: not authorised" in c.text for c in hub.doctor()))
    finally:
        service.stop()


def test_a_press_that_waited_at_the_broker_starts_nothing(broker: Broker, service: Service) -> None:
    """Nobody knows when it was pressed; the next one acts."""
    board = broker.client("press-board")
    topic = "mill/press-board/button"
    board.publish(topic, '{"action":"double"}', qos=1).wait_for_publish(30)
    with service.hub() as hub:
        until(lambda: hub.messages.list(topic=topic))
        hub.messages.pick(
            via="broker", topic=topic, pointer="/action", kind="press", title="Button",
            nodes=["press-board"], name="Press board",
        )  # fmt: skip
        hub.automations.add(
            'name = "Bell"\n[watch]\nentity = "press-board/button"\nis = "double"\n'
            '[[starts]]\nnotify = "everyone"\ntitle = "Rung"\n'
        )

    def starts() -> int:
        with service.hub() as hub:
            return hub.automations.get("bell").started_lately

    board.publish(topic, '{"action":"double"}', qos=1).wait_for_publish(30)
    until(lambda: starts() == 1)
    service.stop()
    board.publish(topic, '{"action":"double"}', qos=1).wait_for_publish(30)
    board.publish(topic, '{"action":"double"}', qos=1, retain=True).wait_for_publish(30)
    service.start()
    with service.hub() as hub:
        # It came in, and is shown.
        until(lambda: len(hub.messages.list(topic=topic)) >= 2)
        assert len(stored(service, "press-board/button", 0)) == 1
    assert starts() == 1
    time.sleep(5.5)  # for so long, what comes may have waited
    board.publish(topic, '{"action":"double"}', qos=1).wait_for_publish(30)
    until(lambda: starts() == 2)
    board.publish(topic, '{"action":"\\u001b[2Jdouble"}', qos=1).wait_for_publish(30)
    board.publish(topic, '{"action":7}', qos=1).wait_for_publish(30)
    with service.hub() as hub:
        until(lambda: hub.nodes.get("press-board").refused >= 2)
    assert starts() == 2
