"""MQTT 5, chapter 3.3: what is published, retained and sent on."""

from __future__ import annotations

import pytest

from hombi.links.wifi.mqtt import connection as c
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.encoding import encode
from tests.links.door_rig import House, Wire, messages


def watching(house: House, *filters: tuple[str, int], **said: object) -> tuple[c.Connection, Wire]:
    watcher, wire = house.enter5("watcher", client="w")
    house.say(watcher, p.Subscribe(1, filters, said))
    wire.take()
    return watcher, wire


@pytest.mark.parametrize(
    ("statement", "handling", "first", "again"),
    [("3.3.1-9", 0, 1, 1), ("3.3.1-10", 1, 1, 0), ("3.3.1-11", 2, 0, 0)],
)
def test_retained_messages_are_sent_as_the_subscription_asks(
    house: House, statement: str, handling: int, first: int, again: int
) -> None:
    house.say(house.enter5("rack")[0], p.Publish("rack/t", b"kept", retain=True))
    watcher, wire = house.enter5("watcher", client="w")
    for expected in (first, again):
        wire.take()
        house.say(watcher, p.Subscribe(1, (("rack/t", handling << 4),)))
        assert len(messages(wire)) == expected, statement


@pytest.mark.parametrize(
    ("statement", "options", "retain"), [("3.3.1-12", 0x00, False), ("3.3.1-13", 0x08, True)]
)
def test_retain_is_shown_to_who_asks_to_see_it(
    house: House, statement: str, options: int, retain: bool
) -> None:
    _, wire = watching(house, ("rack/t", options))
    house.say(house.enter5("rack")[0], p.Publish("rack/t", b"1", retain=True))
    assert [m.retain for m in messages(wire)] == [retain], statement


def test_3_3_2_what_belongs_to_the_message_is_passed_on_unchanged(house: House) -> None:
    _, wire = watching(house, ("rack/t", 0))
    properties = {
        "payload_format": 1,
        "content_type": "application/senml+json",
        "response_topic": "rack/answers",
        "correlation": b"\x00\x01",
        "user": (("a", "1"), ("b", "2"), ("a", "3")),
    }
    house.say(
        house.enter5("rack")[0],
        p.Publish("rack/t", b"1", properties={**properties, "topic_alias": 3}),
    )
    (passed_on,) = messages(wire)
    assert dict(passed_on.properties) == properties, (
        "3.3.2-4, -15, -16, -17, -18, -20; the alias is the sender's own"
    )


def test_3_3_2_5_and_6_a_message_that_waits_grows_old(house: House) -> None:
    connection, _ = house.enter5("watcher", session_expiry=600)
    house.say(connection, p.Subscribe(1, (("rack/t", 1),)))
    connection.close()
    rack, _ = house.enter5("rack")
    for number, expiry in enumerate((10, 60), 1):
        house.say(
            rack,
            p.Publish(
                "rack/t", b"%d" % expiry, 1, packet_id=number, properties={"message_expiry": expiry}
            ),
        )
    _, wire = house.enter5("watcher", clean=False, session_expiry=600, now=20)
    assert [(m.payload, m.properties["message_expiry"]) for m in messages(wire)] == [(b"60", 40)]


def test_3_3_2_5_a_retained_message_expires_too(house: House) -> None:
    house.say(
        house.enter5("rack")[0],
        p.Publish("rack/t", b"1", retain=True, properties={"message_expiry": 5}),
    )
    house.door.sweep(4)
    assert [m.properties["message_expiry"] for m in house.door.retained_under("rack/t")] == [1]
    house.door.sweep(6)
    assert house.door.retained_under("rack/t") == []


def test_3_3_2_12_aliases_stand_for_their_topics_and_3_3_2_7_only_in_their_connection(
    house: House,
) -> None:
    connection, _ = house.enter5("rack")
    house.say(connection, p.Publish("rack/t", b"1", properties={"topic_alias": c.ALIASES}))
    house.say(connection, p.Publish("", b"2", properties={"topic_alias": c.ALIASES}))
    house.say(connection, p.Publish("rack/u", b"3", properties={"topic_alias": c.ALIASES}))
    house.say(connection, p.Publish("", b"4", properties={"topic_alias": c.ALIASES}))
    assert [m.topic for _, m in house.host.heard] == ["rack/t", "rack/t", "rack/u", "rack/u"]
    again, wire = house.enter5("rack")
    house.say(again, p.Publish("", b"5", properties={"topic_alias": c.ALIASES}))
    assert wire.closed


def test_3_3_4_3_to_5_one_copy_with_the_numbers_of_all_its_subscriptions(house: House) -> None:
    watcher, wire = watching(house, ("rack/#", 0), subscription_id=7)
    house.say(watcher, p.Subscribe(2, (("rack/t", 1),), {"subscription_id": 300}))
    house.say(watcher, p.Subscribe(3, (("+/t", 0),)))
    wire.take()
    house.say(house.enter5("rack")[0], p.Publish("rack/t", b"1", 1, packet_id=1))
    (message,) = messages(wire)
    assert message.qos == 1
    assert sorted(message.properties["subscription_id"]) == [7, 300]


def test_3_3_4_7_who_sends_more_at_once_than_was_offered_is_disconnected(house: House) -> None:
    connection, wire = house.enter5("rack")
    wire.take()
    data = b"".join(
        encode(p.Publish("rack/t", b"", 2, packet_id=n), 5) for n in range(1, c.RECEIVE_MAXIMUM + 2)
    )
    wait, now = connection.receive(data, 1000.0), 1000.0
    while wait is not None:
        now += wait
        wait = connection.go_on(now)
    (said,) = wire.take()
    assert isinstance(said, p.Disconnect)
    assert said.reason == 0x93


def test_3_3_4_9_no_more_is_sent_at_once_than_the_client_takes(house: House) -> None:
    connection, wire = house.enter5("rack", receive_maximum=2)
    house.say(connection, p.Subscribe(1, (("rack/in", 1),)))
    wire.take()
    house.say(connection, *(p.Publish("rack/in", b"%d" % n, 1, packet_id=n) for n in range(1, 6)))
    assert [m.payload for m in messages(wire)] == [b"1", b"2"]
    house.say(connection, p.Puback(1))
    assert [m.payload for m in messages(wire)] == [b"3"]


def test_3_4_2_1_a_message_that_is_not_allowed_is_answered_and_nothing_else_ends(
    house: House,
) -> None:
    connection, wire = house.enter5("rack")
    wire.take()
    house.say(
        connection,
        p.Publish("mister/t", b"1", 1, packet_id=3),
        p.Publish("mister/t", b"1", 2, packet_id=4),
    )
    assert wire.take() == [p.Puback(3, 0x87), p.Pubrec(4, 0x87)]
    assert not wire.closed
    assert house.host.heard == []
