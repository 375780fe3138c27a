"""The normative statements of MQTT 3.1.1 (OASIS, 29 October 2014) that bind a server,
each by its number."""

from __future__ import annotations

import pytest

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt.encoding import encode
from tests.links.door_rig import House


def raw(text: str) -> bytes:
    return bytes.fromhex(text.replace(" ", ""))


# A client that is in sends these bytes, and the connection must be closed (4.8.0-1 for
# all of them).
@pytest.mark.parametrize(
    ("statement", "sent"),
    [
        ("1.5.3-1", "30 05 00 03 61 ff 62"),  # ill-formed UTF-8 in a topic
        ("1.5.3-1", "30 05 00 03 ed a0 80"),  # half of a surrogate pair
        ("1.5.3-2", "30 05 00 03 61 00 62"),  # U+0000 in a topic
        ("2.2.2-2", "c1 00"),  # a ping with flags
        ("2.2.2-2", "e1 00"),  # a disconnect with flags
        ("2.3.1-1", "32 0b 00 07 72 61 63 6b 2f 61 62 00 00"),  # QoS 1, identifier 0
        ("3.1.0-2", "10 0c 00 04 4d 51 54 54 04 02 00 3c 00 00"),  # a second connect
        ("3.3.1-2", "38 09 00 07 72 61 63 6b 2f 61 62"),  # duplicate at QoS 0
        ("3.3.1-4", "36 0b 00 07 72 61 63 6b 2f 61 62 00 01"),  # QoS 3
        ("3.3.2-2", "30 08 00 06 72 61 63 6b 2f 2b"),  # rack/+
        ("3.3.2-2", "30 08 00 06 72 61 63 6b 2f 23"),  # rack/#
        ("3.6.1-1", "60 02 00 01"),  # a release without its flag
        ("3.8.1-1", "80 0b 00 01 00 06 72 61 63 6b 2f 61 00"),  # a subscribe without its flag
        ("3.8.3-3", "82 02 00 01"),  # a subscribe that names nothing
        ("3-8.3-4", "82 0b 00 01 00 06 72 61 63 6b 2f 61 03"),  # a subscribe at QoS 3
        ("3-8.3-4", "82 0b 00 01 00 06 72 61 63 6b 2f 61 04"),  # reserved bits of its options
        ("3.10.1-1", "a0 0a 00 01 00 06 72 61 63 6b 2f 61"),  # an unsubscribe without its flag
        ("3.10.3-2", "a2 02 00 01"),  # an unsubscribe that names nothing
        ("3.14.1-1", "e2 00"),
        ("4.7.3-1", "30 02 00 00"),  # an empty topic
        ("4.8.0-1", "f0 00"),  # a packet type that 3.1.1 does not have
        ("4.8.0-1", "20 02 00 00"),  # a packet that only a server sends
    ],
)
def test_what_is_forbidden_closes_the_connection(house: House, statement: str, sent: str) -> None:
    connection, wire = house.enter("rack")
    house.say(connection, raw(sent))
    assert wire.closed, statement
    assert house.host.heard == []


@pytest.mark.parametrize(
    ("statement", "sent"),
    [
        ("3.1.0-1", "c0 00"),
        ("3.1.2-1", "10 0c 00 04 4d 51 54 58 04 02 00 3c 00 00"),
        ("3.1.2-3", "10 0c 00 04 4d 51 54 54 04 03 00 3c 00 00"),
        ("3.1.2-11", "10 0c 00 04 4d 51 54 54 04 0a 00 3c 00 00"),
        ("3.1.2-13", "10 0c 00 04 4d 51 54 54 04 12 00 3c 00 00"),
        ("3.1.2-14", "10 13 00 04 4d 51 54 54 04 1e 00 3c 00 00 00 03 61 2f 77 00 00"),
        ("3.1.2-15", "10 0c 00 04 4d 51 54 54 04 22 00 3c 00 00"),
        ("3.1.2-22", "10 0e 00 04 4d 51 54 54 04 42 00 3c 00 00 00 00"),
        ("3.1.3-3", "10 0a 00 04 4d 51 54 54 04 02 00 3c"),
    ],
)
def test_who_does_not_connect_as_the_standard_says_stays_out(
    house: House, statement: str, sent: str
) -> None:
    _, wire = house.knock(raw(sent))
    assert wire.closed, statement
    assert house.host.came == []


def test_3_1_2_2_an_unknown_level_is_answered_with_code_1(house: House) -> None:
    _, wire = house.knock(raw("10 0c 00 04 4d 51 54 54 03 02 00 3c 00 00"))
    assert wire.take() == [p.Connack(1)]
    assert wire.closed


def test_3_1_2_4_and_3_2_2_2_a_session_that_is_kept_is_resumed_and_said_to_be_there(
    house: House,
) -> None:
    connection, _ = house.enter("rack", clean=False)
    house.say(connection, p.Subscribe(1, (("rack/in", 1),)))
    connection.close()
    watcher, _ = house.enter("rack", client="other")
    house.say(watcher, p.Publish("rack/in", b"1", 1, packet_id=1))
    _, wire = house.enter("rack", clean=False)
    assert wire.take() == [p.Connack(0, True), p.Publish("rack/in", b"1", 1, packet_id=1)]


def test_3_1_2_6_and_3_2_2_1_a_clean_session_begins_with_nothing(house: House) -> None:
    connection, _ = house.enter("rack", clean=False)
    house.say(connection, p.Subscribe(1, (("rack/in", 1),)))
    connection.close()
    _, wire = house.enter("rack", clean=True)
    assert wire.take() == [p.Connack(0, False)]
    house.say(house.enter("rack", client="other")[0], p.Publish("rack/in", b"1"))
    assert wire.take() == []


def test_3_1_2_8_the_will_is_published_when_the_connection_is_lost(house: House) -> None:
    watcher, wire = house.enter("watcher")
    house.say(watcher, p.Subscribe(1, (("rack/#", 1),)))
    connection, _ = house.enter("rack", will=p.Publish("rack/gone", b"bye", 1))
    wire.take()
    connection.close()
    assert wire.take() == [p.Publish("rack/gone", b"bye", 1, packet_id=1)]


@pytest.mark.parametrize(("statement", "retain"), [("3.1.2-16", False), ("3.1.2-17", True)])
def test_the_will_is_retained_as_it_asks(house: House, statement: str, retain: bool) -> None:
    connection, _ = house.enter("rack", will=p.Publish("rack/gone", b"bye", 0, retain))
    connection.close()
    assert bool(house.door.retained_under("rack/gone")) is retain, statement


def test_3_1_2_10_and_3_14_4_3_who_takes_leave_leaves_no_will(house: House) -> None:
    connection, wire = house.enter("rack", will=p.Publish("rack/gone", b"bye"))
    house.say(connection, p.Disconnect())
    assert wire.closed
    assert house.host.heard == []


def test_3_1_2_24_silence_of_one_and_a_half_keep_alives_closes(house: House) -> None:
    connection, wire = house.enter("rack")  # keep-alive 10 s, last heard at 0
    house.door.sweep(14.9)
    assert not wire.closed
    house.say(connection, p.Pingreq(), now=14.9)
    house.door.sweep(29.8)
    assert not wire.closed
    house.door.sweep(30.0)
    assert wire.closed


def test_3_1_3_8_no_identifier_and_a_session_to_keep_is_refused_with_code_2(house: House) -> None:
    _, wire = house.knock(p.Connect("", clean=False, username="rack", password=b"right"))
    assert wire.take() == [p.Connack(2)]
    assert wire.closed


def test_3_1_3_6_no_identifier_and_a_clean_session_is_taken_each_as_a_client_of_its_own(
    house: House,
) -> None:
    _, one = house.enter("rack", client="")
    _, two = house.enter("rack", client="")
    assert not one.closed
    assert not two.closed


def test_3_1_4_2_the_same_identifier_again_ends_the_earlier_connection(house: House) -> None:
    _, one = house.enter("rack")
    _, two = house.enter("rack")
    assert one.closed
    assert not two.closed


def test_3_1_4_5_and_3_2_2_4_who_is_refused_is_not_heard_and_has_no_session(house: House) -> None:
    hello = encode(p.Connect("c", username="rack", password=b"wrong"))
    _, wire = house.knock(hello + encode(p.Publish("rack/x", b"1")))
    assert wire.take() == [p.Connack(4, False)]
    assert house.host.heard == []


def test_3_2_0_1_the_first_answer_is_the_connack(house: House) -> None:
    hello = encode(p.Connect("c", username="rack", password=b"right")) + encode(p.Pingreq())
    _, wire = house.knock(hello)
    assert wire.take() == [p.Connack(0), p.Pingresp()]


def test_3_3_1_5_to_12_retained_messages(house: House) -> None:
    rack, _ = house.enter("rack")
    watcher, wire = house.enter("watcher")
    house.say(watcher, p.Subscribe(1, (("rack/+", 1),)))
    wire.take()
    house.say(rack, p.Publish("rack/t", b"old", 1, True, 1), p.Publish("rack/t", b"new", 0, True))
    assert [m.retain for m in wire.take() if isinstance(m, p.Publish)] == [False, False], (
        "3.3.1-9: subscribed before"
    )
    house.say(watcher, p.Subscribe(2, (("rack/t", 1),)))
    assert wire.take()[1:] == [p.Publish("rack/t", b"new", 0, True)], (
        "3.3.1-5, -6, -8, 3.8.4-3: the last one, marked"
    )
    house.say(rack, p.Publish("rack/t", b"later", 0, False))
    assert house.door.retained_under("rack/t")[0].payload == b"new", (
        "3.3.1-12: not retained, so nothing is replaced"
    )
    house.say(rack, p.Publish("rack/t", b"", 0, True))
    assert house.door.retained_under("rack/t") == [], (
        "3.3.1-10, -11: empty takes it away and is not kept"
    )


def test_3_3_4_1_and_4_3_each_qos_has_its_answer(house: House) -> None:
    connection, wire = house.enter("rack")
    wire.take()
    house.say(connection, p.Publish("rack/t", b"0"))
    house.say(
        connection,
        p.Publish("rack/t", b"1", 1, packet_id=5),
        p.Publish("rack/t", b"2", 2, packet_id=6),
    )
    house.safe()
    assert wire.take() == [p.Puback(5), p.Pubrec(6)], (
        "2.3.1-6: with its identifier, in order (4.6.0-2, -3)"
    )
    house.say(connection, p.Pubrel(6))
    assert wire.take() == [p.Pubcomp(6)]


def test_4_3_3_2_a_qos_2_message_sent_again_is_the_same_until_it_is_released(house: House) -> None:
    connection, wire = house.enter("rack", clean=False)
    message = p.Publish("rack/t", b"2", 2, packet_id=6)
    house.say(connection, message)
    house.say(connection, p.Publish("rack/t", b"2", 2, packet_id=6, duplicate=True))
    assert len(house.host.heard) == 1, "sent again before it was safe"
    house.safe()
    connection.close()
    connection, wire = house.enter("rack", clean=False)
    wire.take()
    house.say(connection, p.Publish("rack/t", b"2", 2, packet_id=6, duplicate=True))
    assert wire.take() == [p.Pubrec(6)]
    assert len(house.host.heard) == 1, "sent again over another connection"
    house.say(connection, p.Pubrel(6), message)
    assert len(house.host.heard) == 2, "released: the identifier is free for another message"


def test_4_3_3_a_qos_2_message_is_not_answered_over_a_new_connection_before_it_is_safe(
    house: House,
) -> None:
    connection, _ = house.enter("rack", clean=False)
    house.say(connection, p.Publish("rack/t", b"2", 2, packet_id=6))
    connection.close()
    connection, wire = house.enter("rack", clean=False)
    wire.take()
    house.say(connection, p.Publish("rack/t", b"2", 2, packet_id=6, duplicate=True))
    assert wire.take() == []
    house.safe()
    assert wire.take() == [p.Pubrec(6)]
    assert len(house.host.heard) == 1


def test_3_3_5_1_overlapping_subscriptions_give_the_highest_qos(house: House) -> None:
    watcher, wire = house.enter("watcher")
    house.say(watcher, p.Subscribe(1, (("rack/#", 0), ("rack/t", 1), ("+/t", 0))))
    wire.take()
    house.say(house.enter("rack")[0], p.Publish("rack/t", b"1", 1, packet_id=1))
    assert wire.take() == [p.Publish("rack/t", b"1", 1, packet_id=1)]


def test_3_8_4_a_subscribe_is_answered_filter_by_filter(house: House) -> None:
    connection, wire = house.enter("rack")
    wire.take()
    house.say(
        connection, p.Subscribe(77, (("rack/a", 0), ("rack/b", 1), ("rack/c", 2), ("mister/a", 0)))
    )
    assert wire.take() == [p.Suback(77, (0, 1, 1, 0x80))], "3.8.4-1, -2, -4, -5, 3.9.3-1"


def test_3_8_4_3_the_same_filter_again_replaces_the_subscription(house: House) -> None:
    connection, wire = house.enter("rack")
    house.say(connection, p.Subscribe(1, (("rack/a", 1),)), p.Subscribe(2, (("rack/a", 0),)))
    wire.take()
    house.say(connection, p.Publish("rack/a", b"1", 1, packet_id=1))
    assert [m.qos for m in wire.take() if isinstance(m, p.Publish)] == [0]


def test_3_10_4_unsubscribing_stops_messages_and_is_always_answered(house: House) -> None:
    connection, wire = house.enter("rack")
    house.say(connection, p.Subscribe(1, (("rack/a", 0), ("rack/b", 0))))
    wire.take()
    house.say(
        connection,
        p.Unsubscribe(2, ("rack/a", "rack/never")),
        p.Publish("rack/a", b"1"),
        p.Publish("rack/b", b"1"),
    )
    assert wire.take() == [p.Unsuback(2), p.Publish("rack/b", b"1")], "3.10.4-1, -2, -4, -5, -6"


def test_3_12_4_1_a_ping_is_answered(house: House) -> None:
    connection, wire = house.enter("rack")
    wire.take()
    house.say(connection, p.Pingreq())
    assert wire.take() == [p.Pingresp()]


def test_4_4_0_1_what_was_not_acknowledged_comes_again_with_its_identifier(house: House) -> None:
    connection, wire = house.enter("rack", clean=False)
    house.say(
        connection, p.Subscribe(1, (("rack/in", 1),)), p.Publish("rack/in", b"1", 1, packet_id=9)
    )
    wire.take()
    connection.close()
    _, wire = house.enter("rack", clean=False)
    assert wire.take()[1:] == [p.Publish("rack/in", b"1", 1, packet_id=1, duplicate=True)]


def test_4_6_0_messages_of_one_sender_arrive_in_their_order(house: House) -> None:
    watcher, wire = house.enter("watcher")
    house.say(watcher, p.Subscribe(1, (("rack/t", 1),)))
    wire.take()
    rack, _ = house.enter("rack")
    house.say(rack, *(p.Publish("rack/t", b"%d" % n, 1, packet_id=n) for n in range(1, 20)))
    assert [m.payload for m in wire.take() if isinstance(m, p.Publish)] == [
        b"%d" % n for n in range(1, 20)
    ]


def test_4_7_2_1_a_wildcard_at_the_start_does_not_find_what_begins_with_a_dollar_sign(
    house: House,
) -> None:
    watcher, wire = house.enter("watcher")
    house.say(watcher, p.Subscribe(1, (("#", 0), ("+/x", 0))))
    wire.take()
    house.door.route(p.Publish("$SYS/x", b"1"))
    assert wire.take() == []
