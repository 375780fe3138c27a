"""The normative statements of MQTT 5 (OASIS, 7 March 2019) that bind a server and are
new or changed in it, by number."""

from __future__ import annotations

import pytest

from hombi.links.pace import BURST
from hombi.links.wifi.mqtt import connection as c
from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.decoding import MAX_PACKET
from hombi.links.wifi.mqtt.encoding import encode
from tests.links.door_rig import House, messages


def raw(text: str) -> bytes:
    return bytes.fromhex(text.replace(" ", ""))


@pytest.mark.parametrize(
    ("statement", "sent", "reason"),
    [
        ("1.5.4-1", "30 0a 00 07 72 61 63 6b 2f ff 62 00", 0x81),
        ("1.5.4-2", "30 0a 00 07 72 61 63 6b 2f 00 62 00", 0x81),
        (
            "1.5.5-1",
            "30 0b 00 07 72 61 63 6b 2f 61 62 80 00",
            0x81,
        ),  # property length 0 in two bytes
        ("2.1.3-1", "c1 00", 0x81),
        ("2.2.1-3", "32 0c 00 07 72 61 63 6b 2f 61 62 00 00 00", 0x82),
        ("2.2.2.2", "30 0c 00 07 72 61 63 6b 2f 61 62 02 7f 00", 0x81),  # no such property
        (
            "2.2.2.2",
            "30 0f 00 07 72 61 63 6b 2f 61 62 05 11 00 00 00 01",
            0x81,
        ),  # session expiry in a publish
        ("3.1.0-2", "10 0d 00 04 4d 51 54 54 05 02 00 3c 00 00 00", 0x82),
        ("3.3.1-4", "36 0c 00 07 72 61 63 6b 2f 61 62 00 01 00", 0x81),
        ("3.3.2-2", "30 09 00 06 72 61 63 6b 2f 2b 00", 0x90),
        ("3.3.2-8", "30 0d 00 07 72 61 63 6b 2f 61 62 03 23 00 00", 0x82),  # topic alias 0
        (
            "3.3.2-9",
            "30 0d 00 07 72 61 63 6b 2f 61 62 03 23 00 ff",
            0x94,
        ),  # beyond what was offered
        ("3.3.2.3.4", "30 06 00 00 03 23 00 05", 0x82),  # an alias that was never set
        ("3.3.2-14", "30 10 00 07 72 61 63 6b 2f 61 62 06 08 00 03 61 2f 2b", 0x82),
        ("3.3.4-6", "30 0c 00 07 72 61 63 6b 2f 61 62 02 0b 01", 0x82),
        (
            "3.3.2.3.2",
            "30 0e 00 07 72 61 63 6b 2f 61 62 04 01 01 01 00",
            0x82,
        ),  # payload format twice
        ("3.3.2.3.2", "30 0c 00 07 72 61 63 6b 2f 61 62 02 01 02", 0x82),  # payload format 2
        ("3.8.1-1", "80 0c 00 01 00 00 06 72 61 63 6b 2f 61 00", 0x81),
        ("3.8.3-2", "82 03 00 01 00", 0x82),
        ("3.8.3-4", "82 11 00 01 00 00 0b 24 73 68 61 72 65 2f 67 2f 61 62 04", 0x82),
        ("3.8.3-5", "82 0c 00 01 00 00 06 72 61 63 6b 2f 61 40", 0x81),
        ("3.8.3.1", "82 0c 00 01 00 00 06 72 61 63 6b 2f 61 30", 0x81),  # retain handling 3
        (
            "3.8.2.1.2",
            "82 0e 00 01 02 0b 00 00 06 72 61 63 6b 2f 61 00",
            0x82,
        ),  # subscription identifier 0
        ("3.10.3-2", "a2 03 00 01 00", 0x82),
        ("3.14.1-1", "e2 00", 0x81),
        ("3.15", "f0 00", 0x82),  # authentication without a method at the start
        ("4.13.1-1", "20 03 00 00 00", 0x82),  # a packet that only a server sends
        ("3.14.2.2.2", "e0 07 00 05 11 00 00 00 0a", 0x82),  # keeping a session that was to end
    ],
)
def test_what_is_forbidden_ends_with_a_disconnect_that_says_why(
    house: House, statement: str, sent: str, reason: int
) -> None:
    connection, wire = house.enter5("rack")
    wire.take()
    house.say(connection, raw(sent))
    assert wire.closed, statement
    (said,) = wire.take()
    assert isinstance(said, p.Disconnect), statement
    assert said.reason == reason, (statement, said)
    assert said.properties["reason"]
    assert house.host.heard == []


def test_3_1_2_2_a_later_version_is_told_0x84(house: House) -> None:
    _, wire = house.knock(raw("10 0d 00 04 4d 51 54 54 06 02 00 3c 00 00 00"), level=5)
    (said,) = wire.take()
    assert isinstance(said, p.Connack)
    assert (said.code, said.session_present) == (0x84, False)
    assert wire.closed


@pytest.mark.parametrize(
    ("statement", "connect", "code"),
    [
        ("3.2.2-7", p.Connect("c", 5, username="rack", password=b"wrong"), 0x86),
        (
            "3.1.4-2",
            p.Connect("c", 5, username="rack", password=b"right", will=p.Publish("mister/x", b"")),
            0x87,
        ),
        (
            "4.12.0-1",
            p.Connect("c", 5, username="rack", properties={"authentication_method": "SCRAM-SHA-1"}),
            0x8C,
        ),
    ],
)
def test_who_is_refused_hears_why_and_is_not_let_go_on(
    house: House, statement: str, connect: p.Connect, code: int
) -> None:
    _, wire = house.knock(encode(connect) + encode(p.Pingreq()), level=5)
    (said,) = wire.take()
    assert isinstance(said, p.Connack), statement
    assert (said.code, said.session_present) == (code, False)  # 3.2.2-6
    assert said.properties["reason"]
    assert wire.closed
    assert house.host.came == []


def test_3_2_2_the_connack_says_what_the_door_can(house: House) -> None:
    _, wire = house.enter5("rack", client="")
    said = wire.take()[0]
    assert isinstance(said, p.Connack)
    assert said.properties["receive_maximum"] == c.RECEIVE_MAXIMUM
    assert said.properties["topic_alias_maximum"] == c.ALIASES
    assert said.properties["maximum_packet_size"] == MAX_PACKET
    assert said.properties["shared_available"] == 0
    assert len(said.properties["assigned_client_id"]) == 16, "3.1.3-7, 3.2.2-16"


def test_3_1_2_4_to_6_clean_start_and_session_expiry(house: House) -> None:
    connection, _ = house.enter5("rack", session_expiry=60)
    house.say(connection, p.Subscribe(1, (("rack/in", 1),)))
    connection.close()
    _, wire = house.enter5("rack", clean=False, session_expiry=60, now=59)
    assert getattr(wire.take()[0], "session_present", None) is True, "3.1.2-5, 3.2.2-3"
    _, wire = house.enter5("rack", clean=True, session_expiry=60, now=60)
    assert getattr(wire.take()[0], "session_present", None) is False, "3.1.2-4, 3.2.2-2"


def test_3_1_2_23_a_session_is_kept_for_as_long_as_it_asked_and_no_longer(house: House) -> None:
    connection, _ = house.enter5("rack", session_expiry=60, now=0)
    connection.close()
    house.door.sweep(59)
    assert list(house.door._sessions) == ["rack\0c"]
    house.door.sweep(60)
    assert list(house.door._sessions) == []
    assert house.host.kept == {}


def test_3_14_2_2_2_leaving_may_set_another_expiry(house: House) -> None:
    connection, _ = house.enter5("rack", session_expiry=60)
    house.say(connection, p.Disconnect(0, {"session_expiry": 0}))
    assert list(house.door._sessions) == []


def test_3_1_2_24_and_25_nothing_larger_than_the_client_takes_is_sent(house: House) -> None:
    connection, wire = house.enter5("rack", maximum_packet_size=60)
    house.say(connection, p.Subscribe(1, (("rack/in", 1),)))
    wire.take()
    for number, payload in enumerate([b"x" * 100, b"small"], 1):
        house.say(connection, p.Publish("rack/in", payload, 1, packet_id=number))
    assert [m.payload for m in messages(wire)] == [b"small"]
    assert len(connection.session._inflight) == 1, "what was not sent does not fill the window"  # type: ignore[union-attr]


def test_3_1_2_29_no_reasons_in_words_for_who_does_not_want_them(house: House) -> None:
    connection, wire = house.enter5("rack", request_problem=0)
    wire.take()
    house.say(connection, raw("c1 00"))
    assert wire.take() == [p.Disconnect(0x81)]


def test_3_1_3_9_a_late_will_is_not_sent_when_the_client_is_back_in_time(house: House) -> None:
    will = p.Publish("rack/gone", b"bye", properties={"will_delay": 30})
    connection, _ = house.enter5("rack", will=will, session_expiry=300)
    connection.close()
    house.door.sweep(29)
    connection, _ = house.enter5("rack", clean=False, will=will, session_expiry=300, now=29.5)
    house.door.sweep(40)
    assert house.host.heard == []
    connection.close()
    house.door.sweep(69)
    assert house.host.heard == []
    house.door.sweep(70)
    assert [(m.topic, m.payload, dict(m.properties)) for _, m in house.host.heard] == [
        ("rack/gone", b"bye", {})
    ]


def test_3_1_3_2_2_the_end_of_the_session_brings_a_late_will_forward(house: House) -> None:
    connection, _ = house.enter5(
        "rack",
        will=p.Publish("rack/gone", b"bye", properties={"will_delay": 300}),
        session_expiry=10,
    )
    connection.close()
    house.door.sweep(10)
    assert [m.payload for _, m in house.host.heard] == [b"bye"]


def test_3_1_4_3_who_is_replaced_is_told_so(house: House) -> None:
    _, wire = house.enter5("rack")
    wire.take()
    house.enter5("rack")
    (said,) = wire.take()
    assert isinstance(said, p.Disconnect)
    assert said.reason == 0x8E


def test_3_1_2_22_who_is_silent_is_told_so(house: House) -> None:
    _, wire = house.enter5("rack")
    wire.take()
    house.door.sweep(16)
    (said,) = wire.take()
    assert isinstance(said, p.Disconnect)
    assert said.reason == 0x8D


def test_3_7_2_1_releasing_what_is_not_known_is_answered_with_0x92(house: House) -> None:
    connection, wire = house.enter5("rack")
    wire.take()
    house.say(connection, p.Pubrel(99))
    assert wire.take() == [p.Pubcomp(99, 0x92)]


def test_3_8_3_3_no_local_keeps_ones_own_messages_away(house: House) -> None:
    watcher, wire = house.enter5("rack")
    house.say(watcher, p.Subscribe(1, (("rack/t", 0x04),)))
    other, other_wire = house.enter5("rack", client="other")
    house.say(other, p.Subscribe(1, (("rack/t", 0),)))
    wire.take(), other_wire.take()
    house.say(watcher, p.Publish("rack/t", b"mine"))
    assert messages(wire) == []
    assert len(messages(other_wire)) == 1


def test_3_9_3_the_answer_to_a_subscribe_says_why_not(house: House) -> None:
    connection, wire = house.enter5("rack")
    wire.take()
    house.say(
        connection,
        p.Subscribe(5, (("rack/a", 2), ("mister/a", 0), ("rack/a+", 0), ("$share/g/rack/a", 0))),
    )
    assert wire.take() == [p.Suback(5, (1, 0x87, 0x8F, 0x9E))]


def test_3_11_3_the_answer_to_an_unsubscribe_says_whether_there_was_one(house: House) -> None:
    connection, wire = house.enter5("rack")
    house.say(connection, p.Subscribe(1, (("rack/a", 0),)))
    wire.take()
    house.say(connection, p.Unsubscribe(2, ("rack/a", "rack/b")))
    assert wire.take() == [p.Unsuback(2, (0, 0x11))]


def test_3_14_4_3_a_leave_with_0x04_still_sends_the_will(house: House) -> None:
    connection, _ = house.enter5("rack", will=p.Publish("rack/gone", b"bye"))
    house.say(connection, p.Disconnect(0x04))
    assert [m.payload for _, m in house.host.heard] == [b"bye"]


def test_3_14_the_door_says_that_it_closes(house: House) -> None:
    _, wire = house.enter5("rack")
    wire.take()
    house.door.close()
    assert wire.take() == [p.Disconnect(0x8B)]


def test_4_3_3_a_refused_qos_2_message_needs_no_release(house: House) -> None:
    connection, wire = house.enter5("rack")
    wire.take()
    house.say(connection, p.Publish("rack/t", b"1", 2, packet_id=4))
    house.host.waiting.pop()(0x99)
    assert wire.take() == [p.Pubrec(4, 0x99)]
    house.say(connection, p.Publish("rack/t", b"2", 2, packet_id=4))
    assert len(house.host.heard) == 2, "its identifier is free"


def test_sessions_outlive_the_hub_with_what_waits_in_them(house: House) -> None:
    connection, _ = house.enter5("watcher", session_expiry=600)
    house.say(connection, p.Subscribe(1, (("rack/t", 0x09),), {"subscription_id": 4}))
    connection.close()
    rack, _ = house.enter5("rack")
    properties = {"message_expiry": 60, "correlation": b"\xff", "user": (("a", "b"),)}
    house.say(rack, p.Publish("rack/t", b"1", 1, packet_id=1, properties=properties))
    after = House()
    after.door.restore(house.host.kept, 1000.0)
    _, wire = after.enter5("watcher", clean=False, session_expiry=600, now=1010.0)
    (message,) = messages(wire)
    assert dict(message.properties) == {**properties, "message_expiry": 50, "subscription_id": (4,)}
    after.say(
        after.enter5("rack", now=1011.0)[0], p.Publish("rack/t", b"2", 1, True, 1), now=1011.0
    )
    assert [m.retain for m in messages(wire)] == [True], "its options too"


def test_a_client_that_floods_is_read_more_slowly_and_loses_only_what_had_no_promise(
    house: House,
) -> None:
    connection, wire = house.enter5("rack")
    wire.take()
    sent = int(BURST) + 500
    for qos, heard in ((0, int(BURST)), (1, sent)):
        house.host.heard.clear()
        data = b"".join(
            encode(p.Publish("rack/t", b"", qos, packet_id=n + 1 if qos else 0), 5)
            for n in range(sent)
        )
        now, waits = 1000.0 * (qos + 1), 0
        wait = connection.receive(data, now)
        while wait is not None:
            now, waits = now + wait, waits + 1
            wait = connection.go_on(now)
            house.safe()
        assert len(house.host.heard) == heard
        assert waits >= heard / c.SLICE - 1, "others had their turn in between"
        house.door.sweep(now)
    assert "500 of QoS 0 were dropped" in house.host.problems[0]
    assert "read more slowly" in house.host.problems[1]
