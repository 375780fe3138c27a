"""The door's rules, without a socket: bytes in, bytes out, the time as an argument."""

from __future__ import annotations

import pytest

from hombi.links.wifi.mqtt import packets as p
from hombi.links.wifi.mqtt import session as s
from hombi.links.wifi.mqtt.encoding import encode
from tests.links.door_rig import House, Wire, messages


def test_a_wrong_password_is_refused_and_the_connection_closed(house: House) -> None:
    _, wire = house.knock(p.Connect("c", username="rack", password=b"wrong"))
    assert wire.take() == [p.Connack(p.BAD_CREDENTIALS)]
    assert wire.closed
    assert "wrong user name or password (rack)" in house.host.problems[0]


def test_another_version_is_refused_with_its_code(house: House) -> None:
    _, wire = house.knock(bytes.fromhex("100c00044d5154540302003c0000"))
    assert wire.take() == [p.Connack(p.BAD_PROTOCOL)]
    assert wire.closed


def test_a_session_to_keep_needs_an_identifier(house: House) -> None:
    _, wire = house.knock(p.Connect("", clean=False, username="rack", password=b"right"))
    assert wire.take() == [p.Connack(p.BAD_CLIENT_ID)]


def test_the_first_packet_must_be_a_connect_and_the_only_one(house: House) -> None:
    _, wire = house.knock(p.Pingreq())
    assert wire.closed
    connection, wire = house.enter("rack")
    house.say(connection, p.Connect("c", username="rack", password=b"right"))
    assert wire.closed
    assert "MQTT-3.1.0-2" in house.host.problems[-1]


def test_broken_packets_close_the_connection_and_harm_no_other(house: House) -> None:
    _, other = house.enter("mister")
    connection, wire = house.enter("rack")
    house.say(connection, b"\xff\xff\xff\xff\xff\xff")
    assert wire.closed
    assert not other.closed


def test_qos_1_is_acknowledged_when_it_is_safe_and_in_order(house: House) -> None:
    connection, wire = house.enter("rack")
    wire.take()
    house.say(
        connection,
        p.Publish("rack/readings", b"1", 1, packet_id=7),
        p.Publish("rack/readings", b"2", 1, packet_id=9),
    )
    assert wire.take() == []
    house.host.waiting[1]()
    assert wire.take() == [], "the second waits for the first [MQTT-4.6.0-2]"
    assert connection.unacknowledged == 2
    house.host.waiting[0]()
    assert wire.take() == [p.Puback(7), p.Puback(9)]


def test_an_acknowledgement_of_a_gone_connection_goes_nowhere(house: House) -> None:
    connection, _ = house.enter("rack")
    house.say(connection, p.Publish("rack/readings", b"1", 1, packet_id=7))
    connection.close()
    _, again = house.enter("rack")
    again.take()
    house.host.waiting[0]()
    assert again.take() == []


def test_publishing_under_anothers_topic_closes_and_is_not_heard(house: House) -> None:
    connection, wire = house.enter("rack")
    house.say(connection, p.Publish("mister/readings", b"1", 1, packet_id=1))
    assert wire.closed
    assert house.host.heard == []
    assert "not its own" in house.host.problems[-1]


def test_a_last_will_on_anothers_topic_does_not_come_in(house: House) -> None:
    _, wire = house.knock(
        p.Connect(
            "c", username="rack", password=b"right", will=p.Publish("mister/presence", b"gone")
        )
    )
    assert wire.take() == [p.Connack(p.NOT_AUTHORISED)]


def test_subscriptions_are_granted_one_by_one(house: House) -> None:
    connection, wire = house.enter("rack")
    wire.take()
    house.say(
        connection,
        p.Subscribe(
            3, (("rack/#", 2), ("mister/#", 1), ("#", 0), ("rack/a+", 1), ("rack/wanted", 0))
        ),
    )
    assert wire.take() == [p.Suback(3, (1, 0x80, 0x80, 0x80, 0))]


def test_a_message_reaches_who_subscribed_with_the_lower_qos_and_no_retain(house: House) -> None:
    rack, _ = house.enter("rack")
    watcher, wire = house.enter("watcher")
    house.say(watcher, p.Subscribe(1, (("rack/+", 0),)))
    wire.take()
    house.say(rack, p.Publish("rack/readings", b"1", 1, retain=True, packet_id=1))
    assert wire.take() == [p.Publish("rack/readings", b"1", 0)]


def test_retained_messages_come_with_a_subscription_until_cleared(house: House) -> None:
    rack, _ = house.enter("rack")
    house.say(rack, p.Publish("rack/presence", b"here", 1, retain=True, packet_id=1))
    watcher, wire = house.enter("watcher")
    house.say(watcher, p.Subscribe(1, (("rack/#", 1),)))
    assert wire.take()[-1] == p.Publish("rack/presence", b"here", 1, True, 1)
    house.say(rack, p.Publish("rack/presence", b"", 0, retain=True))
    another, wire = house.enter("watcher", client="d")
    house.say(another, p.Subscribe(1, (("rack/#", 1),)))
    assert wire.take()[-1] == p.Suback(1, (1,))


def test_nobody_gets_retained_messages_without_the_right_to(house: House) -> None:
    rack, _ = house.enter("rack")
    house.say(rack, p.Publish("rack/presence", b"here", 0, retain=True))
    mister, wire = house.enter("mister")
    wire.take()
    house.say(mister, p.Subscribe(1, (("rack/presence", 1), ("+/presence", 1))))
    assert wire.take() == [p.Suback(1, (0x80, 0x80))]


def test_a_will_goes_out_when_the_connection_drops_but_not_after_a_farewell(house: House) -> None:
    watcher, wire = house.enter("watcher")
    house.say(watcher, p.Subscribe(1, (("rack/#", 0),)))
    wire.take()
    will = p.Publish("rack/presence", b"gone", 1, True)
    polite, _ = house.enter("rack", will=will)
    house.say(polite, p.Disconnect())
    assert wire.take() == []
    dropped, _ = house.enter("rack", will=will)
    dropped.close()
    assert wire.take() == [p.Publish("rack/presence", b"gone", 0)]
    assert house.host.came == ["+watcher", "+rack", "-rack", "+rack", "-rack"]


def test_a_silent_client_is_closed_after_one_and_a_half_keep_alives(house: House) -> None:
    connection, wire = house.enter("rack", will=p.Publish("rack/presence", b"gone"))
    house.door.sweep(15)
    assert not wire.closed
    house.say(connection, p.Pingreq(), now=15)
    house.door.sweep(30)
    assert not wire.closed
    house.door.sweep(30.1)
    assert wire.closed
    assert house.host.heard[-1][1].payload == b"gone"


def test_a_stranger_who_says_nothing_is_closed(house: House) -> None:
    _, wire = house.knock(b"\x10")
    house.door.sweep(16)
    assert wire.closed


def test_a_sleeping_client_gets_what_came_meanwhile(house: House) -> None:
    mister, _ = house.enter("mister", clean=False)
    house.say(mister, p.Subscribe(1, (("mister/wanted", 1),)))
    house.say(mister, p.Disconnect())
    house.door.route(p.Publish("mister/wanted", b"on", 1))
    house.door.route(p.Publish("mister/wanted", b"not kept", 0))
    mister, wire = house.enter("mister", clean=False)
    assert wire.take() == [p.Connack(0, True), p.Publish("mister/wanted", b"on", 1, packet_id=1)]
    mister.close()
    mister, wire = house.enter("mister", clean=False)
    assert wire.take()[1] == p.Publish("mister/wanted", b"on", 1, packet_id=1, duplicate=True)
    house.say(mister, p.Puback(1), p.Disconnect())
    _, wire = house.enter("mister", clean=False)
    assert wire.take() == [p.Connack(0, True)]


def test_a_sleepers_session_outlives_the_door(house: House) -> None:
    mister, _ = house.enter("mister", clean=False)
    house.say(mister, p.Subscribe(1, (("mister/wanted", 1), ("mister/more", 0))))
    for number in range(s.MAX_INFLIGHT + 2):
        house.door.route(p.Publish("mister/wanted", bytes((number,)), 1))
    house.say(mister, p.Puback(1))
    again = House()
    again.door.restore(house.host.kept)
    again.door.route(p.Publish("mister/wanted", b"after", 1))
    mister, wire = again.enter("mister", clean=False)
    first, *rest = wire.take()
    assert first == p.Connack(0, True)
    assert [(m.packet_id, m.duplicate) for m in rest[:2]] == [(2, True), (3, True)], (
        "with their own identifiers [MQTT-4.4.0-1]"
    )
    for message in rest:
        assert isinstance(message, p.Publish)
    for number in range(2, s.MAX_INFLIGHT + 4):
        again.say(mister, p.Puback(number))
    last = wire.take()[-1]
    assert isinstance(last, p.Publish)
    assert last.payload == b"after"
    assert [key for key in again.host.kept if key.startswith("message/")] == []
    again.door.expel("mister")
    assert again.host.kept == {}


def test_a_clean_session_forgets(house: House) -> None:
    mister, _ = house.enter("mister", clean=False)
    house.say(mister, p.Subscribe(1, (("mister/wanted", 1),)), p.Disconnect())
    mister, wire = house.enter("mister", clean=True)
    assert wire.take() == [p.Connack(0, False)]
    assert not house.door.reaches("mister/wanted")


def test_the_same_client_again_takes_its_own_place(house: House) -> None:
    _, first = house.enter("rack")
    _, second = house.enter("rack")
    assert first.closed
    assert not second.closed
    assert house.host.came == ["+rack", "+rack"], "it was never away"


def test_an_identifier_counts_within_its_account_only(house: House) -> None:
    _, rack = house.enter("rack", client="same")
    house.enter("mister", client="same")
    assert not rack.closed


def test_what_waits_for_a_sleeper_is_bounded_the_oldest_goes_first(house: House) -> None:
    mister, _ = house.enter("mister", clean=False)
    house.say(mister, p.Subscribe(1, (("mister/wanted", 1),)), p.Disconnect())
    for number in range(s.MAX_QUEUED + 5):
        house.door.route(p.Publish("mister/wanted", str(number).encode(), 1))
    _, wire = house.enter("mister", clean=False)
    first = wire.take()[1]
    assert isinstance(first, p.Publish)
    assert first.payload == b"5"
    assert len([p for p in house.host.problems if "the oldest was dropped" in p]) == 5


def test_a_slow_client_has_a_bounded_number_on_the_way(house: House) -> None:
    mister, wire = house.enter("mister")
    house.say(mister, p.Subscribe(1, (("mister/wanted", 1),)))
    wire.take()
    for number in range(s.MAX_INFLIGHT + 3):
        house.door.route(p.Publish("mister/wanted", str(number).encode(), 1))
    sent = wire.take()
    assert len(sent) == s.MAX_INFLIGHT
    house.say(mister, p.Puback(1))
    (following,) = wire.take()
    assert isinstance(following, p.Publish)
    assert following.payload == str(s.MAX_INFLIGHT).encode()


def test_an_expelled_account_is_cut_off_and_forgotten(house: House) -> None:
    mister, wire = house.enter("mister", clean=False)
    house.say(mister, p.Subscribe(1, (("mister/wanted", 1),)))
    house.door.expel("mister")
    assert wire.closed
    assert not house.door.reaches("mister/wanted")


def test_unsubscribing_ends_it(house: House) -> None:
    mister, wire = house.enter("mister")
    house.say(
        mister,
        p.Subscribe(1, (("mister/wanted", 1),)),
        p.Unsubscribe(2, ("mister/wanted", "mister/never")),
    )
    assert wire.take()[-1] == p.Unsuback(2)
    house.door.route(p.Publish("mister/wanted", b"on", 1))
    assert wire.take() == []


def test_closing_the_door_says_nothing_of_its_clients(house: House) -> None:
    house.enter("rack", will=p.Publish("rack/presence", b"gone"))
    house.door.close()
    assert house.host.came == ["+rack"]
    assert house.host.heard == []


CONNECT = encode(
    p.Connect("c", username="rack", password=b"right", will=p.Publish("rack/presence", b"gone", 1))
)


CONNECT_5 = encode(
    p.Connect("c", 5, username="rack", password=b"right", properties={"session_expiry": 60}), 5
)


AFTER = (
    p.Subscribe(3, (("rack/#", 1),)),
    p.Publish("rack/readings", b"x" * 200, 1, packet_id=9),
    p.Publish("rack/readings", b"y", 2, packet_id=10),
    p.Pubrel(10),
    p.Unsubscribe(4, ("rack/#",)),
    p.Pingreq(),
    p.Disconnect(),
)


@pytest.mark.parametrize(("hello", "level"), [(CONNECT, 4), (CONNECT_5, 5)])
def test_packets_come_in_cut_at_every_byte(hello: bytes, level: int) -> None:
    whole = hello + b"".join(encode(packet, level) for packet in AFTER)

    def answers(*pieces: bytes) -> list[p.Packet]:
        house = House()
        house.host.at_once = True
        connection, wire = house.knock(level=level)
        house.say(connection, *pieces)
        assert not [problem for problem in house.host.problems if "no connect" in problem]
        return wire.take()

    expected = answers(whole)
    assert isinstance(expected[0], p.Connack)
    assert p.Pingresp() in expected
    for place in range(1, len(whole)):
        assert answers(whole[:place], whole[place:]) == expected, place
    assert answers(*(bytes((one,)) for one in whole)) == expected


@pytest.mark.parametrize(
    "raw",
    [
        # a PINGREQ whose remaining length has a needless byte (MQTT 5, 1.5.5-1)
        "c08000",
        "c00100",  # a PINGREQ with a body (2.2.3)
        "e08000",
        "308a8000000161",
    ],
)
def test_lengths_that_are_longer_than_they_must_be_are_malformed(house: House, raw: str) -> None:
    connection, wire = house.enter("rack")
    house.say(connection, bytes.fromhex(raw))
    assert wire.closed


def test_a_message_for_a_sleeper_is_acknowledged_when_it_is_kept(house: House) -> None:
    watcher, _ = house.enter("watcher", clean=False)
    house.say(watcher, p.Subscribe(1, (("rack/#", 1),)), p.Disconnect())
    rack, wire = house.enter("rack")
    wire.take()
    house.host.disk_is_slow = True
    house.say(rack, p.Publish("rack/readings", b"1", 1, packet_id=7))
    house.safe()
    assert wire.take() == [], "the reading is safe, the sleeper's copy is not"
    house.host.unkept.pop()()
    assert wire.take() == [p.Puback(7)]


def test_retained_messages_outlive_the_door(house: House) -> None:
    rack, wire = house.enter("rack")
    wire.take()
    house.host.disk_is_slow = True
    house.say(rack, p.Publish("rack/presence", b"here", 1, retain=True, packet_id=1))
    house.say(
        rack,
        p.Publish("rack/gone", b"1", 0, retain=True),
        p.Publish("rack/gone", b"", 0, retain=True),
    )
    house.safe()
    assert wire.take() == []
    again = House()
    again.door.restore(house.host.kept)
    watcher, wire = again.enter("watcher")
    again.say(watcher, p.Subscribe(1, (("#", 1),)))
    assert wire.take()[2:] == [p.Publish("rack/presence", b"here", 1, True, 1)]


def test_what_is_urgent_does_not_wait_for_the_end_of_the_turn(house: House) -> None:
    wires = []
    for account in ("mister", "rack"):
        connection, wire = house.enter(account)
        house.say(connection, p.Subscribe(1, ((f"{account}/wanted", 1),)))
        wire.take()
        wires.append(wire)
    house.door.route(p.Publish("rack/wanted", b"[]", 1))
    assert house.door.command(p.Publish("mister/wanted", b"[]", 1), once=True)
    assert [(len(wire.sent), wire.at_once) for wire in wires] == [(1, 1), (1, 0)]


def test_a_first_packet_that_trickles_in_is_not_waited_for(house: House) -> None:
    """A CONNECT of 3.1.1, a byte each three seconds."""
    wire, at = Wire(), 0.0
    connection = house.door.accept(wire, at)
    for byte in bytes.fromhex("10 1a 00 04 4d 51 54 54 04 02 00 3c 00 0e".replace(" ", "")):
        connection.receive(bytes((byte,)), at)
        house.door.sweep(at)
        at += 3.0
    assert not connection.open
    assert at <= 45


def test_a_command_waits_once_and_in_the_order_of_the_last_ones(house: House) -> None:
    sleeper, wire = house.enter("mister", clean=False)
    house.say(sleeper, p.Subscribe(1, (("mister/wanted", 1),)), p.Disconnect())
    said = [b"on", b"on", b"off", b"on", b"on", b"dim", b"off", b"off"]
    for word in said:
        assert house.door.command(p.Publish("mister/wanted", word, 1), once=True)
    awake, wire = house.enter("mister", clean=False)
    assert [message.payload for message in messages(wire)] == [b"on", b"dim", b"off"]
    # What is on its way and not acknowledged need not be said again either.
    assert house.door.command(p.Publish("mister/wanted", b"off", 1), once=True)
    assert messages(wire) == []
    assert house.door.command(p.Publish("mister/wanted", b"on", 1), once=True)
    assert [message.payload for message in messages(wire)] == [b"on"]
    # It published something, which may have been its answer: it is asked again.
    house.say(awake, p.Publish("mister/readings", b"[]", 0))
    assert house.door.command(p.Publish("mister/wanted", b"on", 1), once=True)
    assert [message.payload for message in messages(wire)] == [b"on"]
    # What it is to do is another thing each time: grain for the hens, twice.
    for _ in range(2):
        assert house.door.command(p.Publish("mister/wanted", b"feed", 1), once=False)
    assert [message.payload for message in messages(wire)] == [b"feed", b"feed"]


def test_what_a_session_has_received_outlives_a_restart_from_when_it_is_kept(house: House) -> None:
    """QoS 2: the same packet identifier again is the same message (4.3.3)."""
    house.host.at_once = True
    client, wire = house.enter5("rack", clean=False)
    house.say(client, p.Publish("rack/readings", b"1", 2, packet_id=9))
    assert p.Pubrec(9) in wire.take()
    # Only when it leaves it says that its session is to be kept.
    house.door.leave(client.session, 3600)  # type: ignore[arg-type]
    house = house.restarted()
    (session,) = house.door._sessions.values()
    assert session.received == {9}
    # As 0.3 kept them, within the session.
    (key,) = [one for one in house.host.kept if one.startswith("rack")]
    numbers = house.host.kept.pop(f"received/{key}")["numbers"]
    house.host.kept[key]["received"] = numbers
    house = house.restarted().restarted()
    assert next(iter(house.door._sessions.values())).received == {9}


def test_a_command_on_its_way_when_the_hub_is_restarted_is_not_sent_twice(house: House) -> None:
    house.host.at_once = True
    node, _ = house.enter("mister", clean=False)
    house.say(node, p.Subscribe(1, (("mister/wanted", 1),)))
    command = p.Publish("mister/wanted", b"on", 1)
    assert house.door.command(command, once=True)  # and it is not acknowledged
    again = house.restarted()
    assert again.door.command(command, once=True)
    _, wire = again.enter("mister", clean=False)
    assert [one.payload for one in messages(wire)] == [b"on"]
